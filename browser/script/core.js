// The core as WebAssembly: one function, loaded once for all sessions of a document.
// @ts-ignore: the toolchain writes it
import "../wasm_exec.js"

/** Parts of a record end with PART, records with RECORD; neither is in a text. */
export const PART = "\x1f", RECORD = "\x1e"

/** A text without the two ends. @param {unknown} text */
export const clean = text => String(text).replace(/[\x1e\x1f]/g, " ")

/**
 * The core takes a session's number, the time in milliseconds, what happened and up to four
 * texts. It returns what is to be done, as records.
 * @typedef {(number: number, now: number, what: string, ...texts: (string | Uint8Array)[]) => string} Core
 */

/** @type {Promise<Core> | undefined} */
let core

/** Who has to know that the core has ended. @type {Set<(failed: Error) => void>} */
export const bereaved = new Set()

/**
 * Loads the core, at the first call.
 * @param {URL | string} at where leanwicket.wasm is
 */
export function load(at) {
  core ??= (async () => {
    const go = new globalThis.Go()
    const source = await fetch(at)
    if (!source.ok) throw new Error(at + ": " + source.status)
    const { instance } = await WebAssembly.instantiateStreaming(source, go.importObject)
    go.run(instance).then(() => bereaved.forEach(told => told(new Error("the core has ended"))))
    return globalThis.leanwicketCore
  })()
  core.catch(() => { core = undefined }) // the next form tries again
  return core
}

/**
 * A body as the core reads it.
 * @param {any} v
 * @param {string[]} parts
 */
export function flat(v, parts = []) {
  if (v === null || v === undefined) parts.push("n")
  else if (v === true) parts.push("t")
  else if (v === false) parts.push("f")
  else if (typeof v === "number") parts.push("d" + v)
  else if (typeof v === "string") parts.push("s" + clean(v))
  else if (Array.isArray(v)) { parts.push("a" + v.length); v.forEach(item => flat(item, parts)) }
  else { const names = Object.keys(v); parts.push("o" + names.length); names.forEach(n => { parts.push(clean(n)); flat(v[n], parts) }) }
  return parts
}
