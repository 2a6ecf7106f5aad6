// Draws the form of a session with elements of its own, as a component library does: some time after the session has told.
import { openForm } from "/leanwicket/leanwicket.attach.mjs"

const make = (name, properties, ...children) => {
  const { "aria-describedby": described, "aria-invalid": invalid, "aria-busy": _, "aria-disabled": disabled, defaultChecked, defaultValue, ...more } = properties
  const e = document.createElement(name)
  for (const [name, value] of Object.entries({ "aria-describedby": described, "aria-invalid": invalid, "aria-disabled": disabled })) if (value) e.setAttribute(name, value)
  Object.assign(e, more, defaultChecked === undefined ? {} : { defaultChecked }, defaultValue === undefined ? {} : { defaultValue })
  e.append(...children)
  return e
}

/**
 * how: keyed: the elements of a row go with its key; wait: how long drawing comes after telling; shadow: the form is in a shadow root;
 * outside: its first control is outside of it; late: the form is connected a while after it was attached.
 */
export async function draw(options, { keyed = true, wait = 0, shadow = false, outside = false, late = 0 } = {}) {
  const session = await openForm("/f.form", options)
  const place = document.body.appendChild(document.createElement("div"))
  const root = shadow ? place.attachShadow({ mode: "open" }) : place
  const form = make("form", { id: "work" })
  const boxes = new Map() // of each field or row, by key or place

  const send = make("button", { textContent: "Send" })
  /** Children that are where they belong are not moved: the focus would be lost. */
  function put(parent, children) {
    for (const child of [...parent.children]) if (!children.includes(child)) child.remove()
    children.forEach((child, k) => { if (parent.children[k] !== child) parent.insertBefore(child, parent.children[k] ?? null) })
  }
  const button = (name, value, text = name) => make("button", { type: "button", name: "leanwicket-" + name, value, textContent: text })
  function control(field) {
    const { path, kind, options: choices } = field
    if (kind === "choice" || kind === "choices") return choices.map(o => make("label", {}, make("input", session.attributesOf(path, o.raw)), o.label))
    return [make("input", session.attributesOf(path))]
  }
  function refresh(box, field) {
    const { id } = session.attributesOf(field.path)
    for (const c of box.querySelectorAll("input")) {
      const own = field.options.length ? session.attributesOf(field.path, c.value) : session.attributesOf(field.path)
      c.id = own.id
      c.name = own.name
      c.toggleAttribute("aria-invalid", own["aria-invalid"] === "true")
    }
    const issues = field.issues.filter(i => i.shown).map(i => make("li", { textContent: i.text }))
    box.querySelector("ul").replaceChildren(...issues)
    box.querySelector("ul").id = id + "-issues"
    box.hidden = !field.asked
  }
  function fieldBox(field, name) {
    let box = boxes.get(name)
    if (!box) boxes.set(name, box = make("p", {}, field.label + " ", ...control(field), make("ul", {})))
    refresh(box, field)
    return box
  }
  function rowsBox(field) {
    const rows = field.rows.map((row, k) => {
      const name = "row " + (keyed ? row.key : k)
      let box = boxes.get(name)
      if (!box) boxes.set(name, box = make("div", {}))
      if (!box.children.length) box.append(button("move", ""), button("remove", ""))
      const [move, remove] = [...box.children].slice(-2)
      move.value = remove.value = row.path
      put(box, [...row.fields.map((f, n) => fieldBox(f, keyed ? f.key : name + " " + n)), move, remove])
      return box
    })
    const add = "add " + field.path
    if (!boxes.has(add)) boxes.set(add, button("add", field.path))
    return [...rows, boxes.get(add)]
  }
  function drawn() {
    if (!session.alive) return
    const parts = session.snapshot.fields.flatMap(f => f.kind === "rows" ? rowsBox(f) : [fieldBox(f, f.key)])
    const first = outside && parts.shift()
    if (outside && !first.parentNode) {
      root.prepend(first)
      first.querySelector("input").setAttribute("form", "work")
    }
    put(form, [...parts, send])
  }
  drawn()
  const unobserve = session.observe(() => { wait < 0 ? drawn() : setTimeout(drawn, wait) })
  const ends = session.attach(form)
  if (late) setTimeout(() => root.append(form), late)
  else root.append(form)
  return { session, form, root, end() { unobserve(); ends(); session.close(); place.remove() } }
}
