// The line of a session to the core: calls, and the timers and requests that the core asks for.
import { PART, clean } from "./core.js"
import { Requests } from "./requests.js"
import { told } from "./said.js"
import { place } from "./scope.js"
import { protocol } from "./table.js"
import { randomHex } from "./tab.js"

/** @typedef {import("./table.js").Records} Records */

/** Names and values as parts, one after the other. @param {Record<string, string | number> | undefined} named */
const parts = named => Object.entries(named || {}).flat().map(clean).join(PART)

export class Line {
  /** Which session the core takes it for. */
  number = -1
  /** Ends when the record that the application has in hand was told. @type {Promise<void> | undefined} */
  inHand
  /** @type {Map<string, number>} */
  #timers = new Map()

  /**
   * @param {import("./core.js").Core} core
   * @param {Uint8Array} compiled the form
   * @param {import("../leanwicket").OpenOptions} options
   * @param {(what: string, ...texts: (string | Uint8Array)[]) => void} tell is told what comes of timers and requests
   * @param {() => Promise<unknown>} settled waits until what would be lost is kept
   * @param {() => import("../leanwicket").Values} values what the session would send now
   * @param {() => any} sent what it has sent
   */
  constructor(core, compiled, options, tell, settled, values, sent) {
    this.core = core
    this.compiled = compiled
    this.options = options
    this.tell = tell
    this.requests = new Requests(options, settled, values, sent, body => this.tell("prepared", new TextEncoder().encode(body)))
  }

  /** @param {string} what @param {...(string | Uint8Array)} texts @returns {string} what the core says */
  call(what, ...texts) { return this.core(this.number, performance.now(), what, ...texts) }

  /** Tells the core of the form: it says what that declares. */
  read() { return this.core(-1, performance.now(), "read", place().origin, this.compiled) }

  /** Opens in the core, with what an earlier page kept. @param {import("./kept.js").Draft} [earlier] */
  open(earlier) {
    const { given, defaults } = this.options
    return this.call("open", ...told("open", { seed: randomHex(16), mark: earlier?.mark, kept: earlier?.text, given: parts(given), defaults: parts(defaults) }))
  }

  /** Ends the session in the core; nothing that is under way counts any more. */
  close() {
    for (const id of this.#timers.values()) clearTimeout(id)
    this.#timers.clear()
    try { this.call("close") } catch { /* the core has failed */ }
  }

  /**
   * What the core asks for.
   * @type {{[name in keyof Records]?: (record: Records[name]) => void}}
   */
  does = {
    error: ({ why }) => { throw new Error(why) },
    form: form => {
      if (form.protocol !== protocol) throw new Error("the script and the core are of different versions; right would be both from one bundle")
      this.number = Number(form.page)
      this.requests.replaces = form.replaces
    },
    fetch: request => {
      const { number, requests: { record } } = this
      const answered = this.requests.make(request).then(([came, body]) => {
        if (this.number === number) this.tell("answered", ...told("answered", came), body) // else the session has begun again
      })
      if (record && request.kind === "load") this.inHand = answered
    },
    abort: ({ id }) => { this.requests.abort(id) },
    timer: ({ id, after }) => {
      this.#timers.set(id, setTimeout(() => { this.#timers.delete(id); this.tell("elapsed", id) }, after))
    },
    stop: ({ id }) => {
      clearTimeout(this.#timers.get(id))
      this.#timers.delete(id)
    },
  }
}
