// What a session keeps for the next page, in the store of the browser.

/** What is kept of one form of one account. */
export class Kept {
  /**
   * @param {string | null} name the name in the store; null: nothing is kept
   * @param {number} hours for how long
   */
  constructor(name, hours) {
    this.name = name
    this.hours = hours
  }

  /**
   * What an earlier page kept, unless that is too long ago: a server does not know a
   * submission's key for ever. A mark says that it had sent more than it kept.
   * @returns {[mark: string, text: string]}
   */
  read() {
    if (!this.name) return ["", ""]
    try {
      const [, at, mark, text] = /^(\d+) (!?) ([^]*)$/.exec(localStorage.getItem(this.name) || "") || []
      return at && Date.now() - Number(at) < this.hours * 3600e3 ? [mark, text] : ["", ""]
    } catch { return ["", ""] }
  }

  /** @param {string} mark @param {string} text */
  write(mark, text) {
    if (!this.name) return
    try {
      if (mark || text) localStorage.setItem(this.name, `${Date.now()} ${mark} ${text}`)
      else localStorage.removeItem(this.name)
    } catch { /* a full or forbidden store keeps nothing; the page works on */ }
  }
}
