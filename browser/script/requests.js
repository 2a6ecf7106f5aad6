// The requests of a session, with what the application adds to them.
import { clean } from "./core.js"
import { bodyOf, describe, given, warnOfHidden } from "./received.js"

/** @typedef {import("./table.js").Records["fetch"]} Fetch */

/**
 * Values as the names and texts of a form: the names are paths.
 * @param {any} value @param {string} [name]
 * @returns {string[][]}
 */
const pairs = (value, name) =>
  value === null || value === undefined || value === false ? [] :
  typeof value !== "object" ? [[name || "", String(value)]] :
  Object.entries(value).flatMap(([key, v]) => pairs(v, Array.isArray(value) && typeof v !== "object" ? name : name ? name + "/" + key : key))

export class Requests {
  /** What is under way, by id. @type {Map<string, AbortController>} */
  #out = new Map()
  /** The newest request for the saved answers. @type {Fetch | undefined} */
  #newestLoad
  /** Whether the form replaces a saved record. */
  replaces = false

  /**
   * @param {import("../leanwicket").OpenOptions} options
   * @param {() => Promise<unknown>} kept waits until what would be lost is kept
   * @param {() => import("../leanwicket").Values} values what the session would send now
   * @param {() => any} sent what it has sent
   * @param {(body: string) => void} prepared is told what the application has made of it
   */
  constructor(options, kept, values, sent, prepared) {
    this.options = options
    this.kept = kept
    this.values = values
    this.sent = sent
    this.prepared = prepared
    /** The record that the application had in hand: it answers the first load. */
    this.record = options.record
  }

  /**
   * The application's own way to answer a request; undefined: it leaves that to the network.
   * @param {Fetch} request @param {AbortSignal} signal
   * @returns {(() => unknown) | undefined}
   */
  #own({ kind, method, url, button, key, version, path, value, body }, signal) {
    const { record, options: { load, check, send } } = this
    if (kind === "load" && record) {
      this.record = undefined
      return () => ({ status: 200, headers: record.version ? { ETag: record.version } : {}, body: record.values })
    }
    if (kind === "load" && !url && !load) return () => new Promise((_, stop) => { signal.onabort = stop }) // it is supplied
    if (kind === "load") return load && (() => load({ signal }))
    if (kind === "check") return check && (() => check({ path, value, values: this.values(), signal }))
    return send && (async () => {
      await this.kept() // who comes back has to know of it
      return send({ method, url, button, key, version, body, values: this.sent(), signal })
    })
  }

  /**
   * A submission with the body that the application makes of it, once: a repeat comes with that body. What the
   * application throws refuses the submission.
   * @param {Fetch} request @param {(values: import("../leanwicket").Values) => object} prepare
   */
  async #prepare(request, prepare) {
    await undefined // until the step that sends has ended
    const isForm = request.headers.some(h => h.value.includes("urlencoded"))
    const made = prepare(isForm ? this.sent() : JSON.parse(request.body))
    if (!made || typeof made !== "object" || "then" in made) throw new TypeError("prepare brings no values; right would be an object, at once")
    const body = isForm ? String(new URLSearchParams([...pairs(made), ...[...new URLSearchParams(request.body)].slice(-1)])) : JSON.stringify(made) // the last pair is the button
    this.prepared(body)
    return { ...request, body }
  }

  /** @param {string} id */
  abort(id) { this.#out.get(id)?.abort() }

  abortAll() {
    for (const request of this.#out.values()) request.abort()
    this.#out.clear()
  }

  /** @param {Fetch} request @param {RequestInit} more */
  async #ask({ kind, method, url, body, headers }, more) {
    const { base = "", credentials = "same-origin", fetch: send = fetch, account } = this.options
    const pairs = new Headers(await this.options.headers?.({ kind: /** @type {any} */ (kind), method, url }) || {})
    for (const { name, value } of headers) pairs.set(name, value)
    if (kind === "send" && account) pairs.set("Leanwicket-Account", account)
    if (kind === "send") await this.kept() // who comes back has to know of it
    return send(url.startsWith("/") ? base + url : url, { method, headers: pairs, body: method === "GET" ? undefined : body, credentials, cache: "no-store", ...more })
  }

  /**
   * Makes a request. The core alone reads what comes of it.
   * @param {Fetch} request
   * @returns {Promise<[parts: Record<string, string | number | boolean>, body: Uint8Array]>}
   */
  async make(request) {
    const { id, kind } = request
    const ends = new AbortController(), { signal } = ends
    this.#out.set(id, ends)
    if (kind === "load") this.#newestLoad = request
    let own
    try {
      if (kind === "send" && this.options.prepare && !request.prepared) request = await this.#prepare(request, this.options.prepare)
    } catch (failed) {
      return [{ id, status: 0, refusal: clean(/** @type {any} */ (failed)?.message || failed) }, new Uint8Array()]
    }
    try {
      own = this.#own(request, signal)
      const [response, from] = given(await (own ? own() : this.#ask(request, { signal })))
      if (kind === "load" && this.replaces) warnOfHidden(response)
      const { bytes, cut } = await bodyOf(response)
      ends.abort() // the rest of a long body is not wanted: its connection ends
      return [{ id, cut, ...describe(response, from) }, bytes]
    } catch (failed) {
      if (own && !signal.aborted) console.error("leanwicket: the application's own " + kind + " has failed:", failed)
      return [{ id, status: 0, signedOut: !own && !signal.aborted && await this.#redirects() }, new Uint8Array()]
    } finally {
      if (this.#out.get(id) === ends) this.#out.delete(id)
    }
  }

  /**
   * Whether the address of the load redirects, as far as that is told within ten seconds. A browser
   * hides a redirect to another site from a page, as if the connection had broken: whoever is
   * sent there has to sign in.
   */
  async #redirects() {
    if (!this.#newestLoad?.url || this.options.load) return false
    try { return (await this.#ask(this.#newestLoad, { signal: AbortSignal.timeout(10000), redirect: "manual" })).type === "opaqueredirect" } catch { return false }
  }
}
