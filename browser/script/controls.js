// What the controls of a form hold.
import { isChanged, isComing, isTouched, markupOf, ticked } from "./untouched.js"

/** What the core takes for something that was typed and cannot be read: form.HalfTyped. */
export const halfTyped = "\0"

/**
 * A form whose controls take no name from it: form.elements is a control where one is called
 * elements (HTML, section 4.10.3).
 * @param {HTMLFormElement} form
 * @returns {HTMLFormElement}
 */
export const plain = form => new Proxy(form, {
  get(_, name) {
    const value = Reflect.get(HTMLFormElement.prototype, name, form)
    return typeof value === "function" ? value.bind(form) : value
  },
  set: (_, name, value) => Reflect.set(HTMLFormElement.prototype, name, value, form),
})

// What is no answer: buttons, and what only stands among the controls.
const none = ["submit", "button", "reset", "image", "fieldset", "output"]

export class Controls {
  /** What was typed and has to wait: nothing can be edited, or the saved answers are still to come. @type {Map<string, string>} */
  early = new Map()
  locked = false
  awaiting = false // the saved answers are on their way, and nothing is sent before
  /** What gives back each control that is locked. @type {(() => void)[]} */
  unlocks = []
  /** What the controls showed when the core and they last agreed, by the first control of each name. @type {WeakMap<Element, string>} */
  held = new WeakMap()

  /** @type {import("./session.js").Session} */
  session
  ends = new AbortController()

  /** @param {HTMLFormElement} form */
  constructor(form) {
    this.element = form
    this.form = plain(form)
  }

  /** The document, or the shadow root, in which the form stands. @returns {any} */
  get root() { return this.form.getRootNode() }

  /** Whether an element is one of the form's: it stands in the form, or names it. @param {any} e */
  owns(e) {
    if (this.form.contains(e)) return true
    const { id } = this.form, named = id && `[form="${CSS.escape(id)}"]`
    return Boolean(named && (e.matches(named) || e.querySelector(named) || e.querySelector("template")?.content.querySelector(named)))
  }

  /** @param {any} event @param {(event: any) => void} f */
  guarded(event, f) {
    try { f(event) } catch (failed) { this.giveUp(failed) }
  }

  /** What is here fails: see Page. @param {unknown} failed */
  giveUp(failed) { throw failed }

  get alive() { return Boolean(this.session) && !this.ends.signal.aborted }

  /** Tells the session. @param {string} what @param {...string} texts */
  happened(what, ...texts) {
    if (!this.alive) return
    if (what === "edit") {
      const [name, raw] = texts
      this.agree(name)
      this.early.delete(name)
      // Who empties what the markup shows means the saved answer, which is still on its way.
      if (this.awaiting && this.session.field(name)?.raw === raw) return void this.early.set(name, raw)
    }
    this.session.tell(what, ...texts)
  }

  /** The core knows what the controls of a name hold. @param {string} name */
  agree(name, raw = this.raw(name)) {
    const [first] = this.controls(name)
    if (first) this.held.set(first, raw)
  }

  /** The names of all controls. @returns {Set<string>} */
  names() { return new Set(this.controls().map(c => c.name)) }

  /** What the controls hold that differs from what they show by themselves. */
  changed() {
    return new Map([...new Set(this.controls().filter(isChanged).map(c => c.name))].map(name => [name, this.raw(name)]))
  }

  /** What the markup says that the controls hold: where nothing is loaded, these are the defaults of the opening. */
  markup() {
    return Object.fromEntries([...this.names()].map(name => [name, markupOf(this.controls(name))]).filter(([, raw]) => raw !== ""))
  }

  /** Whether the controls of a name hold what the core was never told of: no event came with it. @param {string} name */
  isUntold(name) {
    const all = this.controls(name), [first] = all
    const before = first && this.held.get(first)
    if (before === undefined || before === this.raw(name)) return false
    if (first.options && !isChanged(first)) return false // its options are other ones now
    return !isComing || all.some(isTouched)
  }

  /** Tells the core what stands in the controls, before anything happens that goes by it. */
  reads() { for (const name of this.names()) this.read(name) }

  /** @param {string} name */
  read(name) {
    if (!this.isUntold(name)) return
    if (this.locked) this.early.set(name, this.raw(name))
    else this.happened("edit", name, this.raw(name))
  }

  // What was typed early is taken when the fields can be edited.
  takeEarly() {
    if (this.locked || !this.early.size) return
    const typed = [...this.early]
    this.early.clear()
    for (const [path, raw] of typed) this.happened("edit", path, raw)
  }

  /**
   * The controls of a name, or all of them: of any kind, which type tells.
   * @param {string} [name]
   * @returns {any[]}
   */
  controls(name) {
    /** @type {any} */
    let all = this.form.elements
    if (name !== undefined) {
      const named = all.namedItem(name) // by name or id; found without a walk over the form
      all = named instanceof RadioNodeList ? named : named ? [named] : []
    }
    all = [...all].filter(c => c.name && !c.name.startsWith("leanwicket-") && !none.includes(c.type) && (name === undefined || c.name === name))
    const seen = all.filter(c => c.type !== "hidden") // beside them a hidden one is for pages without script
    return name !== undefined && seen.length ? seen : all
  }

  // What the controls of a name hold, as the core reads it.
  raw(name) {
    const all = this.controls(name), [first] = all
    if (!first) return ""
    if (first.type === "radio") return all.find(c => c.checked)?.value ?? ""
    if (first.type === "checkbox") return ticked(all, "checked")
    if (first.multiple && first.options) return [...first.selectedOptions].map(o => o.value).join("\n")
    if (first.type === "file") return [...first.files].map(f => f.name).join("\n")
    return first.value === "" && first.validity?.badInput ? halfTyped : first.value
  }

  // Puts something into controls that the core has not been told of.
  put(name, raw) {
    const before = this.held.get(this.controls(name)[0])
    this.set(name, raw)
    this.agree(name, before ?? "")
  }

  set(name, raw) {
    const all = this.controls(name)
    const values = raw.split("\n")
    for (const c of this.raw(name) === raw ? [] : all) {
      if (c.type === "radio" || c.type === "checkbox") {
        const checked = all.length > 1 || c.type === "radio" ? values.includes(c.value) : raw === "true" || raw !== "" && raw === c.value
        if (c.checked !== checked) c.checked = checked
      } else if (c.multiple && c.options) {
        for (const o of c.options) o.selected = values.includes(o.value)
      } else if (c.type === "file") {
        if (raw === "") c.value = ""
      } else if (c.value !== raw || c.validity?.badInput) c.value = raw
    }
    this.agree(name)
  }

  // A locked control keeps focus and value, and takes no typing.
  lock(locked) {
    if (this.locked === locked) return
    this.locked = locked
    for (const unlock of this.unlocks.splice(0)) unlock()
    for (const c of locked ? this.controls() : []) {
      if ("readOnly" in c && !["checkbox", "radio", "file"].includes(c.type)) {
        if (c.readOnly) continue // the page's own
        c.readOnly = true
        this.unlocks.push(() => { c.readOnly = false })
      } else if (!c.ariaDisabled) {
        c.ariaDisabled = "true"
        this.unlocks.push(() => c.removeAttribute("aria-disabled"))
      }
    }
  }
}
