// The requests of a session, with what the application adds to them.
import { bodyOf, describe, warnOfHidden } from "./received.js"

/** @typedef {import("./table.js").Records["fetch"]} Fetch */

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
   */
  constructor(options, kept) {
    this.options = options
    this.kept = kept
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
    try {
      const response = await this.#ask(request, { signal })
      if (kind === "load" && this.replaces) warnOfHidden(response)
      const { bytes, cut } = await bodyOf(response)
      ends.abort() // the rest of a long body is not wanted: its connection ends
      return [{ id, cut, ...describe(response) }, bytes]
    } catch {
      return [{ id, status: 0, signedOut: !signal.aborted && await this.#redirects() }, new Uint8Array()]
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
    if (!this.#newestLoad) return false
    try { return (await this.#ask(this.#newestLoad, { signal: AbortSignal.timeout(10000), redirect: "manual" })).type === "opaqueredirect" } catch { return false }
  }
}
