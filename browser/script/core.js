// The core as WebAssembly: one function, loaded once for all sessions of a document.
import { file } from "./scope.js"

/** Parts of a record end with PART, records with RECORD; neither is in a text. */
export const PART = "\x1f", RECORD = "\x1e"

/** A text without the two ends. @param {unknown} text */
export const clean = text => String(text).replace(/[\x1e\x1f]/g, " ")

/**
 * The core takes a session's number, the time in milliseconds, what happened, texts, and
 * last bytes where there are any. It returns what is to be done, as records.
 * @typedef {(number: number, now: number, what: string, ...texts: (string | Uint8Array)[]) => string} Core
 */

/** @type {Promise<Core> | undefined} */
let core

/** Who has to know that the core has ended. @type {Set<(failed: unknown) => void>} */
export const bereaved = new Set()

/** How much the core may take in bytes before it collects what nobody needs any more. */
const garbage = 1 << 20

/**
 * Loads the core, at the first call.
 * @param {URL | string} at where leanwicket.wasm is
 */
export function load(at) {
  core ??= (async () => {
    const source = await file(at)
    /** @type {RegExp[]} */
    const patterns = []
    /** @param {number} from @param {number} length */
    const text = (from, length) => decoder.decode(new Uint8Array(memory.buffer, from, length))
    const imports = {
      leanwicket: {
        /** @param {number} from @param {number} length */
        pattern(from, length) { try { return patterns.push(new RegExp(text(from, length), "u")) - 1 } catch { return -1 } },
        /** @param {number} pattern @param {number} from @param {number} length */
        matches(pattern, from, length) { return Number(patterns[pattern].test(text(from, length))) },
        now: Date.now,
      },
    }
    const { instance } = source instanceof Uint8Array ? /** @type {any} */ (await WebAssembly.instantiate(source, imports)) : await WebAssembly.instantiateStreaming(source, imports)
    const { memory, begin, room, call, collect } = /** @type {any} */ (instance.exports)
    /** @type {Core} */
    const told = (number, now, what, ...texts) => {
      const parts = [what, ...texts].map(part => typeof part === "string" ? encoder.encode(part) : part)
      if (typeof texts.at(-1) !== "object") parts.push(new Uint8Array()) // the last part is bytes
      collect(garbage)
      const head = [parts.length, ...parts.map(part => part.length)]
      let to = room(parts.reduce((sum, part) => sum + part.length, 4 * head.length))
      new Uint32Array(memory.buffer, to, head.length).set(head)
      to += 4 * head.length
      for (const part of parts) {
        new Uint8Array(memory.buffer, to).set(part)
        to += part.length
      }
      const from = call(number, now)
      return text(from + 4, new Uint32Array(memory.buffer, from, 1)[0])
    }
    begin()
    return (...all) => {
      try { return told(...all) } catch (failed) {
        core = undefined // the next form begins with another one
        for (const ends of [...bereaved]) ends(failed)
        where(failed, at)
        throw failed
      }
    }
  })()
  core.catch(() => { core = undefined }) // the next form tries again
  return core
}

/** Says in the console in which functions the core has failed. @param {any} failed @param {URL | string} at */
async function where(failed, at) {
  const numbers = [...String(failed?.stack).matchAll(/wasm-function\[(\d+)\]/g)].slice(0, 4)
  try {
    const places = (await (await fetch(new URL("leanwicket.places.txt", new URL(at, location.href)))).text()).split("\n")
    console.error("leanwicket: the core has failed in " + numbers.map(([, number]) => places[Number(number)]).join(", called by "))
  } catch { /* the numbers of the functions are in the error */ }
}

const encoder = new TextEncoder(), decoder = new TextDecoder()
