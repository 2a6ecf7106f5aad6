// One step of a session: what the core has said makes the next snapshot.
import { Fields, saying, same } from "./snapshot.js"

/** @typedef {import("../leanwicket").Snapshot} Snapshot */
/** @typedef {import("./table.js").Records} Records */

/** The snapshot before the core has said anything. @param {boolean} keeps @returns {Snapshot} */
export const empty = keeps => same(undefined, /** @type {Snapshot} */ ({
  form: "", title: "", buttons: [], fields: [], issues: [], sent: undefined, denied: "", said: undefined, pending: "", submission: "idle", prefill: "none",
  leaving: "present", question: undefined, receipt: undefined, unsaved: false, guarded: false, leftOut: [], busy: false, locked: false,
  draft: undefined, offered: [], keeps,
}))

export class Step {
  /** What happened once: events of the session. @type {[type: string, detail: any][]} */
  events = []
  /** The paths of the fields that were told. @type {string[]} */
  told = []

  /**
   * @param {Snapshot} before
   * @param {Fields} fields
   * @param {(name: string, more?: Record<string, number>) => string} word
   * @param {Records["attempt"] | undefined} attempt the one that is under way
   */
  constructor(before, fields, word, attempt) {
    this.before = before
    this.attempt = attempt
    /** What came for it. @type {Records["replied"] | undefined} */
    this.replied = undefined
    this.fields = fields
    this.word = word
    /** The next snapshot. @type {any} */
    this.now = { ...before, buttons: [...before.buttons] }
  }

  /**
   * What each record changes. Those of other names ask for something.
   * @type {{[name in keyof Records]?: (record: Records[name]) => void}}
   */
  does = {
    form: ({ name, title, buttons }) => {
      const closed = buttons.map(button => ({ name: button, holds: [], why: "" }))
      Object.assign(this.now, { form: name, title, leftOut: [], buttons: closed })
    },
    declared: field => this.fields.declare(field),
    field: field => { this.told.push(this.fields.take(field).path) },
    issues: ({ issues }) => { this.now.issues = issues },
    button: button => {
      const { buttons } = this.now
      buttons[buttons.findIndex((/** @type {any} */ b) => b.name === button.name)] = button
    },
    status: ({ reason, to, receipt, ...status }) => {
      Object.assign(this.now, status, { receipt: receipt || undefined, question: status.leaving === "asking" ? { reason, to } : undefined })
    },
    say: ({ level, text, about, until }) => {
      const first = this.now.said === this.before.said ? undefined : this.now.said // at the opening there can be two
      this.now.said = { level, text: first ? first.text + " " + text : text, about, until, count: (this.before.said?.count || 0) + 1 }
    },
    attempt: attempt => {
      this.attempt = attempt.values && same(undefined, attempt)
      this.now.sent = this.attempt?.values
    },
    denied: ({ kind }) => { this.now.denied = kind },
    replied: replied => { this.replied = replied },
    "left out": left => { this.now.leftOut = [...this.now.leftOut, left] },
    announce: ({ text }) => { this.events.push(["announced", text]) },
    focus: ({ path }) => { this.events.push(["focus", path]) },
    ask: question => { this.events.push(["question", question]) },
    leave: left => { this.events.push(["left", left]) },
    navigate: ({ to }) => { this.events.push(["navigate", to]) },
  }

  /** The snapshot that the step has made. @param {string} [act] what the applicant did */
  end(act) {
    const { before, now, fields } = this
    if (fields.settle()) now.fields = fields.list
    if (before.prefill === "loading" && now.prefill === "ready" && now.submission === "outdated" && now.said === before.said) now.said = this.#newest()
    // What was denied is so until it is asked again.
    if (now.denied === "load" ? now.prefill === "loading" : now.submission !== "denied" && now.submission !== "unsettled") now.denied = ""
    // A draft that is back is told of until it is saved or taken back.
    if (now.draft && !now.unsaved && now.prefill !== "loading" && act) now.draft = undefined
    return same(before, /** @type {Snapshot} */ (now))
  }

  /** After a record was changed elsewhere: that its newest answers are there, and what is to be done. */
  #newest() {
    const count = this.fields.all().filter(f => f.contested).length
    return saying(this.before, this.word(count ? "newest-contested" : "newest", { count }))
  }
}
