// What a form shows of its session: fields, rows, what is said, and the attributes of the form.
import { fieldsOf } from "./fields.js"
import { noticeOf } from "./notice.js"
import { rowsOn } from "./rows.js"

/** The names of the buttons of a row. */
export const rowButtons = ["leanwicket-add", "leanwicket-remove", "leanwicket-move"]

/** @typedef {{act?: string, fields: readonly import("../leanwicket").Field[], before: Partial<import("../leanwicket").Snapshot>}} Changed */

/**
 * @param {import("./page.js").Bound} page
 * @param {import("./places.js").Places} places
 * @param {import("./controls.js").Controls} held
 */
export function viewOf(page, places, held) {
  const { form, controls, all } = places
  const { session } = page
  const fields = fieldsOf(page, places, held)
  const notice = noticeOf(page, places, fields)
  const rows = rowsOn(page, places, fields)
  /** What holds each button, and how that is said. @type {Map<string, string>} */
  const known = new Map()

  function button({ name, holds, why }) {
    const now = holds.join(" ") + why
    if (known.get(name) === now) return
    known.set(name, now)
    for (const b of /** @type {Iterable<any>} */ (form.elements)) {
      if (b.type !== "submit" || b.value !== name || rowButtons.includes(b.name)) continue
      b.toggleAttribute("data-leanwicket-busy", holds.some(h => h === "sending" || h === "checking" || h === "gone"))
      if (holds.length) b.dataset.leanwicketHolds = holds.join(" ")
      else delete b.dataset.leanwicketHolds
      if (why && !holds.includes("invalid")) b.title = why
      else b.removeAttribute("title")
    }
  }

  return {
    ask: notice.ask,
    announce: notice.announce,
    write: fields.write,
    rowFocus: rows.rowFocus,

    /** Whether the focus follows its row: nobody has left a field then. */
    get following() { return rows.following },

    focus(path) {
      notice.focus(path)
      notice.uncover()
    },

    /** @param {Changed} change */
    update({ act, fields: told, before }) {
      const now = session.snapshot
      notice.passes(act)
      const focused = rows.focused(before)
      held.awaiting = now.prefill === "loading" && now.buttons.every(b => b.holds.includes("loading"))
      const came = before.prefill === "loading" && now.prefill !== "loading"
      for (const f of came ? session.everyField() : told) {
        const issues = f.issues.filter(i => i.shown).map(i => i.text)
        if (f.kind === "rows") rows.rows(f, issues)
        else fields.field(f, issues)
      }
      if (focused) rows.follow(focused)
      const state = { leanwicketState: now.submission, leanwicketPrefill: now.prefill, leanwicketLeave: now.leaving }
      for (const name in state) if (form.dataset[name] !== state[name]) form.dataset[name] = state[name]
      form.toggleAttribute("data-leanwicket-unsaved", now.unsaved)
      if (!now.busy && now.prefill !== "loading") form.removeAttribute("aria-busy")
      else if (!form.ariaBusy) form.ariaBusy = "true"
      held.lock(now.locked)
      if (now.leaving !== "asking") notice.asksNoMore()
      for (const b of now.buttons) button(b)
      if (now.said && now.said !== before.said) notice.say(now.said)
      notice.draft()
      notice.refresh()
      notice.uncover()
    },

    /**
     * Looks once, when the form opens, for what the markup lacks. An answer that is always
     * needed and has no control could never be given.
     */
    lacking() {
      const { snapshot } = session
      const paths = session.paths()
      for (const what of ["issues", "field", "rows"]) {
        for (const element of all(`[data-leanwicket-${what}]`)) {
          const path = element.getAttribute("data-leanwicket-" + what) || ""
          if (!paths.includes(path.replace(/\/\d+\//, "/*/"))) page.lacks(`data-leanwicket-${what}="${path}" is of no field of the form`, "one of: " + paths.join(", "))
        }
      }
      for (const f of snapshot.fields) {
        if (f.kind !== "rows" && f.required && f.asked && !controls(f.path).length) page.lacks(`${f.path} has to be answered and has no control`, `a control with name="${f.path}"`)
      }
    },

    end() {
      notice.end()
      fields.end()
    },
  }
}
