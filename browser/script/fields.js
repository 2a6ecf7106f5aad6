// The fields of a form as its page shows them: values, marks, issues, and the two sides of what
// is contested.
import { make } from "./places.js"
import { isTouched, markupOf } from "./untouched.js"

/** @typedef {ReturnType<typeof fieldsOf>} FieldsShown */

/**
 * @param {import("./page.js").Bound} page
 * @param {import("./places.js").Places} places
 * @param {import("./controls.js").Controls} held
 */
export function fieldsOf(page, { form, controls, marked, box: boxOf, beside, id: idOf }, held) {
  const { word } = page.session
  /** The issues that show, by path. @type {Map<string, string[]>} */
  const shown = new Map()
  /** The issues of each field, by id. @type {Map<string, HTMLElement>} */
  const lists = new Map()
  /** The two values of what is contested, by path. @type {Map<string, HTMLElement>} */
  const choices = new Map()

  /** The issues of a field: a list that its controls are described by. */
  function issues(path, all, box, texts) {
    shown.set(path, texts)
    const id = idOf(path) + "-issues"
    let list = lists.get(id)
    if (!list?.isConnected) list = form.querySelector("#" + CSS.escape(id))
    if (!list && !texts.length) return
    if (!list) {
      list = make("ul", { id, className: "leanwicket-issues" })
      const place = marked("issues", path)
      if (place) place.replaceChildren(list)
      else if (!all.length) (box?.querySelector(":scope > legend, :scope > caption")?.after(list), box && !list.isConnected && box.prepend(list))
      else if (box?.classList.contains("leanwicket-field")) (box.querySelector(":scope > fieldset") || box).append(list)
      else beside(list, all.at(-1))
      page.added.push(list)
      lists.set(id, list)
    }
    list.replaceChildren(...texts.map(textContent => make("li", { textContent })))
    list.hidden = !texts.length
    box?.classList.toggle("leanwicket-wrong", texts.length > 0)
    for (const c of all) {
      const ids = (c.getAttribute("aria-describedby") || "").split(" ").filter(i => i && i !== id)
      if (texts.length) { c.setAttribute("aria-invalid", "true"); ids.push(id) } else c.removeAttribute("aria-invalid")
      if (ids.length) c.setAttribute("aria-describedby", ids.join(" "))
      else c.removeAttribute("aria-describedby")
    }
  }

  /** A contested field shows both values, and asks which one is to stand. */
  function contested(path, is, mine, theirs, put) {
    let choice = choices.get(path)
    if (!is) return choice?.remove()
    if (!choice?.isConnected) {
      choice = make("div", { className: "leanwicket-choice" })
      for (const [which, title, label] of [["mine", word("yours"), word("keep-mine")], ["theirs", word("saved-meanwhile"), word("take-theirs")]]) {
        const b = make("button", { type: "button", name: "leanwicket-" + which, value: path, textContent: label })
        page.on(b, "click", () => page.happened("resolve", path, which))
        const side = make("div")
        side.append(make("strong", { textContent: title }), make("span"), b)
        choice.append(side)
      }
      put(choice)
      choices.set(path, choice)
    }
    const [yours, saved] = choice.querySelectorAll("span")
    yours.textContent = mine || word("nothing")
    saved.textContent = theirs || word("nothing")
  }

  return {
    shown, issues, contested,

    field({ path, asked, checking, contested: is, dirty, raw, saved }, texts) {
      const all = controls(path)
      if (!all.length) return shown.set(path, texts)
      if (held.awaiting && !dirty) held.agree(path, markupOf(all)) // what the markup has stands until the saved answers are there
      else held.set(path, raw)
      const box = boxOf(path)
      for (const part of box ? [box] : all.flatMap(c => [c, ...c.labels ?? []])) {
        part.hidden = !asked
        part.toggleAttribute("data-leanwicket-unasked", part.hidden)
        part.toggleAttribute("data-leanwicket-checking", checking)
        part.toggleAttribute("data-leanwicket-contested", is)
      }
      contested(path, is, held.readable(all, raw), saved, choice => box ? box.append(choice) : beside(choice, all.at(-1)))
      issues(path, all, box, texts)
    },

    /** Writes into controls that nobody has touched what their field holds, or what the markup has while the saved answers are to come. */
    write({ path, dirty, raw }) {
      const all = controls(path)
      if (all.length && !all.some(isTouched)) held.set(path, held.awaiting && !dirty ? markupOf(all) : raw)
    },

    /** Takes from the page what was put there. */
    end() {
      for (const choice of choices.values()) choice.remove()
      for (const c of controls()) {
        c.removeAttribute("aria-invalid")
        const ids = (c.getAttribute("aria-describedby") || "").split(" ").filter(id => document.getElementById(id))
        if (ids.length) c.setAttribute("aria-describedby", ids.join(" "))
        else c.removeAttribute("aria-describedby")
      }
    },
  }
}
