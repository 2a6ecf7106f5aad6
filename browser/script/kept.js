// What a page keeps for the next one.
const kept = {
  // What an earlier page kept, unless that is too long ago: a server does not know
  // a submission's key for ever.
  kept() {
    try {
      const [, at, mark, text] = /^(\d+) (!?) ([^]*)$/.exec(localStorage.getItem(this.store)) || []
      const hours = Number(this.form.dataset.leanwicketKeep || 24)
      return this.store && at && Date.now() - Number(at) < hours * 3600e3 ? [mark, text] : ["", ""]
    } catch { return ["", ""] }
  },

  keep(mark, text) {
    if (!this.store) return
    try {
      if (mark || text) localStorage.setItem(this.store, `${Date.now()} ${mark} ${text}`)
      else localStorage.removeItem(this.store)
    } catch { /* a full or forbidden store keeps nothing; the page works on */ }
  },

  // What would be lost is kept in a moment. What was accepted is forgotten in a longer
  // one: a page that is already being left shows it to nobody, and the next one then
  // asks once more what came of it.
  keepSoon() {
    clearTimeout(this.keeping)
    this.keeping = setTimeout(() => this.guarded(null, () => this.keepNow()), this.submission === "accepted" ? 1000 : 200)
  },

  keepNow() {
    if (!this.keeping) return
    clearTimeout(this.keeping)
    this.keeping = undefined
    this.carryOut(this.call(this.number, performance.now(), "keep"))
  },
}
