// A form that somebody else draws, such as a component library: its controls are attached to a session. What happens to them is told
// to the session, and what the session says is written into them. Nothing is drawn here.
import { attributes } from "./attributes.js"
import { guard, pages } from "./guard.js"
import { openForm as open } from "./module.js"
import { presses, secondClicks } from "./press.js"
import { isChoice, listOf, moveOf, noAnswers, rawOf, setRaw } from "./values.js"

/** @typedef {import("./session.js").Session} Session */

/** What the buttons of a form do that no submit button of the form is, by their names. @type {Record<string, (session: Session, value: string) => void>} */
const buttons = {
  "leanwicket-add": (session, group) => session.addRow(group),
  "leanwicket-remove": (session, row) => session.removeRow(row),
  "leanwicket-move": (session, value) => {
    const [row, to] = moveOf(value)
    session.moveRow(row, to)
  },
  "leanwicket-mine": (session, path) => session.resolve(path, "mine"),
  "leanwicket-theirs": (session, path) => session.resolve(path, "theirs"),
  "leanwicket-decision": (session, decision) => session.decide(/** @type {any} */ (decision)),
  "leanwicket-draft": (session, what) => {
    const { draft, offered: [offer] } = session.snapshot
    if (what === "discard") session.discard(draft ? undefined : offer)
    else if (offer) session.takeOver(offer)
  },
}

/** Whether a control shows something else than it does by itself. @param {any} c */
const isChanged = c => c.options ? [...c.selectedOptions].some(o => !o.defaultSelected && o !== [...c.options].find(first => !first.disabled))
  : c.checked !== c.defaultChecked || c.value !== c.defaultValue

/**
 * Attaches the controls of a form to a session. Returns what ends that.
 * @param {Session} session
 * @param {HTMLFormElement} element
 * @param {(id: string) => import("../leanwicket").Field | undefined} byId the field of a control, by the id that attributesOf has given
 */
function attach(session, element, byId) {
  const ends = new AbortController()
  /** @param {EventTarget} target @param {string} type @param {(e: any) => void} f */
  const on = (target, type, f, capture = true) => target.addEventListener(type, f, { signal: ends.signal, capture })
  const root = () => /** @type {Document | ShadowRoot} */ (element.isConnected ? element.getRootNode() : document)

  /** The path of a control's field. By its id it is the same field still where the name is written a moment later. @param {any} c @returns {string} */
  const pathOf = c => noAnswers.includes(c.type) ? "" : c.id && byId(c.id)?.path || (session.field(c.name) ? c.name : "")
  /** The controls of each path. @returns {Map<string, any[]>} */
  function controls() {
    const all = new Map()
    for (const c of /** @type {Iterable<any>} */ (element.elements)) {
      const path = pathOf(c)
      if (path) all.set(path, [...all.get(path) || [], c])
    }
    return all
  }
  /** What the controls of each path showed when they and the session last agreed, by the first of them. @type {WeakMap<Element, string>} */
  const agreed = new WeakMap()
  /** Which path each control had then. @type {WeakMap<Element, string>} */
  const at = new WeakMap()
  /** The control in which a text is being composed. @type {any} */
  let composing
  /** Names of fields that were left under a pressed pointer. @type {string[]} */
  const left = []
  let entered = false // Enter was pressed in a control
  const isSecond = secondClicks()
  /** Where the focus belongs, until it is there, or the applicant acts. @type {(() => any) | undefined} */
  let wanted

  /** @param {string} path @param {any[]} same */
  function agree(path, same) {
    agreed.set(same[0], rawOf(same))
    for (const c of same) at.set(c, path)
  }

  /** Tells the session what the controls of a path hold. @param {string} path */
  function edited(path, same = controls().get(path)) {
    if (!same) return
    agree(path, same)
    session.edit(path, rawOf(same))
  }

  /** Whether the controls of a path hold what no event has told, as a program that fills in forms leaves it. @param {any[]} same */
  const untold = same => agreed.has(same[0]) && agreed.get(same[0]) !== rawOf(same)

  /** Tells the session what no event has told. */
  function read() {
    for (const [path, same] of controls()) if (untold(same)) edited(path, same)
  }

  /** Writes into the controls of a path what their field holds. @param {string} path @param {any[]} same */
  function write(path, same) {
    if (same.includes(composing)) return
    setRaw(same, session.field(path)?.raw ?? "")
    agree(path, same)
  }

  /** Controls that are new, or are another field's now, get what that holds. */
  function settle() {
    for (const [path, same] of controls()) if (same.some(c => at.get(c) !== path)) write(path, same)
    reach()
  }

  /** @param {string} path @returns {any} */
  function place(path) {
    if (path !== "") return controls().get(path)?.[0] || element.querySelector(`[name=leanwicket-add][value="${CSS.escape(path)}"]`)
    return element.querySelector("[data-leanwicket-summary]") || (element.hasAttribute("tabindex") ? element : element.querySelector("[aria-invalid=true]"))
  }
  /** @param {string} name @param {string} value */
  const button = (name, value) => element.querySelector(`[name=leanwicket-${name}][value="${value}"], [name=leanwicket-${name}][value^="${value} "]`)

  /** @param {() => any} where */
  function want(where) {
    wanted = where
    setTimeout(reach)
  }

  /** Moves the focus where it belongs, as soon as that is drawn. */
  function reach() {
    const to = wanted?.()
    if (!to) return
    to.focus()
    if (root().activeElement !== to) return
    wanted = undefined
    const { left: x, top, width, height } = to.getBoundingClientRect()
    const over = root().elementFromPoint(x + width / 2, top + height / 2)
    if (over && over !== to && !to.contains(over) && !over.contains(to)) to.scrollIntoView({ block: "center" }) // something sticks above it
  }

  /** @param {any} by a button of a row, or its name and value */
  function does(by) {
    const what = by.name.slice(11), value = by.value.split(" ").at(-1), [, group, row] = /^(.*)\/(\d+)$/.exec(value) || ["", value]
    buttons[by.name](session, by.value)
    const rows = session.field(group)?.rows?.length ?? 0
    if (what === "add") want(() => place(session.members(value)[0]?.replace("*", String(rows - 1))))
    if (what === "remove") want(() => rows ? button(what, `${group}/${Math.min(Number(row), rows - 1)}`) : place(group))
    if (what === "move") want(() => button(what, value) || button("remove", value))
  }

  const press = presses(on, () => session.press(true), () => {
    session.press(false)
    for (const path of left.splice(0)) session.blur(path)
  })

  /** What happens to the controls of the form, within it or where they name it. @param {EventTarget} within @param {(c: any) => boolean} mine */
  function listen(within, mine) {
    /** @param {string} type @param {(c: any, path: string) => void} f */
    const told = (type, f) => on(within, type, e => {
      const c = e.target, path = mine(c) ? pathOf(c) : ""
      if (path) f(c, path)
    })
    told("input", (c, path) => { if (c !== composing && !isChoice(c)) edited(path) })
    told("change", (c, path) => { if (isChoice(c) || untold([c])) edited(path) })
    told("compositionstart", c => { composing = c })
    told("compositionend", (_, path) => { composing = undefined; edited(path) })
    told("focusout", (_, path) => {
      read()
      if (press.pressed) left.push(path)
      else session.blur(path)
    })
    on(within, "click", e => {
      const by = e.target.closest?.("button")
      if (!by || !mine(by) || isSecond(e)) return
      if (by.type === "button" && by.name in buttons) does(by)
    })
    for (const type of ["pointerdown", "keydown"]) on(within, type, e => {
      wanted = undefined
      entered = e.key === "Enter" && e.target.localName === "input" && !noAnswers.includes(e.target.type)
      const list = entered && mine(e.target) && !e.isComposing && listOf(session, pathOf(e.target))
      if (!list) return
      e.preventDefault()
      does({ name: "leanwicket-add", value: list })
    })
  }

  listen(element, c => c.form === element)
  /** Controls can stand outside of the form, and name it. What that is within is known when it is connected. */
  let outside = false
  function connected() {
    if (outside || !element.isConnected) return outside
    outside = true
    listen(root(), c => c.form === element && !element.contains(c))
    settle()
    const speaks = element.closest("dialog") || (root() instanceof ShadowRoot ? root() : document.body)
    speaks.append(region)
    return true
  }

  on(document, "click", () => setTimeout(press.end))
  on(element, "keyup", () => { entered = false })
  on(element, "submit", e => {
    e.preventDefault()
    press.end()
    const by = entered ? null : e.submitter
    entered = false
    if (by?.name in buttons) return does(by)
    session.submit(session.snapshot.buttons.find(b => b.name === by?.value)?.name)
  }, false)
  on(element, "reset", e => { e.preventDefault(); session.reset() }, false)
  on(element, "cancel", e => { // Escape in the question at leaving
    if (!e.target.querySelector("[name=leanwicket-decision]")) return
    e.preventDefault()
    session.decide("stay")
  })

  const region = Object.assign(document.createElement("div"), { ariaLive: "polite" })
  region.style.cssText = "position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%);white-space:nowrap"
  /** @param {string} text @param {string} level */
  function say(text, level) {
    region.ariaLive = level
    region.textContent = text
  }

  /** @param {import("../leanwicket").Change} change */
  function update({ fields, before }) {
    const all = controls()
    for (const { path } of fields) {
      const same = all.get(path)
      if (same && !untold(same)) write(path, same)
    }
    const { said, leaving } = session.snapshot
    if (said && said !== before.said) say(said.text, said.level)
    if (leaving === "present") guard.stays(page)
    reach()
  }

  const page = { session, form: element, get alive() { return session.alive && !ends.signal.aborted } }
  pages.push(page)
  on(session, "focus", ({ detail }) => want(() => place(detail)))
  on(session, "announced", ({ detail }) => say(detail, "polite"))
  on(session, "left", ({ detail }) => { if (detail.kind === "inside") guard.agrees(page) })
  const unobserve = session.observe(update)
  const drawn = new MutationObserver(settle)
  drawn.observe(element, { childList: true, subtree: true, attributeFilter: ["name", "id"] })
  const reads = session.reads
  session.reads = () => { reads(); read() }

  element.noValidate = true
  // What was typed before the form was attached stays. Nobody tells of it but the browser (Event Timing, section 3).
  const { eventCounts } = /** @type {any} */ (performance)
  for (const [path, same] of controls()) {
    const isTyped = same.includes(root().activeElement) || eventCounts?.get("input") > 0 && same.some(isChanged)
    if (isTyped && rawOf(same) !== session.field(path)?.raw) edited(path, same)
  }
  settle()
  const waits = () => { if (!ends.signal.aborted && !connected()) requestAnimationFrame(waits) }
  waits()

  return () => {
    ends.abort()
    unobserve()
    drawn.disconnect()
    region.remove()
    session.reads = reads
    pages.splice(pages.indexOf(page), 1)
  }
}

/** @type {typeof import("../leanwicket.attach").openForm} */
export const openForm = async (source, options) => {
  const session = /** @type {any} */ (await open(source, options))
  const { attributesOf, byId } = attributes(session, options?.keep?.name)
  /** What ends each form that is attached. @type {Map<HTMLFormElement, () => void>} */
  const attached = new Map()
  const end = (/** @type {HTMLFormElement} */ form) => { attached.get(form)?.(); attached.delete(form) }
  return Object.assign(session, {
    attributesOf,
    /** @param {HTMLFormElement | null} form null, as a component library says it: what was attached is gone */
    attach(form) {
      if (!form) return void [...attached.keys()].forEach(end)
      if (!attached.has(form)) attached.set(form, attach(session, form, byId))
      return () => end(form)
    },
  })
}
