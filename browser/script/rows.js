// The rows of a form as its page shows them, and the focus, which stays with its row.
import { aRow, make } from "./places.js"

/**
 * @param {import("./page.js").Bound} page
 * @param {import("./places.js").Places} places
 * @param {import("./fields.js").FieldsShown} fields
 */
export function rowsOn(page, { form, root, owns, all, target, rowsOf }, fields) {
  const { word } = page.session

  /** A date is typed, or chosen in the browser's own calendar. @param {Iterable<any>} controls */
  function pickers(controls) {
    for (const control of controls) {
      const date = make("input", { type: "date", tabIndex: -1 })
      date.setAttribute("aria-hidden", "true")
      Object.assign(date.style, { position: "absolute", width: "1px", height: "1px", padding: 0, border: 0, opacity: 0, pointerEvents: "none" })
      const button = make("button", { type: "button", className: "leanwicket-pick", textContent: word("calendar") })
      button.setAttribute("aria-label", word("calendar-for", { label: control.dataset.leanwicketPicker }))
      page.on(button, "click", () => {
        if (control.readOnly) return
        date.value = /^\d{4}-\d\d-\d\d$/.test(control.value) ? control.value : ""
        date.showPicker()
      })
      page.on(date, "change", () => {
        if (control.readOnly || !date.value) return
        control.value = date.value
        page.happened("edit", control.name, date.value)
        page.happened("blur", control.name)
        control.focus()
      })
      control.after(button, date)
      page.added.push(button, date)
    }
  }

  /** A row that the page did not have is made of the group's template. */
  function add(group, template, path, k) {
    const row = /** @type {HTMLElement} */ (template.content.firstElementChild.cloneNode(true))
    row.dataset.leanwicketRow = ""
    const flat = path.replaceAll("/", "-")
    // In names, ids and what refers to them * stands for the row, where its group is before it.
    for (const element of [row, .../** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll("*"))]) {
      for (const a of element.attributes) a.value = a.value.replaceAll(path + "/*", path + "/" + k).replaceAll(flat + "-*", flat + "-" + k)
      if ("leanwicketNumber" in element.dataset) element.textContent = String(k + 1)
      if (row.classList.contains("leanwicket-row")) for (const child of element.childNodes) if (child instanceof Text) child.data = child.data.replaceAll("*", String(k + 1))
    }
    if (k === 0) row.querySelector(`[name=leanwicket-move][value="${CSS.escape(path)}/0"]`)?.remove()
    template.before(row)
    pickers(row.querySelectorAll("input[data-leanwicket-picker]"))
  }

  /** The focus stays near a row that goes: on the next one, the previous one, or the button that adds one. */
  function rowFocus(what, path, at) {
    const group = target(path)
    const rows = group ? rowsOf(group) : []
    const row = rows[Math.min(at, rows.length - 1)]
    const to = what === "add" ? row?.querySelector("input:not([type=hidden]), textarea, select") : row?.querySelector(`[name=leanwicket-${what}]`) || row?.querySelector("[name=leanwicket-remove]")
    ;(/** @type {any} */ (to || group?.querySelector("[name=leanwicket-add]")))?.focus()
  }

  pickers(all("input[data-leanwicket-picker]"))
  return {
    rowFocus,
    following: false, // the focus follows its row

    rows({ path, asked, contested, value: count, saved }, issues) {
      const group = target(path)
      if (!group) return
      group.hidden = !asked
      group.toggleAttribute("data-leanwicket-unasked", group.hidden)
      /** @type {any} */
      const number = form.elements.namedItem(path)
      if (number) number.value = String(count)
      const rows = rowsOf(group)
      rows.slice(count).forEach(r => r.remove())
      const template = group.querySelector("template")
      if (!template && count > rows.length) page.lacks(`rows of ${path} have no template`, `a <template> with one row in the element with data-leanwicket-rows="${path}"`)
      for (let k = rows.length; k < count && template; k++) add(group, template, path, k)
      const label = (group.querySelector(":scope > legend, :scope > caption")?.textContent.trim()) || page.session.field(path)?.label || path
      fields.contested(path, contested, count + " × " + label, saved + " × " + label, choice => group.append(choice))
      fields.issues(path, [], group, issues)
    },

    /** The element of a row that has the focus, and the place that the row had before this change. */
    focused(before) {
      /** @type {any} */
      const element = root().activeElement
      const line = element?.closest(aRow)
      if (!line || !owns(line)) return
      const group = before.fields?.find(f => f.kind === "rows" && target(f.path)?.contains(line))
      if (!group) return
      const place = rowsOf(target(group.path)).indexOf(line)
      const called = (e, k) => [e.localName, e.name, ["radio", "checkbox", "submit"].includes(e.type) && e.value].join(" ").replaceAll(group.path + "/" + k, group.path)
      const name = called(element, place)
      const alike = (row, k) => [...row.querySelectorAll(element.localName)].filter(e => called(e, k) === name)
      return { element, path: group.path, place, key: group.rows[place]?.key, alike, index: alike(line, place).indexOf(element), from: element.selectionStart, to: element.selectionEnd }
    },

    /**
     * The focus stays with its row when rows before it have come or gone. The applicant goes on
     * typing in the same answer, and a button that has the focus is still the one of that row.
     */
    follow({ element, path, place, key, alike, index, from, to }) {
      const now = page.session.field(path).rows.findIndex(row => row.key === key)
      if (now === place) return
      if (now < 0) return element.isConnected ? undefined : rowFocus("remove", path, place)
      const twin = alike(rowsOf(target(path))[now], now)[index]
      this.following = true // nobody has left the field
      twin?.focus()
      this.following = false
      if (twin && from != null) twin.setSelectionRange(from, to)
    },
  }
}
