// What the controls of one name hold, as the core reads and writes it.

/** What the core takes for something that was typed and cannot be read: form.HalfTyped. */
export const halfTyped = "\0"

/** The values of the boxes that are ticked, one a line; of a single one without a value: true. @param {any[]} boxes @param {string} now checked, or defaultChecked */
export const ticked = (boxes, now) => boxes.filter(c => c[now]).map(c => boxes.length > 1 || c.hasAttribute("value") ? c.value : "true").join("\n")

/** What the controls of a name hold. @param {any[]} same @returns {string} */
export function rawOf(same) {
  const [first] = same
  if (!first) return ""
  if (first.type === "radio") return same.find(c => c.checked)?.value ?? ""
  if (first.type === "checkbox") return ticked(same, "checked")
  if (first.multiple && first.options) return [...first.selectedOptions].map(o => o.value).join("\n")
  if (first.type === "file") return [...first.files].map(f => f.name).join("\n")
  return first.value === "" && first.validity?.badInput ? halfTyped : first.value
}

/** Writes into the controls of a name, where they hold something else. @param {any[]} same @param {string} value */
export function setRaw(same, value) {
  const values = value.split("\n")
  for (const c of rawOf(same) === value ? [] : same) {
    if (c.type === "radio" || c.type === "checkbox") {
      const checked = same.length > 1 || c.type === "radio" ? values.includes(c.value) : value === "true" || value !== "" && value === c.value
      if (c.checked !== checked) c.checked = checked
    } else if (c.multiple && c.options) {
      for (const o of c.options) o.selected = values.includes(o.value)
    } else if (c.type === "file") {
      if (value === "") c.value = ""
    } else if (c.value !== value || c.validity?.badInput) c.value = value
  }
}

/** Controls of which a choice is taken by the event change. @param {any} c */
export const isChoice = c => ["checkbox", "radio", "file", "select-one", "select-multiple"].includes(c.type)

/** What the value of a button that moves a row says: crew/2 crew/0, or crew/2 alone, which goes one up. @param {string} value @returns {string[]} */
export function moveOf(value) {
  const [row, to = row.replace(/\d+$/, n => String(Number(n) - 1))] = value.split(" ")
  return [row, to]
}

/** What is no answer: buttons, and what only stands among the controls. */
export const noAnswers = ["submit", "button", "reset", "image", "fieldset", "output"]

/**
 * The list to which Enter in a control adds an item: the control is that of its last one, which holds something. Else nothing.
 * @param {import("./session.js").Session} session @param {string} path
 */
export function listOf(session, path) {
  const [, list, item] = /^(.*)\/(\d+)$/.exec(path) || []
  const isLast = list && session.members(list)[0] === list + "/*" && session.field(list)?.rows?.length === Number(item) + 1
  return isLast && session.field(path)?.raw ? list : ""
}
