// What the controls of a form hold, beside what its session has.
import { isChanged, isComing, isTouched, markupOf } from "./untouched.js"
import { rawOf, setRaw } from "./values.js"

/** @typedef {ReturnType<typeof controlsOf>} Controls */

/** @param {import("./places.js").Places} places */
export function controlsOf({ controls, all, rowsOf }) {
  /** What was typed and has to wait: nothing can be edited, or the saved answers are still to come. @type {Map<string, string>} */
  const early = new Map()
  /** What the controls showed when the core and they last agreed, by the first control of each name. @type {WeakMap<Element, string>} */
  const held = new WeakMap()
  /** What gives back each control that is locked. @type {(() => void)[]} */
  const unlocks = []

  /** The names of all controls. @returns {Set<string>} */
  const names = () => new Set(controls().map(c => c.name))

  /** What the controls of a name hold, as the core reads it. @param {string} name @returns {string} */
  const raw = name => rawOf(controls(name))

  /** The core knows what the controls of a name hold. @param {string} name */
  function agree(name, now = raw(name)) {
    const [first] = controls(name)
    if (first) held.set(first, now)
  }

  /** @param {string} name @param {string} value */
  function set(name, value) {
    setRaw(controls(name), value)
    agree(name)
  }

  return {
    early, names, raw, agree, set,
    locked: false,
    /** The saved answers are on their way, and nothing is sent before. */
    awaiting: false,

    /** What the controls hold that differs from what they show by themselves. */
    changed: () => new Map([...new Set(controls().filter(isChanged).map(c => c.name))].map(name => [name, raw(name)])),

    /** What the markup has: where nothing is loaded, this is the opening. Rows that the markup has are rows of the opening. @returns {Record<string, string>} */
    markup() {
      const values = [...names()].map(name => [name, markupOf(controls(name))]).filter(([, value]) => value !== "")
      const rows = all("[data-leanwicket-rows]").map(group => [group.dataset.leanwicketRows, String(rowsOf(group).length)]).filter(([, count]) => count !== "0")
      return Object.fromEntries([...values, ...rows])
    },

    /** Whether the controls of a name hold what the core was never told of: no event came with it. @param {string} name */
    isUntold(name) {
      const same = controls(name), [first] = same
      const before = first && held.get(first)
      if (before === undefined || before === raw(name)) return false
      if (first.options && !isChanged(first)) return false // its options are other ones now
      return !isComing || same.some(isTouched)
    },

    /** Puts something into controls that the core has not been told of. @param {string} name @param {string} value */
    put(name, value) {
      const before = held.get(controls(name)[0])
      set(name, value)
      agree(name, before ?? "")
    },

    /** What a person reads of a control's value: of options their labels. @param {any[]} same @param {string} value */
    readable(same, value) {
      if (same[0].type === "password") return ""
      const chosen = same.flatMap(c => c.options ? [...c.selectedOptions] : c.type === "radio" || c.type === "checkbox" && same.length > 1 ? c.checked ? [c.labels[0] || c] : [] : [])
      return chosen.map(c => c.textContent.trim() || c.value).join(", ") || value
    },

    /** A locked control keeps focus and value, and takes no typing. @param {boolean} locked */
    lock(locked) {
      if (this.locked === locked) return
      this.locked = locked
      for (const unlock of unlocks.splice(0)) unlock()
      for (const c of locked ? controls() : []) {
        if ("readOnly" in c && !["checkbox", "radio", "file"].includes(c.type)) {
          if (c.readOnly) continue // the page's own
          c.readOnly = true
          unlocks.push(() => { c.readOnly = false })
        } else if (!c.ariaDisabled) {
          c.ariaDisabled = "true"
          unlocks.push(() => c.removeAttribute("aria-disabled"))
        }
      }
    },
  }
}
