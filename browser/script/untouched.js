// What the controls of a page hold that no applicant has put there: values of the markup, what a
// control shows by itself, and what the browser brings back.
import { cameBy, wasShown } from "./tab.js"
import { ticked } from "./values.js"

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

/** Whether a control holds something else than it shows by itself. @param {any} c */
export const isChanged = c => {
  if (c.type === "checkbox" || c.type === "radio") return c.checked !== c.defaultChecked
  if (c.tagName === "SELECT") {
    const own = shownByItself(c)
    return [...c.options].some(o => o.selected !== own.includes(o))
  }
  return c.type !== "file" && c.value !== (c.tagName === "INPUT" ? shown(c) : c.defaultValue ?? c.value)
}

/**
 * What the markup says that the controls of one name hold, as the core reads it. A slider and a colour
 * show something in any case, and what they show is their value.
 * @param {any[]} all
 */
export function markupOf(all) {
  const [c] = all
  if (c.type === "radio") return all.find(r => r.defaultChecked)?.value ?? ""
  if (c.type === "checkbox") return ticked(all, "defaultChecked")
  if (c.options) return [...c.options].filter(o => o.defaultSelected).slice(c.multiple ? 0 : -1).map(o => o.value).join("\n")
  if (c.type === "file") return ""
  return c.tagName === "INPUT" ? shown(c) : c.defaultValue ?? ""
}

/** Whether the browser brings back what stood in the controls: after "back", and after a reload. */
export const broughtBack = ["reload", "back_forward"].includes(cameBy)

/** Whether it can still do so: it does until the page is shown, and without an event. */
export let isComing = broughtBack && !wasShown
addEventListener("pageshow", () => setTimeout(() => { isComing = false }), { once: true })

const touched = new WeakSet()
addEventListener("input", e => { for (const target of e.composedPath()) touched.add(target) }, true)

/**
 * Whether the applicant can have put there what a control holds. An input event before this script
 * is told by the browser alone (Event Timing, section 3).
 * @param {any} c
 */
export function isTouched(c) {
  if (touched.has(c) || c === c.getRootNode().activeElement) return true
  const { eventCounts } = /** @type {any} */ (performance)
  return !broughtBack && (!eventCounts || eventCounts.get("input") > 0)
}
