// Made from browser/make/table.go: what the core says, what it is told, and in which order the parts stand. A name
// that ends with ? is a fact, with # a number, and with * a list of words.

export const protocol = "e6d8ccd3"

/**
 * What the core says.
 * @typedef {{
 *   form: {page: string, name: string, title: string, buttons: string[], protocol: string, replaces: boolean, },
 *   declared: {path: string, kind: string, of: string, required: boolean, private: boolean, label: string, unit: string, help: string, placeholder: string, autocomplete: string, options: {raw: string, label: string}[]},
 *   field: {path: string, key: string, asked: boolean, dirty: boolean, touched: boolean, checking: boolean, contested: boolean, raw: string, saved: string, answered: boolean, answer: string, issues: {source: string, code: string, shown: boolean, text: string}[]},
 *   status: {submission: string, prefill: string, leaving: string, unsaved: boolean, guarded: boolean, busy: boolean, locked: boolean, pending: string, receipt: string, reason: string, to: string, },
 *   button: {name: string, holds: string[], why: string, },
 *   issues: {issues: {source: string, code: string, shown: boolean, text: string}[]},
 *   say: {level: string, text: string, about: string, until: string, },
 *   "left out": {path: string, raw: string, },
 *   unreadable: {why: string, },
 *   announce: {text: string, },
 *   focus: {path: string, },
 *   ask: {reason: string, to: string, },
 *   leave: {to: string, kind: string, },
 *   navigate: {to: string, },
 *   guard: {on: boolean, },
 *   keep: {mark: string, text: string, },
 *   fetch: {id: string, kind: string, method: string, url: string, body: string, headers: {name: string, value: string}[]},
 *   abort: {id: string, },
 *   timer: {id: string, after: number, },
 *   stop: {id: string, },
 *   trace: {text: string, },
 *   "turned away": {why: string, },
 *   error: {why: string, },
 * }} Records
 */

/** Each record's parts, and those of the elements behind them with the name of their list. @type {Record<string, string[]>} */
export const records = {
  form: ["page name title buttons* protocol replaces?"],
  declared: ["path kind of required? private? label unit help placeholder autocomplete", "options", "raw label"],
  field: ["path key asked? dirty? touched? checking? contested? raw saved answered? answer", "issues", "source code shown? text"],
  status: ["submission prefill leaving unsaved? guarded? busy? locked? pending receipt reason to"],
  button: ["name holds* why"],
  issues: ["", "issues", "source code shown? text"],
  say: ["level text about until"],
  "left out": ["path raw"],
  unreadable: ["why"],
  announce: ["text"],
  focus: ["path"],
  ask: ["reason to"],
  leave: ["to kind"],
  navigate: ["to"],
  guard: ["on?"],
  keep: ["mark text"],
  fetch: ["id kind method url body", "headers", "name value"],
  abort: ["id"],
  timer: ["id after#"],
  stop: ["id"],
  trace: ["text"],
  "turned away": ["why"],
  error: ["why"],
}

/** What the core is told of a page, its requests and its timers. @type {Record<string, string>} */
export const calls = {
  open: "seed mark kept given defaults",
  answered: "id status# headers from redirected? cut? signedOut?",
  elapsed: "id",
}

/** What goes by what stands in the controls: it is read before. */
export const readers = ["answered", "submit", "cancel", "retry", "reset", "refresh", "add row", "remove row", "move row", "resolve", "leave asked", "leave answered", "returned"]

/** Events after which the applicant has seen what was said until then. */
export const acts = ["edit", "submit", "retry", "reset", "add row", "remove row", "move row"]
