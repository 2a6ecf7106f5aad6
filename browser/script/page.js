const rowButtons = ["leanwicket-add", "leanwicket-remove", "leanwicket-move"] // their names

// One form that is bound: the core is told what happens, and what it says is done.
class Page {
  get alive() { return !this.ends.signal.aborted }

  constructor(form, call) {
    this.form = form
    this.call = call
    this.buttons = []
    this.requests = new Map()
    this.timers = new Map()
    this.holds = new Map() // what holds each button, and how that is said
    this.held = new Map() // what the core holds, by path
    this.shown = new Map() // the issues that show, by path
    this.formIssues = []
    this.left = [] // names of fields that were left under a pressed pointer
    this.submission = "idle"
    this.under = "" // what is under way, in words
    this.receipt = "" // where what was received can be seen
    this.added = [] // elements beside the controls
    this.ends = new AbortController()
    this.unload = e => e.preventDefault()
  }

  open(compiled) {
    this.number = pages.push(this) - 1
    const seed = Array.from(crypto.getRandomValues(new Uint8Array(16)), b => b.toString(16).padStart(2, "0")).join("")
    this.store = this.form.dataset.leanwicketKeep === "off" ? null : "leanwicket " + (this.form.dataset.leanwicketAccount || "") + " " + location.pathname + " " + (this.form.dataset.leanwicketForm)
    const typed = this.typedBefore()
    this.prepare()
    this.carryOut(this.call(this.number, performance.now(), "open", compiled, seed, ...this.kept()))
    this.early = typed
    this.takeEarly()
    this.listen()
    this.form.dataset.leanwicketReady = ""
  }

  listen() {
    const on = (target, type, f, capture = false) => target.addEventListener(type, e => this.guarded(e, f), { signal: this.ends.signal, capture })
    const choice = c => ["checkbox", "radio", "file", "select-one", "select-multiple"].includes(c.type)
    on(this.form, "input", e => {
      if (e.target.name && !e.isComposing && !choice(e.target) && this.controls(e.target.name).length) this.happened("edit", e.target.name, this.raw(e.target.name))
    })
    on(this.form, "compositionend", e => { if (e.target.name) this.happened("edit", e.target.name, this.raw(e.target.name)) })
    on(this.form, "change", e => {
      // Of texts some programs that fill in forms tell nothing but this.
      if (e.target.name && (choice(e.target) || this.held.get(e.target.name) !== e.target.value) && this.controls(e.target.name).length) this.happened("edit", e.target.name, this.raw(e.target.name))
    })
    // A blur that a press of the pointer makes is told when the press is over: an
    // issue that appears under a pressed pointer moves the button away from it.
    on(this.form, "focusout", e => {
      if (!e.target.name || !this.controls(e.target.name).includes(e.target)) return
      if (this.pressed) this.left.push(e.target.name)
      else this.happened("blur", e.target.name)
    })
    const released = () => {
      this.pressed = false
      for (const name of this.left.splice(0)) this.happened("blur", name)
    }
    on(document, "pointerdown", () => { this.pressed = true })
    on(document, "pointerup", () => setTimeout(() => this.guarded(null, released))) // after the click
    on(document, "pointercancel", released)
    on(document, "click", released, true)
    on(this.form, "submit", e => {
      e.preventDefault()
      const by = e.submitter
      if (by && rowButtons.includes(by.name)) return this.rowButton(by.name.slice(11), by.value)
      this.happened("submit", by && this.buttons.includes(by.value) ? by.value : this.buttons[0])
    })
    on(this.form, "reset", e => { e.preventDefault(); this.happened("reset") })
    on(window, "pagehide", () => this.closed())
    on(window, "pageshow", e => { if (e.persisted) this.happened("returned") })
    // Who was let go and is still here, as after a link to a download, goes on.
    const here = () => { if (this.form.dataset.leanwicketLeave === "gone") this.happened("returned") }
    on(this.form, "pointerdown", here, true)
    on(this.form, "keydown", here, true)
    const seen = () => { if (this.submission === "accepted") this.keepNow() }
    on(document, "pointerdown", seen, true)
    on(document, "keydown", seen, true)
  }

  // A button of a row: crew, crew/2, or crew/2 crew/0, which moves one to the other's
  // place; alone it goes one up.
  rowButton(what, value) {
    const [row, to = row.replace(/\d+$/, n => n - 1)] = value.split(" ")
    const group = row.replace(/\/\d+$/, ""), place = what === "add" ? Number(this.form.elements[row]?.value) : Number((what === "move" ? to : row).slice(group.length + 1))
    this.happened(what, row, ...(what === "move" ? [to] : []))
    this.rowFocus(what, group, place)
  }

  guarded(event, f) {
    try { f(event) } catch (failed) { this.giveUp(failed) }
  }

  // The form is taken from the page: as if the page had been closed.
  release() {
    this.closed()
    this.end()
  }

  closed() {
    if (this.submission !== "accepted") this.keepNow()
    this.happened("leave", "", "unload")
    clearTimeout(this.keeping)
  }

  end() {
    this.ends.abort()
    removeEventListener("beforeunload", this.unload)
    for (const id of this.timers.values()) clearTimeout(id)
    this.sized?.disconnect()
    for (const part of [this.notice, this.dialog, ...this.added]) part?.remove()
    if (this.title) document.title = this.title
  }

  // What is here fails: the page works as it did before.
  giveUp(failed) {
    if (!this.alive) return
    this.end()
    console.error("leanwicket:", failed)
    this.lock(false)
    this.form.querySelectorAll("[data-leanwicket-unasked]").forEach(f => { f.hidden = false })
    this.form.removeAttribute("aria-busy")
    delete this.form.dataset.leanwicketReady
    this.form.dataset.leanwicketFailed = ""
  }

  // happened tells the core, and does what it says.
  happened(what, ...texts) {
    if (!this.alive) return
    if (what === "edit") this.held.set(...texts)
    if (this.saidUntil === "act" && ["edit", "submit", "reset", "add", "remove", "move", "retry"].includes(what)) this.saidAt = null
    this.carryOut(this.call(this.number, performance.now(), what, ...texts))
    if (this.store) this.keepSoon()
  }

  carryOut(patch) {
    const before = this.submission
    const moves = [] // last: the focus makes events of its own, and leaving asks who guards the page
    for (const record of patch.split(RECORD)) {
      if (record === "") continue
      const parts = record.split(PART)
      parts.pop()
      const what = parts.shift()
      if (what === "error") throw new Error(parts.join(" "))
      if (what === "focus" || what === "leave" || what === "navigate") moves.push(() => this.does[what].call(this, ...parts))
      else this.does[what]?.call(this, ...parts)
    }
    this.refresh()
    if (this.submission !== before) this.outcome()
    for (const move of moves) move()
    this.uncover()
    this.takeEarly()
  }

  does = {
    form(name, title, fields, buttons) { this.buttons = buttons.split(" ") },
    field(path, flags, raw, saved, ...issues) { this.field(path, flags, raw, saved, issues) },
    rows(path, flags, count, saved, ...issues) { this.rows(path, flags, Number(count), saved, issues) },
    status(submission, prefill, leave, flags, under, receipt) {
      this.submission = submission
      this.prefill = prefill
      this.under = under
      this.receipt = receipt.startsWith("/") && !receipt.startsWith("//") ? receipt : ""
      const now = { leanwicketState: submission, leanwicketPrefill: prefill, leanwicketLeave: leave }
      for (const name in now) if (this.form.dataset[name] !== now[name]) this.form.dataset[name] = now[name]
      this.form.toggleAttribute("data-leanwicket-unsaved", flags.includes("u"))
      if (!flags.includes("k") && prefill !== "loading") this.form.removeAttribute("aria-busy")
      else if (!this.form.ariaBusy) this.form.ariaBusy = "true"
      this.lock(flags.includes("l"))
      if (leave !== "asking") this.dialog?.close()
      if (leave === "present") guard.stays(this)
    },
    button(name, holds, why) {
      if (this.holds.get(name) === holds + why) return
      this.holds.set(name, holds + why)
      for (const b of this.form.elements) {
        if (b.type !== "submit" || b.value !== name || rowButtons.includes(b.name)) continue
        const busy = holds.split(" ").some(h => h === "sending" || h === "checking" || h === "gone")
        b.toggleAttribute("data-leanwicket-busy", busy)
        if (holds) b.dataset.leanwicketHolds = holds
        else delete b.dataset.leanwicketHolds
        if (why && !holds.includes("invalid")) b.title = why
        else b.removeAttribute("title")
      }
    },
    issues(...texts) { this.formIssues = texts },
    say(level, text, kind, until) { this.say(level, text, kind, until) },
    tell(text) { this.hush.textContent = text },
    focus(path) { this.focus(path) },
    ask(reason) { this.ask(reason) },
    leave(to, kind) { if (kind === "inside") guard.agrees(this) },
    navigate(to) { this.keepNow(); if (new URL(to, location.href).origin === location.origin) location.assign(to) },
    guard(on) {
      this.guards = on !== ""
      if (this.guards) addEventListener("beforeunload", this.unload)
      else removeEventListener("beforeunload", this.unload)
    },
    keep(mark, text) { this.keep(mark, text) },
    fetch(id, kind, method, url, body, ...headers) { this.fetch(id, method, url, body, headers) },
    abort(id) { this.requests.get(id)?.abort() },
    timer(id, ms) { this.timers.set(id, setTimeout(() => { this.timers.delete(id); this.guarded(null, () => this.happened("elapsed", id)) }, Number(ms))) },
    stop(id) { clearTimeout(this.timers.get(id)); this.timers.delete(id) },
    trace(text) { this.trace = text },
  }

  async fetch(id, method, url, body, headers) {
    const ends = new AbortController()
    this.requests.set(id, ends)
    let answer = ["0", "", ""]
    try {
      const pairs = []
      for (let k = 0; k + 1 < headers.length; k += 2) pairs.push([headers[k], headers[k + 1]])
      const response = await fetch(url, { method, headers: pairs, body: method === "GET" ? undefined : body, signal: ends.signal, credentials: "same-origin", cache: "no-store" })
      const text = await response.text()
      let decoded = null
      try { decoded = text === "" ? undefined : JSON.parse(text) } catch { decoded = /^text\/(plain|html)/.test(response.headers.get("Content-Type")) ? text : undefined }
      answer = [String(response.status), [...response.headers].flatMap(([n, v]) => [clean(n), clean(v)]).join(PART), decoded === undefined ? "" : flat(decoded).join(PART)]
    } catch { /* broken, or given up */ }
    this.requests.delete(id)
    this.guarded(null, () => this.happened("answered", id, ...answer))
  }

  // outcome lets other scripts act on what came of a submission.
  outcome() {
    this.form.dispatchEvent(new CustomEvent("leanwicket-" + this.submission, { bubbles: true, detail: { submission: this.submission, said: this.said || "" } }))
  }
}

Object.assign(Page.prototype, controls, shown, kept)
