// The same form without a library: its markup stands in the page, and this shows what changes.
import { openForm, towForm } from "harbour-forms/attach"

const session = await openForm(towForm)
const form = document.querySelector("form")
const q = selector => form.querySelector(selector)
const shown = issues => issues.flatMap(i => (i.shown ? i.text : [])).join(" ")
const made = new Map()
const make = (key, template) => {
  if (!made.has(key)) made.set(key, q(template).content.firstElementChild.cloneNode(true))
  return made.get(key)
}

function show(field, within = form) {
  const controls = within.querySelectorAll(`[name="${field.path}"]`)
  const own = session.attributesOf(field.path)
  const box = controls[0].closest(".field")
  const more = make(field.key, "#more")
  const [told, choice] = more.children
  const [saved, ...buttons] = choice.children
  for (const button of buttons) button.value = field.path
  for (const name of ["aria-invalid", "aria-describedby", "aria-busy"])
    for (const c of controls) own[name] ? c.setAttribute(name, own[name]) : c.removeAttribute(name)
  told.id = own.id + "-issues"
  told.textContent = field.checking ? "Looking it up …" : shown(field.issues)
  saved.textContent = field.saved || "nothing"
  choice.hidden = !field.contested
  box.hidden = !field.asked
  box.classList.toggle("wrong", shown(field.issues) !== "")
  if (!more.isConnected) box.append(more)
}

function draw() {
  const { fields, said, ...now } = session.snapshot
  const rows = fields.flatMap(f => f.rows ?? [])
  for (const field of fields) if (field.kind !== "rows") show(field)
  for (const { key, path, fields } of rows) {
    const row = make(key + " row", "#line")
    row.querySelectorAll("input").forEach((c, k) => (c.name = fields[k].path))
    row.querySelector("[name=leanwicket-remove]").value = path
    if (!row.isConnected) q("[name=leanwicket-add]").before(row)
    for (const f of fields) show(f, row)
  }
  for (const [key, row] of made)
    if (key.endsWith(" row") && !rows.some(r => r.key + " row" === key)) row.remove()
  q("[data-wrong]").textContent = shown(now.issues)
  q("[data-urgent]").textContent = said?.level === "assertive" ? said.text : ""
  q("[data-said]").textContent = now.pending || (said?.level === "polite" ? said.text : "")
  q("[data-draft]").hidden = !now.draft
  q("[data-receipt]").textContent = q("[data-receipt]").href = now.receipt ?? ""
  form.ariaBusy = String(now.busy || now.prefill === "loading")
  if (now.question && !q("dialog").open) q("dialog").showModal()
  if (!now.question) q("dialog").close()
}

session.observe(draw)
draw()
session.attach(form)
