// The same form without a library: its markup stands in the page, and this shows what changes.
import { openForm, towForm } from "harbour-forms/attach"

const session = await openForm(towForm), form = document.querySelector("form"), rows = new Map()
const q = selector => form.querySelector(selector), dialog = q("dialog"), template = q("template")
const make = (name, properties, ...children) => {
  const made = Object.assign(document.createElement(name), properties)
  made.append(...children)
  return made
}
const choice = (name, value, textContent) => make("button", { type: "button", name: "leanwicket-" + name, value, textContent })

function show(field, within = form) {
  const all = [...within.querySelectorAll("[name]")].filter(c => c.name === field.path)
  const box = all[0].closest(".field"), own = session.attributesOf(field.path), issues = field.issues.filter(i => i.shown)
  box.hidden = !field.asked
  box.classList.toggle("wrong", issues.length > 0)
  for (const name of ["aria-invalid", "aria-describedby", "aria-busy"]) for (const c of all) own[name] ? c.setAttribute(name, own[name]) : c.removeAttribute(name)
  box.querySelector(".more")?.remove()
  box.append(make("div", { className: "more" }, field.checking ? "Looking it up …" : "", make("ul", { id: own.id + "-issues" }, ...issues.map(i => make("li", { textContent: i.text }))),
    ...field.contested ? [`Saved meanwhile: ${field.saved || "nothing"}. `, choice("mine", field.path, "Keep mine"), " ", choice("theirs", field.path, "Take that one")] : []))
}

function draw() {
  const now = session.snapshot, { said } = now
  for (const field of now.fields) {
    if (field.kind !== "rows") show(field)
    for (const { key, path, fields } of field.rows ?? []) {
      const row = rows.get(key) ?? rows.set(key, template.content.firstElementChild.cloneNode(true)).get(key)
      row.querySelectorAll("input").forEach((c, k) => { c.name = fields[k].path; c.id = session.attributesOf(c.name).id })
      row.querySelector("button").value = path
      if (!row.isConnected) q("[name=leanwicket-add]").before(row)
      for (const f of fields) show(f, row)
    }
  }
  const there = now.fields.flatMap(f => f.rows ?? []).map(row => row.key)
  for (const [key, row] of rows) if (!there.includes(key)) { row.remove(); rows.delete(key) }
  for (const level of ["assertive", "polite"]) q(`[data-said=${level}]`).textContent = said?.level === level ? said.text : level === "polite" ? now.pending : ""
  q("[data-wrong]").replaceChildren(...now.issues.filter(i => i.shown).map(i => make("li", { textContent: i.text })))
  q("[data-draft]").hidden = !now.draft
  Object.assign(q("[data-receipt]"), { href: now.receipt ?? "", textContent: now.receipt ?? "" })
  form.ariaBusy = String(now.busy || now.prefill === "loading")
  if (now.question && !dialog.open) dialog.showModal()
  if (!now.question) dialog.close()
}

dialog.addEventListener("cancel", e => { e.preventDefault(); session.decide("stay") })
session.observe(draw)
draw()
session.attach(form)
