// Who is told of a session, and in which words.

/** @typedef {import("../leanwicket").Change} Change */

/** Those who are called back after each step. */
export class Observers {
  /** @type {Set<(change: Change) => void>} */
  #all = new Set()

  /** Returns what ends it. @param {(change: Change) => void} callback */
  add(callback) {
    this.#all.add(callback)
    return () => { this.#all.delete(callback) }
  }

  /** @param {Change} change */
  tell(change) {
    for (const callback of [...this.#all]) {
      try { callback(change) } catch (failed) { reportError(failed) }
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
