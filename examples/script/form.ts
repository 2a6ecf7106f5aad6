// A form whose page has its own markup, and no framework: what an applicant does is told to
// the session, and what the session says is shown.
import { openForm, berthsForm, type Field } from "harbour-forms"

const session = await openForm(berthsForm, {
  headers: () => ({ "X-Harbour-Token": document.querySelector<HTMLMetaElement>("meta[name=token]")!.content }),
})
const form = document.querySelector("form")!
const [alert, status] = ["alert", "status"].map(role => form.querySelector<HTMLElement>(`[role=${role}]`)!)
const ask = document.querySelector("dialog")!
const control = (path: string) => form.elements.namedItem(path) as HTMLInputElement

// What the applicant does. Some of it no event tells: what was typed before this script ran, and what a program such
// as a password manager puts into a control.
const read = ({ path, raw }: Field) => { if (control(path).value !== raw) session.edit(path as "vessel", control(path).value) }
session.snapshot.fields.forEach(read)
// A field that a press of the pointer leaves is left when the press is over: what shows then would move the button away.
let press = Promise.resolve()
addEventListener("pointerdown", () => { press = new Promise(over => { for (const end of ["pointerup", "pointercancel"]) addEventListener(end, () => setTimeout(over), { once: true }) }) }, true)
for (const { path } of session.snapshot.fields) {
  control(path).addEventListener("input", () => session.edit(path as "vessel", control(path).value))
  control(path).addEventListener("blur", () => press.then(() => session.blur(path as "vessel")))
}
form.addEventListener("submit", e => { e.preventDefault(); session.snapshot.fields.forEach(read); session.submit() })
form.addEventListener("reset", e => { e.preventDefault(); session.reset() })
ask.addEventListener("cancel", e => { e.preventDefault(); session.decide("stay") })
ask.addEventListener("click", e => {
  const { value } = e.target as HTMLButtonElement
  if (value === "stay" || value === "discard") session.decide(value)
})
document.querySelector("nav")!.addEventListener("click", async e => {
  const { href } = e.target as HTMLAnchorElement
  if (!href) return
  e.preventDefault()
  if (await session.leave(href)) location.href = href
})

// What the session says.
function show(field: Field) {
  const input = control(field.path)
  if (input.value !== field.raw) input.value = field.raw
  const wrong = field.issues.filter(i => i.shown)
  const list = document.getElementById(field.path + "-wrong")!
  list.replaceChildren(...wrong.map(i => Object.assign(document.createElement("li"), { textContent: i.text })))
  input.setAttribute("aria-invalid", String(wrong.length > 0))
}

function showAll(fields: readonly Field[]) {
  const now = session.snapshot
  fields.forEach(show)
  for (const { path } of now.fields) control(path).readOnly = now.locked
  form.ariaBusy = String(now.busy)
  form.dataset.state = now.submission
  const form_issues = now.issues.filter(i => i.shown).map(i => i.text)
  alert.textContent = [now.said?.level === "assertive" ? now.said.text : "", ...form_issues].join(" ")
  status.textContent = now.pending || (now.said?.level === "polite" ? now.said.text : "")
  if (now.question && !ask.open) ask.showModal()
  else if (!now.question) ask.close()
}
session.observe(change => showAll(change.fields))
session.addEventListener("focus", e => (e.detail ? control(e.detail) : alert).focus())
showAll(session.snapshot.fields)
