// What can be seen of a page, for one question.
const shows = e => e.checkVisibility({ opacityProperty: true, visibilityProperty: true }) && !e.closest("[aria-hidden=true]")
const controls = ([path, selector]) => [...document.querySelectorAll(selector || `[name="${CSS.escape(path)}"]`)]
// The fields that are on the page: of one in rows, those of each row that is there.
const most = 20
const present = () => fields.flatMap(([path, selector]) => path.includes("/*/")
  ? Array.from({ length: most }, (_, row) => [path.replace("/*/", `/${row}/`), selector.replaceAll("{row}", row)]) : [[path, selector]])
  .filter(f => controls(f).length)
const form = () => present().map(controls)[0]?.[0].form ?? document.forms[0]
const inForm = selector => [...form()?.elements ?? []].filter(e => e.matches(selector) && shows(e))
const declared = () => inForm("button[type=submit], input[type=submit]").filter(b => !b.name.startsWith("leanwicket-") || b.name === "leanwicket-button")
// Who says of one button that it submits means that the others do not, also while it
// is away.
const candidates = () => says || declared().length ? declared() : inForm("button:not([type])")
const buttons = () => submit ? [...document.querySelectorAll(submit)].filter(shows) : candidates()
const lines = () => document.body.innerText.split("\n").map(l => l.trim()).filter(Boolean)
const read = all => {
  const c = all[0]
  if (!c) return null
  if (c.type === "checkbox" || c.type === "radio") return all.filter(c => c.checked).map(c => c.value).join("\n")
  return c.type === "file" ? [...c.files].map(f => f.name).join("\n") : c.value
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
  focus: present().find(f => controls(f).includes(document.activeElement))?.[0] ?? "",
  focusText: document.activeElement === document.body ? "" : (document.activeElement?.innerText ?? "").trim(),
  says: declared().length > 0,
  buttons: buttons().map(b => ({ text: (b.innerText || b.value).trim(), held: b.matches(":disabled") || b.getAttribute("aria-disabled") === "true" || b.getAttribute("aria-busy") === "true" })),
  fields: Object.fromEntries(present().map(f => [f[0], controls(f)]).map(([path, all]) => [path, {
    value: read(all), invalid: all.some(c => c.getAttribute("aria-invalid") === "true"), native: all.some(c => c.matches(":invalid")) && !form()?.noValidate,
    described: all.map(described).filter(Boolean).join("\n"), editable: all.some(editable), shown: all.some(shows), type: all[0].type,
  }])),
})

// What a hand needs to find.
const named = path => present().filter(f => f[0] === path).flatMap(controls)
const begin = path => {
  const c = named(path)[0]
  c.scrollIntoView({ block: "center" })
  c.focus()
  c.select?.()
}
const tick = (path, raw) => {
  const all = named(path), c = all.length === 1 ? all[0] : all.find(c => c.value === raw)
  if (c && c.checked !== (raw !== "" && raw !== "false")) c.click()
  return Boolean(c)
}
// As the browser's own picker of dates, choices and files does; whether the control
// takes it.
const pick = (path, raw) => {
  const c = named(path)[0]
  c.focus()
  if (c.type === "file" && raw) {
    const chosen = new DataTransfer()
    chosen.items.add(new File(["Saltmarsh Quay"], raw))
    c.files = chosen.files
  } else Object.getOwnPropertyDescriptor(Object.getPrototypeOf(c), "value").set.call(c, raw)
  const taken = read([c]) === raw
  for (const type of ["input", "change"]) c.dispatchEvent(new Event(type, { bubbles: true }))
  return taken
}
const middle = e => {
  if (!e) return null
  e.scrollIntoView({ block: "center" })
  const r = e.getBoundingClientRect()
  return [r.x + r.width / 2, r.y + r.height / 2]
}
// How many clicks on a submit button have come.
const heard = () => {
  if (globalThis.leanwicketHeard === undefined) {
    globalThis.leanwicketHeard = 0
    addEventListener("click", e => { if (buttons().some(b => e.composedPath().includes(b))) globalThis.leanwicketHeard++ }, true)
  }
  return globalThis.leanwicketHeard
}
// The button that adds a row.
const adder = ([path, selector]) => document.querySelector(selector || `[name="leanwicket-add"][value="${CSS.escape(path)}"]`)
// Buttons that are not those that submit, of which there are so many.
const others = submits => inForm("button, input[type=button]")
  .filter(b => !buttons().slice(0, submits).includes(b) && !groups.map(adder).includes(b) && !b.name.startsWith("leanwicket-"))
const link = () => [...document.querySelectorAll("a[href]")].find(a => {
  const to = new URL(a.href)
  return shows(a) && !a.target && to.origin === location.origin && to.pathname !== location.pathname
})
// What stands in private fields is not to be read in a picture.
const veil = paths => paths.flatMap(named).forEach(c => c.style.setProperty("-webkit-text-security", "disc", "important"))
