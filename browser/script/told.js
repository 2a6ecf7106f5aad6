// Who is told of a session, and in which words.
import { report } from "./scope.js"

/** @typedef {import("../leanwicket").Change} Change */

/** Those who are called back after each step. */
export class Observers {
  /** @type {Set<(change: Change) => void>} */
  #all = new Set()
  /** What they have still to be told, while they are told nothing. @type {Change[] | undefined} */
  #waits

  /** Returns what ends it. @param {(change: Change) => void} callback */
  add(callback) {
    this.#all.add(callback)
    return () => { this.#all.delete(callback) }
  }

  /** From now on they are told nothing. */
  hold() { this.#waits ??= [] }

  /** They are told at once what has happened meanwhile, and from now on each step. @param {(path: string) => import("../leanwicket").Field | undefined} field */
  free(field) {
    const waits = this.#waits
    this.#waits = undefined
    if (!waits?.length) return
    const fields = [...new Set(waits.flatMap(change => change.fields.map(f => f.path)))].map(field).filter(f => f !== undefined)
    this.tell({ act: waits.findLast(change => change.act)?.act, fields, before: waits[0].before })
  }

  /** @param {Change} change */
  tell(change) {
    if (this.#waits) return void this.#waits.push(change)
    for (const callback of [...this.#all]) {
      try { callback(change) } catch (failed) { report(failed) }
    }
  }
}

/** What pages say, in the form's words. */
export class Words {
  /** @type {Map<string, {one: string, other: string}>} */
  #all = new Map()

  /** @param {import("./table.js").Records["words"]} said */
  take({ words }) { this.#all = new Map(words.map(word => [word.name, word])) }

  /**
   * @param {string} name the name of the message
   * @param {Record<string, string | number>} more what stands for {count} and the like
   */
  text(name, more) {
    const { one = "", other = "" } = this.#all.get(name) || {}
    return (more.count === 1 && one || other).replace(/{(\w+)}/g, (_, argument) => String(more[argument]))
  }
}
