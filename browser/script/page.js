import { halfTyped } from "./controls.js"
import { guard, pages } from "./guard.js"
import { Shown } from "./shown.js"
import { acts } from "./table.js"
import { broughtBack, isComing, isTouched } from "./untouched.js"

const rowButtons = ["leanwicket-add", "leanwicket-remove", "leanwicket-move"] // their names

/** How many forms of this document were bound, now and before. */
let made = 0

// One form that is bound: its session is told what happens to the controls, and what the
// session says is shown.
export class Page extends Shown {
  holds = new Map() // what holds each button, and how that is said
  left = [] // names of fields that were left under a pressed pointer
  pressed = false // the pointer is
  entered = false // Enter was pressed in a control

  number = made++
  passes = false // a submit button that is not the form's own does what the markup says

  constructor(form, fromTheStart) {
    super(form)
    this.broughtBack = broughtBack && fromTheStart // what came later, no browser brings back
    pages.push(this) // forms are asked in the order in which they were found
  }

  /** @param {import("./session.js").Session} session */
  open(session) {
    this.session = session
    const changed = this.changed()
    this.prepare()
    const told = event => e => this.guarded(e.detail, this.does[event])
    for (const event in this.does) this.session.addEventListener(event, told(event), { signal: this.ends.signal })
    this.unobserve = this.session.observe(change => this.guarded(change, c => this.update(c)))
    this.session.reads = () => this.guarded(null, () => this.reads())
    this.update({ fields: this.session.everyField(), before: {} })
    for (const f of this.session.everyField()) if (f.raw === halfTyped && !changed.has(f.path)) this.happened("edit", f.path, "") // no control shows it any more
    if (this.submission !== "idle") this.does.outcome({ submission: this.submission, said: this.session.snapshot.said?.text || "" })
    this.lacking()
    this.takeBefore(changed)
    this.listen()
    this.form.dataset.leanwicketReady = ""
  }

  // What stood in the controls before the script arrived: what was typed is taken as typed, and
  // what a script of the page has put there stays, until it is read. What a browser brings back
  // from an earlier page is neither: that page's work is kept elsewhere.
  takeBefore(changed) {
    for (const [name, raw] of changed) {
      if (!this.session.field(name)) continue
      if (this.controls(name).some(isTouched)) this.early.set(name, raw)
      else if (!this.broughtBack) this.put(name, raw)
    }
    this.takeEarly()
    if (!this.broughtBack) return
    const writes = () => { for (const f of this.session.everyField()) this.write(f) }
    writes()
    if (isComing) addEventListener("pageshow", () => this.guarded(null, writes), { once: true, signal: this.ends.signal })
  }

  listen() {
    const on = (target, type, f, capture = false) => target.addEventListener(type, e => this.guarded(e, f), { signal: this.ends.signal, capture })
    const { root } = this
    const mine = c => c.name && (c.form ? c.form === this.element : this.form.contains(c)) && this.controls(c.name).includes(c)
    const choice = c => ["checkbox", "radio", "file", "select-one", "select-multiple"].includes(c.type)
    const edited = name => this.happened("edit", name, this.raw(name))
    on(root, "input", e => { if (!e.isComposing && mine(e.target) && !choice(e.target)) edited(e.target.name) })
    on(root, "compositionend", e => { if (mine(e.target) && !this.following) edited(e.target.name) })
    on(root, "change", e => {
      // Of texts some programs that fill in forms tell nothing but this.
      if (mine(e.target) && (choice(e.target) || this.isUntold(e.target.name))) edited(e.target.name)
    })
    // A blur that a press of the pointer makes is told when the press is over: an
    // issue that appears under a pressed pointer moves the button away from it.
    on(root, "focusout", e => {
      if (this.following || !mine(e.target)) return
      this.read(e.target.name) // a date that is half typed makes no event
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
      const by = this.entered ? null : e.submitter
      const buttons = this.session.snapshot.buttons.map(b => b.name), own = by && buttons.includes(by.value)
      if (by && !own && this.isForeign(by)) return this.foreign(e, by)
      e.preventDefault()
      if (by && rowButtons.includes(by.name)) return this.rowButton(by.name.slice(11), by.value)
      this.happened("submit", own ? by.value : buttons[0])
    })
    // Enter in a control means the form's first button, whatever stands before it.
    on(root, "keydown", e => {
      this.entered = e.key === "Enter" && e.target.localName === "input" && !["submit", "button", "image"].includes(e.target.type)
    }, true)
    for (const over of ["keyup", "pointerdown"]) on(document, over, () => { this.entered = false }, true)
    on(this.form, "reset", e => { e.preventDefault(); this.happened("reset") })
    // Who was let go and is still here, as after a link to a download, goes on.
    const here = () => { if (this.form.dataset.leanwicketLeave === "gone") this.happened("returned") }
    on(this.form, "pointerdown", here, true)
    on(this.form, "keydown", here, true)
    // A dialog is closed by Escape, and the form in it is left.
    const dialog = this.form.closest("dialog")
    if (dialog) on(dialog, "cancel", e => {
      if (e.target !== dialog || !this.session.snapshot.guarded) return
      e.preventDefault()
      this.session.leave().then(gone => { if (gone) dialog.close() })
    })
  }

  // A submit button that the form does not declare, and that says by a name, a value or an
  // address of its own that it is for something else.
  isForeign(by) { return !by.name.startsWith("leanwicket-") && Boolean(by.name || by.value || by.hasAttribute("formaction")) }

  // A foreign button does what the markup says. Where that leads away, and something would be lost, the applicant is asked.
  foreign(e, by) {
    const said = name => by.getAttribute("form" + name) ?? this.form.getAttribute(name) ?? ""
    if (this.passes || !guard.needed() || said("method") === "dialog" || !["", "_self"].includes(said("target"))) return
    e.preventDefault()
    guard.leave(new URL(said("action"), document.baseURI).href, () => {
      this.passes = true
      this.form.requestSubmit(by)
      this.passes = false
    })
  }

  // A button of a row: crew, crew/2, or crew/2 crew/0, which moves one to the other's
  // place; alone it goes one up.
  rowButton(what, value) {
    const [row, to = row.replace(/\d+$/, n => n - 1)] = value.split(" ")
    const group = row.replace(/\/\d+$/, ""), place = what === "add" ? Number(/** @type {any} */ (this.form.elements.namedItem(row))?.value) : Number((what === "move" ? to : row).slice(group.length + 1))
    this.happened(what + " row", row, ...(what === "move" ? [to] : []))
    this.rowFocus(what, group, place)
  }

  // The form is taken from the page: as if the page had been closed.
  release() {
    this.end()
    this.session.close()
  }

  end() {
    this.ends.abort()
    this.unobserve?.()
    this.sized?.disconnect()
    pages.splice(pages.indexOf(this), 1)
    for (const part of [this.dialog, ...this.added, ...this.choices.values()]) part?.remove()
    for (const c of this.controls()) {
      c.removeAttribute("aria-invalid")
      const ids = (c.getAttribute("aria-describedby") || "").split(" ").filter(id => document.getElementById(id))
      if (ids.length) c.setAttribute("aria-describedby", ids.join(" "))
      else c.removeAttribute("aria-describedby")
    }
    for (const part of [this.notice, this.summary]) if (part) { part.hidden = true; delete part.dataset.leanwicketTaken }
    if (this.title) document.title = this.title
  }

  // What is here fails: the page works as it did before.
  giveUp(failed) {
    if (!this.alive) return
    this.end()
    this.session.fail(failed)
    this.lock(false)
    for (const f of this.all("[data-leanwicket-unasked]")) f.hidden = false
    this.form.removeAttribute("aria-busy")
    delete this.form.dataset.leanwicketReady
    this.form.dataset.leanwicketFailed = ""
  }

  // update shows what a step has changed.
  /** @param {{act?: string, fields: readonly import("../leanwicket").Field[], before: Partial<import("../leanwicket").Snapshot>}} change */
  update({ act, fields, before }) {
    const now = this.session.snapshot
    if (acts.includes(act)) this.goneOn = now.draft // who goes on has seen what was brought back
    if (this.saidUntil === "act" && acts.includes(act)) this.saidAt = null
    const focused = this.focused(before)
    this.awaiting = now.prefill === "loading" && now.buttons.every(b => b.holds.includes("loading"))
    const came = before.prefill === "loading" && now.prefill !== "loading"
    for (const f of came ? this.session.everyField() : fields) {
      const issues = f.issues.filter(i => i.shown).map(i => i.text)
      if (f.kind === "rows") this.rows(f, issues)
      else this.field(f, issues)
    }
    if (focused) this.follow(focused)
    const state = { leanwicketState: now.submission, leanwicketPrefill: now.prefill, leanwicketLeave: now.leaving }
    for (const name in state) if (this.form.dataset[name] !== state[name]) this.form.dataset[name] = state[name]
    this.form.toggleAttribute("data-leanwicket-unsaved", now.unsaved)
    if (!now.busy && now.prefill !== "loading") this.form.removeAttribute("aria-busy")
    else if (!this.form.ariaBusy) this.form.ariaBusy = "true"
    this.lock(now.locked)
    if (now.leaving !== "asking") this.dialog?.close()
    if (now.leaving === "present") guard.stays(this)
    for (const button of now.buttons) this.button(button)
    if (now.said && now.said !== before.said) this.say(now.said)
    this.draft()
    this.refresh()
    this.uncover()
    this.takeEarly()
  }

  // What happened once.
  does = {
    outcome: detail => this.form.dispatchEvent(new CustomEvent("leanwicket-" + detail.submission, { bubbles: true, detail })),
    announced: text => { this.hush.textContent = text },
    focus: path => { this.focus(path); this.uncover() },
    question: ({ reason }) => this.ask(reason),
    left: ({ kind }) => { if (kind === "inside") guard.agrees(this) },
    navigate: to => { this.session.keepNow(); location.assign(to) }, // the core leads nowhere else than where the form may
    failed: failed => this.giveUp(failed),
  }

  button({ name, holds, why }) {
    const known = holds.join(" ") + why
    if (this.holds.get(name) === known) return
    this.holds.set(name, known)
    for (const b of /** @type {Iterable<any>} */ (this.form.elements)) {
      if (b.type !== "submit" || b.value !== name || rowButtons.includes(b.name)) continue
      b.toggleAttribute("data-leanwicket-busy", holds.some(h => h === "sending" || h === "checking" || h === "gone"))
      if (holds.length) b.dataset.leanwicketHolds = holds.join(" ")
      else delete b.dataset.leanwicketHolds
      if (why && !holds.includes("invalid")) b.title = why
      else b.removeAttribute("title")
    }
  }
}
