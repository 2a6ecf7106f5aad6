// What the applicant does to a form, told to its session.
import { guard } from "./guard.js"
import { presses, secondClicks } from "./press.js"
import { isChoice, listOf, moveOf } from "./values.js"
import { rowButtons } from "./view.js"

/**
 * A submit button that the form does not declare, and that says by a name, a value or an
 * address of its own that it is for something else.
 */
const isForeign = by => !by.name.startsWith("leanwicket-") && Boolean(by.name || by.value || by.hasAttribute("formaction"))

/**
 * @param {import("./page.js").Bound & {[name: string]: any}} page
 * @param {import("./places.js").Places} places
 * @param {import("./controls.js").Controls} held
 * @param {ReturnType<typeof import("./view.js").viewOf>} view
 */
export function listen(page, { element, form, root: rootOf, controls }, held, view) {
  const { on, happened } = page
  const root = rootOf()
  /** Names of fields that were left under a pressed pointer. @type {string[]} */
  const left = []
  let entered = false // Enter was pressed in a control
  let passes = false // a submit button that is not the form's own does what the markup says

  const mine = c => c.name && (c.form ? c.form === element : form.contains(c)) && controls(c.name).includes(c)
  const edited = name => happened("edit", name, held.raw(name))

  /** A foreign button does what the markup says. Where that leads away, and something would be lost, the applicant is asked. */
  function foreign(e, by) {
    const said = name => by.getAttribute("form" + name) ?? form.getAttribute(name) ?? ""
    if (passes || !guard.needed() || said("method") === "dialog" || !["", "_self"].includes(said("target"))) return
    e.preventDefault()
    guard.leave(new URL(said("action"), document.baseURI).href, () => {
      passes = true
      form.requestSubmit(by)
      passes = false
    })
  }

  /** A button of a group or of a row: crew, crew/2, or what moves a row. */
  function rowButton(what, value) {
    const [row, to] = moveOf(value)
    const group = row.replace(/\/\d+$/, ""), place = what === "add" ? page.session.field(row)?.rows?.length : Number((what === "move" ? to : row).slice(group.length + 1))
    happened(what + " row", row, ...(what === "move" ? [to] : []))
    view.rowFocus(what, group, place)
  }

  // What is told and drawn while the pointer is pressed would move the button away from it.
  const press = presses(on, () => page.session.press(true), () => page.guarded(null, () => {
    page.session.press(false)
    for (const name of left.splice(0)) happened("blur", name)
  }))

  on(root, "input", e => { if (!e.isComposing && mine(e.target) && !isChoice(e.target)) edited(e.target.name) })
  on(root, "compositionend", e => { if (mine(e.target) && !view.following) edited(e.target.name) })
  on(root, "change", e => {
    // Of texts some programs that fill in forms tell nothing but this.
    if (mine(e.target) && (isChoice(e.target) || held.isUntold(e.target.name))) edited(e.target.name)
  })
  on(root, "focusout", e => {
    if (view.following || !mine(e.target)) return
    page.read(e.target.name) // a date that is half typed makes no event
    if (press.pressed) left.push(e.target.name)
    else happened("blur", e.target.name)
  })
  on(document, "click", press.end, true)
  on(form, "click", secondClicks(), true)
  on(form, "submit", e => {
    const by = entered ? null : e.submitter
    const buttons = page.session.snapshot.buttons.map(b => b.name), own = by && buttons.includes(by.value)
    if (by && !own && isForeign(by)) return foreign(e, by)
    e.preventDefault()
    if (by && rowButtons.includes(by.name)) return rowButton(by.name.slice(11), by.value)
    happened("submit", own ? by.value : buttons[0])
  })
  // Enter in a control means the form's first button, whatever stands before it.
  on(root, "keydown", e => {
    entered = e.key === "Enter" && e.target.localName === "input" && !["submit", "button", "image"].includes(e.target.type)
    const list = entered && mine(e.target) && !e.isComposing && listOf(page.session, e.target.name)
    if (!list) return
    e.preventDefault()
    rowButton("add", list)
  }, true)
  for (const over of ["keyup", "pointerdown"]) on(document, over, () => { entered = false }, true)
  on(form, "reset", e => { e.preventDefault(); happened("reset") })
  // Who was let go and is still here, as after a link to a download, goes on.
  const here = () => { if (form.dataset.leanwicketLeave === "gone") happened("returned") }
  on(form, "pointerdown", here, true)
  on(form, "keydown", here, true)
  // A dialog is closed by Escape, and the form in it is left.
  const dialog = form.closest("dialog")
  if (dialog) on(dialog, "cancel", e => {
    if (e.target !== dialog || !page.session.snapshot.guarded) return
    e.preventDefault()
    page.session.leave().then(gone => { if (gone) dialog.close() })
  })
}
