// Made from browser/make/table.go: what the core says, and what it is told. A name that ends with ? is a fact, and
// with # a number, with = a JSON text.

export const protocol = "f7421f99"

/**
 * What the core says.
 * @typedef {{
 *   table: {text: string, },
 *   form: {page: string, name: string, title: string, buttons: string[], protocol: string, replaces: boolean, },
 *   declared: {path: string, kind: string, of: string, required: boolean, private: boolean, label: string, unit: string, help: string, placeholder: string, autocomplete: string, options: {raw: string, label: string}[]},
 *   words: {words: {name: string, one: string, other: string}[]},
 *   field: {path: string, key: string, asked: boolean, dirty: boolean, touched: boolean, checking: boolean, contested: boolean, raw: string, saved: string, answered: boolean, answer: string, issues: {source: string, code: string, shown: boolean, text: string}[]},
 *   status: {submission: string, prefill: string, leaving: string, unsaved: boolean, guarded: boolean, busy: boolean, locked: boolean, pending: string, receipt: string, reason: string, to: string, changes: number, },
 *   button: {name: string, holds: string[], why: string, },
 *   issues: {issues: {source: string, code: string, shown: boolean, text: string}[]},
 *   say: {level: string, text: string, about: string, until: string, },
 *   "left out": {path: string, raw: string, },
 *   unreadable: {why: string, },
 *   unfit: {paths: string, },
 *   announce: {text: string, },
 *   focus: {path: string, },
 *   ask: {reason: string, to: string, },
 *   leave: {to: string, kind: string, },
 *   navigate: {to: string, },
 *   guard: {on: boolean, },
 *   keep: {mark: string, text: string, },
 *   fetch: {id: string, kind: string, method: string, url: string, body: string, button: string, key: string, version: string, path: string, value: string, prepared: boolean, headers: {name: string, value: string}[]},
 *   values: {values: any, },
 *   attempt: {button: string, key: string, values: any, },
 *   replied: {status: number, location: string, version: string, body: any, },
 *   denied: {kind: string, },
 *   abort: {id: string, },
 *   timer: {id: string, after: number, },
 *   stop: {id: string, },
 *   trace: {text: string, },
 *   "turned away": {why: string, },
 *   error: {why: string, },
 * }} Records
 */

/** What the core is told of a page, its requests and its timers. @type {Record<string, string>} */
export const calls = {
  open: "seed mark kept given defaults",
  answered: "id status# headers from redirected? cut? signedOut? refusal",
  elapsed: "id",
  supply: "version after#",
}

/** What goes by what stands in the controls: it is read before. */
export const readers = ["answered", "supply", "submit", "cancel", "retry", "reset", "refresh", "add row", "remove row", "move row", "resolve", "leave asked", "leave decided", "returned"]

/** Events after which the applicant has seen what was said until then. */
export const acts = ["edit", "submit", "retry", "reset", "add row", "remove row", "move row"]
