// Lean Wicket in a page. One script tag and one attribute:
//
//   <script src="/leanwicket/leanwicket.js" defer></script>
//   <form data-leanwicket-form="/forms/mooring.form"> … </form>
//
// The attribute names the compiled form. Controls are found by their names, which
// are the paths of the fields. If anything fails, the page works as it did before.
(() => {
  "use strict"
  const here = document.currentScript ? document.currentScript.src : location.href
  const PART = "\x1f", RECORD = "\x1e"
  const pages = [] // by number, as the core has them
  const clean = text => String(text).replace(/[\x1e\x1f]/g, " ")

  // The core: one function, loaded once.
  let core
  function load() {
    core ??= (async () => {
      await script(new URL("wasm_exec.js", here))
      const go = new Go()
      const source = await fetch(new URL("leanwicket.wasm", here))
      if (!source.ok) throw new Error("leanwicket.wasm: " + source.status)
      const { instance } = await WebAssembly.instantiateStreaming(source, go.importObject)
      go.run(instance).then(() => pages.forEach(p => p.giveUp(new Error("the core has ended"))))
      return globalThis.leanwicketCore
    })()
    return core
  }
  const script = url => new Promise((resolve, reject) => {
    const tag = document.createElement("script")
    tag.src = url
    tag.onload = resolve
    tag.onerror = () => reject(new Error(url + " cannot be loaded"))
    document.head.append(tag)
  })

  // A body as the core reads it.
  function flat(v, parts = []) {
    if (v === null || v === undefined) parts.push("n")
    else if (v === true) parts.push("t")
    else if (v === false) parts.push("f")
    else if (typeof v === "number") parts.push("d" + v)
    else if (typeof v === "string") parts.push("s" + clean(v))
    else if (Array.isArray(v)) { parts.push("a" + v.length); v.forEach(item => flat(item, parts)) }
    else { const names = Object.keys(v); parts.push("o" + names.length); names.forEach(n => { parts.push(clean(n)); flat(v[n], parts) }) }
    return parts
  }

  // One guard for all forms of a document: each is asked in turn, and when none has
  // objected, off it goes.
  const guard = {
    go: null, // what is done when nobody objects; null: nobody is leaving
    asked: [], // pages that agreed
    at: null, // the page that is being asked
    leave(to, go) {
      this.go = go
      this.to = to
      this.asked = []
      this.next()
    },
    next() {
      const page = this.at = pages.find(p => p.alive && !this.asked.includes(p))
      if (page) return page.guarded(null, () => page.happened("leave", this.to, "inside"))
      const go = this.go
      this.go = null
      go()
    },
    agrees(page) {
      if (!this.go) return
      this.asked.push(page)
      this.next()
    },
    stays(page) {
      if (!this.go || page !== this.at) return
      this.go = null
      for (const p of this.asked.splice(0)) p.guarded(null, () => p.happened("returned"))
    },
    // Whether leaving loses anything.
    needed() { return pages.some(p => p.alive && p.guards) },
  }
  const away = to => () => location.assign(to)
  document.addEventListener("click", e => {
    const link = e.target.closest?.("a[href]")
    if (!link || !guard.needed() || e.defaultPrevented || e.button !== 0 || e.ctrlKey || e.metaKey || e.shiftKey || e.altKey || link.target && link.target !== "_self" || link.hasAttribute("download")) return
    const to = new URL(link.href, location.href)
    if (to.origin !== location.origin || to.pathname === location.pathname && to.hash) return
    e.preventDefault()
    guard.leave(to.href, away(to.href))
  })
  // Back, forward and pushState inside an application: the document stays, the page
  // of the form does not.
  globalThis.navigation?.addEventListener("navigate", e => {
    const to = new URL(e.destination.url)
    if (guard.passes || !e.cancelable || !e.destination.sameDocument || to.pathname === location.pathname || !guard.needed()) return
    e.preventDefault()
    const key = e.navigationType === "traverse" && e.destination.key
    guard.leave(to.href, key ? async () => {
      guard.passes = true
      await navigation.traverseTo(key).finished.catch(() => {})
      guard.passes = false
      for (const p of pages) if (p.alive && p.form.isConnected) p.guarded(null, () => p.happened("returned"))
    } : away(to.href))
  })

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

    // What was typed before the script arrived.
    typedBefore() {
      const typed = new Map()
      for (const c of this.controls()) {
        const changed = c.type === "checkbox" || c.type === "radio" ? c.checked !== c.defaultChecked
          : c.tagName === "SELECT" ? [...c.options].some(o => o.selected !== o.defaultSelected && (c.multiple || o.selected))
            : c.type !== "file" && c.value !== c.defaultValue
        if (changed) typed.set(c.name, this.raw(c.name))
      }
      return typed
    }

    // It is taken when the fields can be edited.
    takeEarly() {
      if (this.locked || !this.early) return
      const typed = this.early
      this.early = undefined
      for (const [path, raw] of typed) this.happened("edit", path, raw)
    }

    controls(name) {
      let all = this.form.elements
      if (name !== undefined) {
        const named = all.namedItem(name) // by name or id; found without a walk over the form
        all = named instanceof RadioNodeList ? named : named ? [named] : []
      }
      return [...all].filter(c => c.name && !c.name.startsWith("leanwicket-") && c.type !== "hidden" && c.type !== "submit" && c.type !== "button" && (name === undefined || c.name === name))
    }

    // What the controls of a name hold, as the core reads it.
    raw(name) {
      const all = this.controls(name)
      if (all.length === 0) return ""
      if (all[0].type === "radio") return (all.find(c => c.checked) || { value: "" }).value
      if (all[0].type === "checkbox") return all.filter(c => c.checked).map(c => all.length > 1 || c.hasAttribute("value") ? c.value : "true").join("\n")
      if (all[0].multiple && all[0].options) return [...all[0].selectedOptions].map(o => o.value).join("\n")
      if (all[0].type === "file") return [...all[0].files].map(f => f.name).join("\n")
      return all[0].value
    }

    set(name, raw) {
      this.held.set(name, raw)
      const all = this.controls(name)
      const values = raw.split("\n")
      for (const c of all) {
        if (c.type === "radio" || c.type === "checkbox") {
          const checked = all.length > 1 || c.type === "radio" ? values.includes(c.value) : raw === "true" || raw !== "" && raw === c.value
          if (c.checked !== checked) c.checked = checked
        } else if (c.multiple && c.options) {
          for (const o of c.options) o.selected = values.includes(o.value)
        } else if (c.type === "file") {
          if (raw === "") c.value = ""
        } else if (c.value !== raw) c.value = raw
      }
    }

    // The parts of the page that are not there without script.
    prepare() {
      const make = (role, live, className) => {
        const region = document.createElement("div")
        region.setAttribute("role", role)
        region.setAttribute("aria-live", live)
        region.className = className
        this.form.before(region)
        return region
      }
      this.summary = document.getElementById("leanwicket-summary") || document.createElement("div")
      this.summary.id ||= "leanwicket-summary"
      this.summary.className = "summary"
      this.summary.tabIndex = -1
      this.summary.removeAttribute("role") // what it says is said once, by the region below
      this.summary.hidden = true
      this.form.before(this.summary)
      this.polite = make("status", "polite", "leanwicket-said")
      this.assertive = make("alert", "assertive", "leanwicket-urgent")
      document.querySelectorAll(".received").forEach(r => { r.remove() })
      this.form.noValidate = true
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
        if (by && by.name === "leanwicket-add") return this.happened("add", by.value)
        if (by && by.name === "leanwicket-remove") return this.happened("remove", by.value)
        if (by && by.name === "leanwicket-move") {
          const [row, to = row.replace(/\d+$/, n => n - 1)] = by.value.split(" ") // alone: one up
          return this.happened("move", row, to)
        }
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
      for (const part of [this.polite, this.assertive, this.dialog]) part?.remove()
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
      if (what === "edit" && !this.summary.querySelector("li")) this.summary.hidden = true
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
      if (this.submission !== before) this.outcome()
      for (const move of moves) move()
      this.takeEarly()
    }

    does = {
      form(name, title, fields, buttons) { this.buttons = buttons.split(" ") },
      field(path, flags, raw, ...issues) { this.field(path, flags, raw, issues) },
      rows(path, flags, count, ...issues) { this.rows(path, flags, Number(count), issues) },
      status(submission, prefill, leave, flags) {
        this.submission = submission
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
          if (b.type !== "submit" || b.value !== name || b.name === "leanwicket-add" || b.name === "leanwicket-remove") continue
          const busy = holds.split(" ").some(h => h === "sending" || h === "checking" || h === "gone")
          b.toggleAttribute("data-leanwicket-busy", busy)
          if (holds) b.dataset.leanwicketHolds = holds
          else delete b.dataset.leanwicketHolds
          if (why && !holds.includes("invalid")) b.title = why
          else b.removeAttribute("title")
        }
      },
      issues(...texts) {
        this.formIssues = texts
        if (!this.summary.hidden && this.summary.querySelector("li") && !texts.length && ![...this.shown.values()].some(i => i.length)) this.summary.hidden = true
      },
      say(level, text) {
        const urgent = level === "assertive"
        this.polite.textContent = urgent ? "" : text
        this.assertive.textContent = urgent ? text : ""
        if (urgent) this.summarize(text)
        else this.summary.hidden = true
      },
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

    box(path) {
      const control = this.controls(path)[0]
      return control?.closest("[data-leanwicket-field], .field") || control?.parentElement || this.form.querySelector(`[data-leanwicket-field="${CSS.escape(path)}"]`)
    }

    field(path, flags, raw, issues) {
      const all = this.controls(path)
      if (!all.length) return this.shown.set(path, issues)
      this.set(path, raw)
      const box = this.box(path)
      if (box) {
        box.hidden = !flags.includes("a")
        box.toggleAttribute("data-leanwicket-unasked", box.hidden)
        box.toggleAttribute("data-leanwicket-checking", flags.includes("c"))
        box.toggleAttribute("data-leanwicket-contested", flags.includes("x"))
        this.contested(box, path, flags.includes("x"))
      }
      this.issues(path, all, box, issues)
    }

    // A locked control keeps focus and value, and takes no typing.
    lock(locked) {
      if (this.locked === locked) return
      this.locked = locked
      for (const c of this.controls()) {
        if ("readOnly" in c && c.type !== "checkbox" && c.type !== "radio" && c.type !== "file") c.readOnly = locked
        else if (locked) c.setAttribute("aria-disabled", "true")
        else c.removeAttribute("aria-disabled")
      }
    }

    // The issues of a field: a list that its controls are described by.
    issues(path, all, box, issues) {
      this.shown.set(path, issues)
      const id = "leanwicket-" + path.replaceAll("/", "-") + "-issues"
      let list = document.getElementById(id)
      if (!list && !issues.length) return
      if (!list) {
        list = document.createElement("ul")
        list.id = id
        list.className = "issues"
        const line = all[0]?.closest(".box") || all[0]
        if (!all.length) box?.querySelector(":scope > legend")?.after(list)
        else if (all.length === 1 && all[0].type === "checkbox") line.after(list)
        else line?.before(list)
      }
      list.replaceChildren(...issues.map(text => Object.assign(document.createElement("li"), { textContent: text })))
      list.hidden = !issues.length
      box?.classList.toggle("wrong", issues.length > 0)
      for (const c of all) {
        const ids = (c.getAttribute("aria-describedby") || "").split(" ").filter(i => i && i !== id)
        if (issues.length) { c.setAttribute("aria-invalid", "true"); ids.push(id) } else c.removeAttribute("aria-invalid")
        if (ids.length) c.setAttribute("aria-describedby", ids.join(" "))
        else c.removeAttribute("aria-describedby")
      }
    }

    // A contested field asks which value is to stand.
    contested(box, path, is) {
      let choice = box.querySelector(":scope > .leanwicket-choice")
      if (!is) return choice?.remove()
      if (choice) return
      choice = document.createElement("p")
      choice.className = "leanwicket-choice"
      choice.append("This was changed elsewhere. ")
      for (const [which, label] of [["mine", "Keep mine"], ["theirs", "Take theirs"]]) {
        const b = Object.assign(document.createElement("button"), { type: "button", name: "leanwicket-" + which, value: path, textContent: label })
        b.addEventListener("click", e => this.guarded(e, () => this.happened("resolve", path, which)), { signal: this.ends.signal })
        choice.append(b, " ")
      }
      box.append(choice)
    }

    rows(path, flags, count, issues) {
      const id = "leanwicket-" + path.replaceAll("/", "-")
      const group = document.getElementById(id)
      if (!group) return
      group.hidden = !flags.includes("a")
      group.toggleAttribute("data-leanwicket-unasked", group.hidden)
      const number = this.form.elements[path]
      if (number) number.value = String(count)
      const rows = [...group.querySelectorAll(":scope > .row")]
      rows.slice(count).forEach(r => r.remove())
      const template = group.querySelector(":scope > template")
      for (let k = rows.length; k < count && template; k++) {
        const row = template.content.firstElementChild.cloneNode(true)
        for (const element of [row, ...row.querySelectorAll("*")]) {
          for (const a of element.attributes) a.value = a.value.replaceAll("*", k)
          for (const child of element.childNodes) if (child.nodeType === 3) child.data = child.data.replaceAll("*", k + 1)
        }
        if (k === 0) row.querySelector(`[name=leanwicket-move][value="${CSS.escape(path)}/0"]`)?.remove()
        template.before(row)
      }
      this.contested(group, path, flags.includes("x"))
      this.issues(path, [], group, issues)
    }

    // The summary lists what shows, with links to the fields.
    summarize(text) {
      const items = this.formIssues.map(text => Object.assign(document.createElement("li"), { textContent: text }))
      for (const c of this.controls()) {
        const issues = this.shown.get(c.name) || []
        if (items.some(i => i.dataset.path === c.name)) continue
        for (const issue of issues) {
          const item = document.createElement("li")
          item.dataset.path = c.name
          item.append(Object.assign(document.createElement("a"), { href: "#" + c.id, textContent: issue }))
          items.push(item)
        }
      }
      const heading = Object.assign(document.createElement("h2"), { textContent: text })
      const list = document.createElement("ul")
      list.append(...items)
      this.summary.replaceChildren(heading, ...(items.length ? [list] : []))
      this.summary.hidden = false
    }

    focus(path) {
      if (path === "") return this.summary.focus()
      const control = this.controls(path)[0] || document.getElementById("leanwicket-" + path.replaceAll("/", "-"))
      control?.focus()
    }

    ask(reason) {
      if (!this.dialog) {
        this.dialog = document.createElement("dialog")
        this.dialog.className = "leanwicket-ask"
        this.dialog.setAttribute("aria-labelledby", "leanwicket-ask-title")
        this.dialog.addEventListener("cancel", e => this.guarded(e, () => { e.preventDefault(); this.happened("answer", "stay") }), { signal: this.ends.signal })
        document.body.append(this.dialog)
      }
      const words = { unsaved: "What you have typed is not sent yet.", sending: "Your answers are still being sent.", unsettled: "It is not known whether your answers have arrived." }
      const title = Object.assign(document.createElement("p"), { id: "leanwicket-ask-title", textContent: words[reason] || reason })
      const answers = [["stay", "Stay"], ["submit", "Send and leave"], ["discard", "Leave without it"]].map(([answer, label]) => {
        const b = Object.assign(document.createElement("button"), { type: "button", value: answer, textContent: label })
        b.addEventListener("click", e => this.guarded(e, () => { this.dialog.close(); this.happened("answer", answer) }), { signal: this.ends.signal })
        return b
      })
      const buttons = document.createElement("div")
      buttons.className = "buttons"
      buttons.append(...answers)
      this.dialog.replaceChildren(title, buttons)
      if (!this.dialog.open) this.dialog.showModal()
    }

    // What an earlier page kept, unless that is too long ago: a server does not know
    // a submission's key for ever.
    kept() {
      try {
        const [, at, mark, text] = /^(\d+) (!?) ([^]*)$/.exec(localStorage.getItem(this.store)) || []
        const hours = Number(this.form.dataset.leanwicketKeep || 24)
        return this.store && at && Date.now() - Number(at) < hours * 3600e3 ? [mark, text] : ["", ""]
      } catch { return ["", ""] }
    }

    keep(mark, text) {
      if (!this.store) return
      try {
        if (mark || text) localStorage.setItem(this.store, `${Date.now()} ${mark} ${text}`)
        else localStorage.removeItem(this.store)
      } catch { /* a full or forbidden store keeps nothing; the page works on */ }
    }

    // What would be lost is kept in a moment. What was accepted is forgotten in a longer
    // one: a page that is already being left shows it to nobody, and the next one then
    // asks once more what came of it.
    keepSoon() {
      clearTimeout(this.keeping)
      this.keeping = setTimeout(() => this.guarded(null, () => this.keepNow()), this.submission === "accepted" ? 1000 : 200)
    }

    keepNow() {
      if (!this.keeping) return
      clearTimeout(this.keeping)
      this.keeping = undefined
      this.carryOut(this.call(this.number, performance.now(), "keep"))
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
        try { decoded = text === "" ? undefined : JSON.parse(text) } catch { decoded = undefined }
        answer = [String(response.status), [...response.headers].flatMap(([n, v]) => [clean(n), clean(v)]).join(PART), decoded === undefined ? "" : flat(decoded).join(PART)]
      } catch { /* broken, or given up */ }
      this.requests.delete(id)
      this.guarded(null, () => this.happened("answered", id, ...answer))
    }

    // outcome lets other scripts act on what came of a submission.
    outcome() {
      this.form.dispatchEvent(new CustomEvent("leanwicket-" + this.submission, { bubbles: true, detail: { submission: this.submission, said: this.polite.textContent || this.assertive.textContent } }))
    }
  }

  async function start(form) {
    let page
    try {
      const [call, source] = await Promise.all([load(), fetch(form.dataset.leanwicketForm)])
      if (!source.ok) throw new Error(form.dataset.leanwicketForm + ": " + source.status)
      page = new Page(form, call)
      page.open(new Uint8Array(await source.arrayBuffer()))
    } catch (failed) {
      if (page) page.giveUp(failed)
      else console.error("leanwicket:", failed)
    }
    return page
  }

  const living = form => pages.find(p => p.form === form && p.alive)
  const api = {
    /** Binds a form that was added after the page had loaded. */
    bind: start,
    /** Ends what was bound to a form that is taken from the page; what was typed is kept. */
    release: form => living(form)?.release(),
    /** The form's state, as the attribute data-leanwicket-state has it. */
    state: form => living(form)?.submission,
    /** Tells the session of a form what happened: ("refresh"), ("retry"), ("cancel"), ("edit", path, raw). */
    tell: (form, what, ...texts) => living(form)?.happened(what, ...texts),
    /** The record of the session so far, as leanwicket replay reads it. */
    trace: form => { const p = living(form); p?.happened("trace"); return p?.trace },
  }
  globalThis.leanwicket = api
  const all = () => document.querySelectorAll("form[data-leanwicket-form]").forEach(form => start(form))
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", all)
  else all()
})()
