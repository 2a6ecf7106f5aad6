// What can be seen of a page, for one question.
const shows = e => e.checkVisibility({ opacityProperty: true, visibilityProperty: true })
const controls = ([path, selector]) => [...document.querySelectorAll(selector || `[name="${CSS.escape(path)}"]`)]
const form = () => fields.map(controls).find(all => all.length)?.[0].form ?? document.forms[0]
// Who says of one button that it submits means that the others do not.
const candidates = () => {
  const find = selector => [...form()?.querySelectorAll(selector) ?? []].filter(shows)
  const declared = find("button[type=submit], input[type=submit]").filter(b => !b.name.startsWith("leanwicket-") || b.name === "leanwicket-button")
  return declared.length ? declared : find("button:not([type])")
}
const buttons = () => submit ? [...document.querySelectorAll(submit)].filter(shows) : candidates()
const lines = () => document.body.innerText.split("\n").map(l => l.trim()).filter(Boolean)
const read = all => {
  const c = all[0]
  if (!c) return null
  if (c.type === "checkbox" || c.type === "radio") return all.filter(c => c.checked).map(c => c.value).join("\n")
  return c.value
}
const described = c => ["aria-describedby", "aria-errormessage"].flatMap(a => (c.getAttribute(a) || "").split(" "))
  .map(id => id && document.getElementById(id)).filter(e => e && shows(e)).map(e => e.innerText.trim()).filter(Boolean).join("\n")
const editable = c => !c.matches(":disabled") && !c.readOnly && c.getAttribute("aria-disabled") !== "true"
const look = () => ({
  url: location.href,
  lines: lines(),
  live: [...document.querySelectorAll("[aria-live]:not([aria-live=off]), [role=status], [role=alert], output")].map(e => e.innerText.trim()).filter(Boolean),
  busy: Boolean(document.querySelector("[aria-busy=true]")),
  dialog: [...document.querySelectorAll("dialog[open], [role=dialog], [role=alertdialog]")].some(shows),
  focus: fields.find(f => controls(f).includes(document.activeElement))?.[0] ?? "",
  focusText: document.activeElement === document.body ? "" : (document.activeElement?.innerText ?? "").trim(),
  buttons: buttons().map(b => ({ text: (b.innerText || b.value).trim(), held: b.matches(":disabled") || b.getAttribute("aria-disabled") === "true" || b.getAttribute("aria-busy") === "true" })),
  fields: Object.fromEntries(fields.map(f => [f[0], controls(f)]).filter(([, all]) => all.length).map(([path, all]) => [path, {
    value: read(all), invalid: all.some(c => c.getAttribute("aria-invalid") === "true"), native: all.some(c => c.matches(":invalid")) && !form()?.noValidate,
    described: all.map(described).filter(Boolean).join("\n"), editable: all.some(editable), shown: all.some(shows), type: all[0].type,
  }])),
})
