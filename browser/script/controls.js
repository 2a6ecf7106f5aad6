// What the controls of a form hold.

// The options that a list shows while nobody has chosen: those that the markup selects, and in a list of one line else
// the first that can be chosen (HTML, section 4.10.7).
const shownByItself = list => {
  const all = [...list.options], selected = all.filter(o => o.defaultSelected)
  if (list.multiple) return selected
  if (selected.length || list.size > 1) return selected.slice(-1)
  return all.filter(o => !o.disabled && !o.parentElement.disabled).slice(0, 1)
}

// What an input shows while nobody has changed it: its type makes a value of what the markup has, or of nothing, as a
// slider's middle (HTML, section 4.10.5.1).
const shown = input => {
  const like = document.createElement("input")
  for (const name of ["min", "max", "step", "multiple", "value", "type"]) if (input.hasAttribute(name)) like.setAttribute(name, input.getAttribute(name))
  return like.value
}

// Whether a control holds something else than it shows by itself.
const isChanged = c => {
  if (c.type === "checkbox" || c.type === "radio") return c.checked !== c.defaultChecked
  if (c.tagName === "SELECT") {
    const own = shownByItself(c)
    return [...c.options].some(o => o.selected !== own.includes(o))
  }
  return c.type !== "file" && c.value !== (c.tagName === "INPUT" ? shown(c) : c.defaultValue)
}

export class Controls {
  /** The values that were typed before the form was bound, until its fields can be edited. @type {Map<string, string> | undefined} */
  early
  locked = false
  /** What the core holds, by path. @type {Map<string, string>} */
  held = new Map()

  /** @type {import("./session.js").Session} */
  session
  ends = new AbortController()

  /** @param {HTMLFormElement} form */
  constructor(form) { this.form = form }

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
    if (what === "edit") this.held.set(texts[0], texts[1])
    this.session.tell(what, ...texts)
  }

  // What was typed before the script arrived.
  typedBefore() {
    const typed = new Map()
    for (const c of this.controls()) if (isChanged(c)) typed.set(c.name, this.raw(c.name))
    return typed
  }

  // It is taken when the fields can be edited.
  takeEarly() {
    if (this.locked || !this.early) return
    const typed = this.early
    this.early = undefined
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
    return [...all].filter(c => c.name && !c.name.startsWith("leanwicket-") && c.type !== "hidden" && c.type !== "submit" && c.type !== "button" && (name === undefined || c.name === name))
  }

  // What the controls of a name hold, as the core reads it.
  raw(name) {
    const all = this.controls(name)
    if (all.length === 0) return ""
    if (all[0].type === "radio") return (all.find(c => c.checked) || { value: "" }).value
    if (all[0].type === "checkbox") return all.filter(c => c.checked).map(c => all.length > 1 || c.hasAttribute("value") ? c.value : "true").join("\n")
    if (all[0].multiple && all[0].options) return [...all[0].selectedOptions].map(o => o.value).join("\n")
    if (all[0].type === "file") return [...all[0].files].map(f => f.name).join("\n")
    return all[0].value
  }

  set(name, raw) {
    this.held.set(name, raw)
    const all = this.controls(name)
    const values = raw.split("\n")
    for (const c of all) {
      if (c.type === "radio" || c.type === "checkbox") {
        const checked = all.length > 1 || c.type === "radio" ? values.includes(c.value) : raw === "true" || raw !== "" && raw === c.value
        if (c.checked !== checked) c.checked = checked
      } else if (c.multiple && c.options) {
        for (const o of c.options) o.selected = values.includes(o.value)
      } else if (c.type === "file") {
        if (raw === "") c.value = ""
      } else if (c.value !== raw) c.value = raw
    }
  }

  // A locked control keeps focus and value, and takes no typing.
  lock(locked) {
    if (this.locked === locked) return
    this.locked = locked
    for (const c of this.controls()) {
      if ("readOnly" in c && c.type !== "checkbox" && c.type !== "radio" && c.type !== "file") c.readOnly = locked
      else if (locked) c.setAttribute("aria-disabled", "true")
      else c.removeAttribute("aria-disabled")
    }
  }
}
