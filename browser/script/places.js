// Where the parts of a form stand on the page: its controls, and what the page has marked.

import { noAnswers } from "./values.js"

/** What is a row of a group. */
export const aRow = ".leanwicket-row, [data-leanwicket-row]"

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

/** @typedef {ReturnType<typeof placesOf>} Places */

/**
 * @param {HTMLFormElement} element
 * @param {number} number which of the forms of this document it is
 */
export function placesOf(element, number) {
  const form = plain(element)
  // A server's form says by its id what its other ids begin with. Of other forms all but the
  // first have a number.
  const written = /^(leanwicket-(?:.+-)?)form$/.exec(form.id)
  const prefix = written?.[1] ?? "leanwicket-" + (number ? number + "-" : "")

  /** The document, or the shadow root, in which the form stands. @returns {any} */
  const root = () => form.getRootNode()

  /** Whether an element is one of the form's: it stands in the form, or names it. @param {any} e */
  function owns(e) {
    if (form.contains(e)) return true
    const { id } = form, named = id && `[form="${CSS.escape(id)}"]`
    return Boolean(named && (e.matches(named) || e.querySelector(named) || e.querySelector("template")?.content.querySelector(named)))
  }

  /** The elements of the form that a selector finds; those that stand elsewhere come last. @param {string} selector @returns {HTMLElement[]} */
  function all(selector) {
    const elsewhere = form.id && root().querySelector(`[form="${CSS.escape(form.id)}"]`) ? [...root().querySelectorAll(selector)] : []
    return [...form.querySelectorAll(selector), ...elsewhere.filter(e => !form.contains(e) && owns(e))]
  }

  /** @param {string} selector @returns {HTMLElement | undefined} */
  const first = selector => form.querySelector(selector) ?? all(selector)[0]

  /** The element of the form that the page has marked for a path. @param {string} what @param {string} path */
  const marked = (what, path) => first(`[data-leanwicket-${what}="${CSS.escape(path)}"]`)

  /** The element of a group: marked, or as it is written by a server. @param {string} path */
  const target = path => marked("rows", path) || first("#" + CSS.escape("leanwicket-" + path.replaceAll("/", "-")))

  /**
   * The controls of a name, or all of them: of any kind, which type tells.
   * @param {string} [name]
   * @returns {any[]}
   */
  function controls(name) {
    /** @type {any} */
    let found = form.elements
    if (name !== undefined) {
      const named = found.namedItem(name) // by name or id; found without a walk over the form
      found = named instanceof RadioNodeList ? named : named ? [named] : []
    }
    found = [...found].filter(c => c.name && !c.name.startsWith("leanwicket-") && !noAnswers.includes(c.type) && (name === undefined || c.name === name))
    const seen = found.filter((/** @type {any} */ c) => c.type !== "hidden") // beside them a hidden one is for pages without script
    return name !== undefined && seen.length ? seen : found
  }

  /** Whether an element has no controls but those of a field. @param {any} e @param {string} path */
  const alone = (e, path) => [...e.querySelectorAll("input:not([type=hidden]), select, textarea, button[type=submit]")].every(c => c.name === path)

  /**
   * The box of a field: what the page has marked, else what stands around the control, as
   * far as it has no other control.
   * @param {string} path
   */
  function box(path) {
    const control = controls(path)[0]
    const found = marked("field", path) || control?.closest("[data-leanwicket-field], .leanwicket-field")
    if (found || !control) return found
    let around = control.parentElement
    const stops = [element, document.body, null]
    if (stops.includes(around)) return undefined // it stands for itself
    for (let k = 0; k < 2 && !around.matches(aRow) && !stops.includes(around.parentElement) && alone(around.parentElement, path); k++) around = around.parentElement
    return around
  }

  /**
   * Puts something below a control: never into a label, and not among the parts of a grid,
   * but within a cell of a table.
   * @param {Element} e @param {Element} at
   */
  function beside(e, at) {
    let after = at.closest("label") || at
    while (after.parentElement && after.parentElement !== element && !after.parentElement.matches("td, th") && /grid|flex/.test(getComputedStyle(after.parentElement).display)) after = after.parentElement
    after.after(e)
  }

  /** The rows of a group that are on the page. @param {Element} group */
  function rowsOf(group) {
    const template = group.querySelector("template")
    return [...(template ? /** @type {Element} */ (template.parentElement) : group).children].filter(e => e.matches(aRow))
  }

  /** The id of a field's or a group's part. @param {string} path */
  const id = path => prefix + path.replaceAll("/", "-")

  return { element, form, written: Boolean(written), prefix, root, owns, all, first, marked, target, controls, box, beside, rowsOf, id }
}

/**
 * A new element.
 * @template {keyof HTMLElementTagNameMap} Name
 * @param {Name} name
 * @param {Partial<Omit<HTMLElementTagNameMap[Name], "style">>} [properties]
 * @returns {HTMLElementTagNameMap[Name]}
 */
export const make = (name, properties) => Object.assign(document.createElement(name), properties)
