import { Controls } from "./controls.js"
import { isTouched, markupOf } from "./untouched.js"

/** What is a row of a group. */
const aRow = ".leanwicket-row, [data-leanwicket-row]"

// What a form shows.
export class Shown extends Controls {
  /** Which of the forms of this document it is. @type {number} */
  number
  /** The issues that show, by path. @type {Map<string, string[]>} */
  shown = new Map()
  /** Elements beside the controls. @type {Element[]} */
  added = []
  /** What the notice says is of another colour: good, unsure, or none. */
  noticed = ""
  saidUntil = ""
  saidAt = ""

  /** The draft that the applicant has seen, and gone on. @type {import("../leanwicket").Draft | undefined} */
  goneOn
  /** What the page lacks, as far as it was said. @type {Set<string>} */
  missed = new Set()
  following = false // the focus follows its row
  /** The two values of what is contested, by path. @type {Map<string, HTMLElement>} */
  choices = new Map()
  /** The issues of each field, by id. @type {Map<string, HTMLElement | null>} */
  lists = new Map()

  /** The elements of the form that a selector finds; those that stand elsewhere come last. @param {string} selector @returns {HTMLElement[]} */
  all(selector) {
    const elsewhere = this.form.id && this.root.querySelector(`[form="${CSS.escape(this.form.id)}"]`) ? [...this.root.querySelectorAll(selector)] : []
    return [...this.form.querySelectorAll(selector), ...elsewhere.filter(e => !this.form.contains(e) && this.owns(e))]
  }
  /** @param {string} selector @returns {HTMLElement | undefined} */
  first(selector) { return this.form.querySelector(selector) ?? this.all(selector)[0] }

  get submission() { return this.session.snapshot.submission }
  get prefill() { return this.session.snapshot.prefill }

  // The parts of the page that are not there without script: the summary of what is
  // wrong above the form, and the notice that sticks to the lower edge of the window.
  prepare() {
    // A server's form says by its id what its other ids begin with. Of other forms all but the
    // first have a number.
    const written = /^(leanwicket-(?:.+-)?)form$/.exec(this.form.id)
    this.prefix = written?.[1] ?? "leanwicket-" + (this.number ? this.number + "-" : "")
    const part = (name, put) => {
      const own = this.root.querySelector("#" + CSS.escape((written ? this.prefix : "leanwicket-") + name))
      const found = this.marked(name, "") || (this.form.id ? this.root.querySelector(`[data-leanwicket-${name}="${CSS.escape(this.form.id)}"]`) : null) || (own && !("leanwicketTaken" in own.dataset) ? own : null)
      const element = found || document.createElement("div")
      element.dataset.leanwicketTaken = ""
      element.id ||= this.prefix + name
      element.classList.add("leanwicket-" + name)
      if (!found) this.added.push(element)
      element.tabIndex = -1
      element.hidden = true
      element.replaceChildren()
      if (!element.isConnected) put(element)
      return element
    }
    const line = (parent, role) => {
      const p = document.createElement("p")
      if (role) p.setAttribute("role", role)
      parent.append(p)
      return p
    }
    this.summary = part("summary", s => this.form.before(s))
    this.heading = line(this.summary, "alert")
    this.list = document.createElement("ol")
    this.summary.append(this.list)
    this.notice = part("notice", n => this.form.after(n))
    this.polite = line(this.notice, "status")
    this.urgent = line(this.notice, "alert")
    this.pending = line(this.notice) // seen, and not announced: aria-busy says it
    this.leftOut = document.createElement("ul") // what an earlier page kept, and the form has no field for any more
    this.leftOut.append(...this.session.snapshot.leftOut.map(({ path, raw }) => Object.assign(document.createElement("li"), { textContent: path + ": " + raw })))
    this.leftOut.hidden = !this.leftOut.children.length
    this.notice.append(this.leftOut)
    this.drafts = line(this.notice, "status")
    this.draftButtons = document.createElement("div")
    this.draftButtons.className = "leanwicket-buttons"
    this.notice.append(this.draftButtons)
    this.hush = line(this.notice, "status") // announced, and not shown: the rows show it
    this.hush.className = "leanwicket-first"
    this.sized = new ResizeObserver(() => document.documentElement.style.setProperty("--leanwicket-notice-height", this.notice.offsetHeight + "px"))
    this.sized.observe(this.notice)
    this.title = this.form.dataset.leanwicketTitle
    this.form.noValidate = true
    this.pickers(this.all("input[data-leanwicket-picker]"))
  }

  // The id of a field's or a group's part.
  id(path) { return this.prefix + path.replaceAll("/", "-") }

  // The element of the form that the page has marked for a path, or as it is written by a
  // server.
  marked(what, path) { return this.first(`[data-leanwicket-${what}="${CSS.escape(path)}"]`) }
  target(path) { return this.marked("rows", path) || this.first("#" + CSS.escape("leanwicket-" + path.replaceAll("/", "-"))) }

  // The box of a field: what the page has marked, else what stands around the control, as
  // far as it has no other control.
  box(path) {
    const control = this.controls(path)[0]
    const marked = this.marked("field", path) || control?.closest("[data-leanwicket-field], .leanwicket-field")
    if (marked || !control) return marked
    let box = control.parentElement
    const stops = [this.element, document.body, null]
    if (stops.includes(box)) return undefined // it stands for itself
    for (let k = 0; k < 2 && !box.matches(aRow) && !stops.includes(box.parentElement) && this.alone(box.parentElement, path); k++) box = box.parentElement
    return box
  }

  // Whether an element has no controls but those of a field.
  alone(element, path) { return [...element.querySelectorAll("input:not([type=hidden]), select, textarea, button[type=submit]")].every(c => c.name === path) }

  // Puts something below a control: never into a label, and not among the parts of a grid,
  // but within a cell of a table.
  beside(element, at) {
    let after = at.closest("label") || at
    while (after.parentElement && after.parentElement !== this.element && !after.parentElement.matches("td, th") && /grid|flex/.test(getComputedStyle(after.parentElement).display)) after = after.parentElement
    after.after(element)
  }

  field({ path, asked, checking, contested, dirty, raw, saved }, issues) {
    const all = this.controls(path)
    if (!all.length) return this.shown.set(path, issues)
    if (this.awaiting && !dirty) this.agree(path, markupOf(all)) // what the markup has stands until the saved answers are there
    else this.set(path, raw)
    const box = this.box(path)
    for (const part of box ? [box] : all.flatMap(c => [c, ...c.labels ?? []])) {
      part.hidden = !asked
      part.toggleAttribute("data-leanwicket-unasked", part.hidden)
      part.toggleAttribute("data-leanwicket-checking", checking)
      part.toggleAttribute("data-leanwicket-contested", contested)
    }
    this.contested(path, contested, this.readable(all, raw), saved, choice => box ? box.append(choice) : this.beside(choice, all.at(-1)))
    this.issues(path, all, box, issues)
  }

  // Writes into controls that nobody has touched what their field holds, or what the markup has while the saved
  // answers are to come.
  write({ path, dirty, raw }) {
    const all = this.controls(path)
    if (all.length && !all.some(isTouched)) this.set(path, this.awaiting && !dirty ? markupOf(all) : raw)
  }

  // Rows that the markup has are rows of the opening.
  markup() {
    const rows = this.all("[data-leanwicket-rows]").map(group => [group.dataset.leanwicketRows, String(this.rowsOf(group).length)])
    return { ...super.markup(), ...Object.fromEntries(rows.filter(([, count]) => count !== "0")) }
  }

  // What a person reads of a control's value: of options their labels.
  readable(all, raw) {
    if (all[0].type === "password") return ""
    const chosen = all.flatMap(c => c.options ? [...c.selectedOptions] : c.type === "radio" || c.type === "checkbox" && all.length > 1 ? c.checked ? [c.labels[0] || c] : [] : [])
    return chosen.map(c => c.textContent.trim() || c.value).join(", ") || raw
  }

  // The issues of a field: a list that its controls are described by.
  issues(path, all, box, issues) {
    this.shown.set(path, issues)
    const id = this.id(path) + "-issues"
    let list = this.lists.get(id)
    if (!list?.isConnected) list = this.form.querySelector("#" + CSS.escape(id))
    if (!list && !issues.length) return
    if (!list) {
      list = document.createElement("ul")
      list.id = id
      list.className = "leanwicket-issues"
      const place = this.marked("issues", path)
      if (place) place.replaceChildren(list)
      else if (!all.length) (box?.querySelector(":scope > legend, :scope > caption")?.after(list), box && !list.isConnected && box.prepend(list))
      else if (box?.classList.contains("leanwicket-field")) (box.querySelector(":scope > fieldset") || box).append(list)
      else this.beside(list, all.at(-1))
      this.added.push(list)
      this.lists.set(id, list)
    }
    list.replaceChildren(...issues.map(text => Object.assign(document.createElement("li"), { textContent: text })))
    list.hidden = !issues.length
    box?.classList.toggle("leanwicket-wrong", issues.length > 0)
    for (const c of all) {
      const ids = (c.getAttribute("aria-describedby") || "").split(" ").filter(i => i && i !== id)
      if (issues.length) { c.setAttribute("aria-invalid", "true"); ids.push(id) } else c.removeAttribute("aria-invalid")
      if (ids.length) c.setAttribute("aria-describedby", ids.join(" "))
      else c.removeAttribute("aria-describedby")
    }
  }

  // A contested field shows both values, and asks which one is to stand.
  contested(path, is, mine, theirs, put) {
    let choice = this.choices.get(path)
    if (!is) return choice?.remove()
    if (!choice?.isConnected) {
      choice = document.createElement("div")
      choice.className = "leanwicket-choice"
      for (const [which, title, label] of [["mine", "Yours", "Keep mine"], ["theirs", "Saved meanwhile", "Take that one"]]) {
        const b = Object.assign(document.createElement("button"), { type: "button", name: "leanwicket-" + which, value: path, textContent: label })
        b.addEventListener("click", e => this.guarded(e, () => this.happened("resolve", path, which)), { signal: this.ends.signal })
        const side = document.createElement("div")
        side.append(Object.assign(document.createElement("strong"), { textContent: title }), document.createElement("span"), b)
        choice.append(side)
      }
      put(choice)
      this.choices.set(path, choice)
    }
    const [yours, saved] = choice.querySelectorAll("span")
    yours.textContent = mine || "(nothing)"
    saved.textContent = theirs || "(nothing)"
  }

  rows({ path, asked, contested, value: count, saved }, issues) {
    const group = this.target(path)
    if (!group) return
    group.hidden = !asked
    group.toggleAttribute("data-leanwicket-unasked", group.hidden)
    /** @type {any} */
    const number = this.form.elements.namedItem(path)
    if (number) number.value = String(count)
    const rows = this.rowsOf(group)
    rows.slice(count).forEach(r => r.remove())
    const template = group.querySelector("template")
    if (!template && count > rows.length) this.lacks(`rows of ${path} have no template`, `a <template> with one row in the element with data-leanwicket-rows="${path}"`)
    for (let k = rows.length; k < count && template; k++) {
      const row = /** @type {HTMLElement} */ (template.content.firstElementChild.cloneNode(true))
      row.dataset.leanwicketRow = ""
      // In names, ids and what refers to them * stands for the row, where its group is before it.
      for (const element of [row, .../** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll("*"))]) {
        for (const a of element.attributes) a.value = a.value.replaceAll(path + "/*", path + "/" + k).replaceAll(path.replaceAll("/", "-") + "-*", path.replaceAll("/", "-") + "-" + k)
        if ("leanwicketNumber" in element.dataset) element.textContent = String(k + 1)
        if (row.classList.contains("leanwicket-row")) for (const child of element.childNodes) if (child instanceof Text) child.data = child.data.replaceAll("*", String(k + 1))
      }
      if (k === 0) row.querySelector(`[name=leanwicket-move][value="${CSS.escape(path)}/0"]`)?.remove()
      template.before(row)
      this.pickers(row.querySelectorAll("input[data-leanwicket-picker]"))
    }
    const label = (group.querySelector(":scope > legend, :scope > caption")?.textContent.trim()) || this.session.field(path)?.label || path
    this.contested(path, contested, count + " × " + label, saved + " × " + label, choice => group.append(choice))
    this.issues(path, [], group, issues)
  }

  // The notice tells that what was typed before is back, until the applicant goes on. It
  // offers what a closed tab left, until something is typed.
  draft() {
    const { draft, offered: [offer], unsaved, submission } = this.session.snapshot
    const own = draft && this.goneOn !== draft
    const shown = own ? draft : !draft && !unsaved && submission === "idle" ? offer : undefined
    if (this.drafted === shown && this.draftIsOwn === own) return
    this.drafted = shown
    this.draftIsOwn = own
    const label = path => this.session.field(path)?.label || path
    const time = shown && new Date(shown.at).toLocaleString(document.documentElement.lang || undefined, { dateStyle: "long", timeStyle: "short" })
    const again = shown?.again.length ? ` Not kept, to be typed again: ${shown.again.map(label).join(", ")}.` : ""
    this.drafts.textContent = !shown ? "" : own ? `What you had typed is back, from ${time}.${again}` : `A tab that was closed has answers of ${time} that were not sent.${again}`
    const button = (text, does) => {
      const b = Object.assign(document.createElement("button"), { type: "button", textContent: text })
      b.addEventListener("click", e => this.guarded(e, () => { does(); this.notice.focus({ preventScroll: true }) }), { signal: this.ends.signal })
      return b
    }
    const discard = button(own ? "Discard it" : "Discard them", () => this.session.discard(own ? undefined : shown))
    this.draftButtons.replaceChildren(...!shown ? [] : own ? [discard] : [button("Go on with them", () => this.session.takeOver(shown)), discard])
  }

  // The rows of a group that are on the page.
  rowsOf(group) {
    const template = group.querySelector("template")
    return [...(template ? template.parentElement : group).children].filter(e => e.matches(aRow))
  }

  // This looks once, when the form opens, for what the markup lacks. An answer that is always
  // needed and has no control could never be given.
  lacking() {
    const { snapshot } = this.session
    const known = snapshot.fields.flatMap(f => f.kind === "rows" ? [f.path, ...this.session.members(f.path)] : [f.path])
    for (const what of ["issues", "field", "rows"]) {
      for (const element of this.all(`[data-leanwicket-${what}]`)) {
        const path = element.getAttribute("data-leanwicket-" + what) || ""
        if (!known.includes(path.replace(/\/\d+\//, "/*/"))) this.lacks(`data-leanwicket-${what}="${path}" is of no field of the form`, "one of: " + known.join(", "))
      }
    }
    for (const f of snapshot.fields) {
      if (f.kind !== "rows" && f.required && f.asked && !this.controls(f.path).length) this.lacks(`${f.path} has to be answered and has no control`, `a control with name="${f.path}"`)
    }
  }

  // What the page lacks is said once, with the remedy.
  lacks(what, remedy) {
    if (this.missed.has(what)) return
    this.missed.add(what)
    console.warn(`leanwicket: ${what}; right would be ${remedy}`)
  }

  // say shows a message once: above what is wrong where it speaks of that, else in the
  // notice, until the applicant acts, or until prefill or submission are in another state.
  say({ level, text, about: kind, until }) {
    const wrong = kind === "wrong" && this.wrongs().length > 0
    this.heading.textContent = wrong ? text : ""
    this.summary.hidden = !wrong
    const line = document.createElement("span")
    line.append(text)
    const { receipt } = this.session.snapshot
    if (kind === "good" && receipt) line.append(" ", Object.assign(document.createElement("a"), { href: receipt, textContent: receipt }))
    this.polite.replaceChildren(...(!wrong && level === "polite" ? [line] : []))
    this.urgent.replaceChildren(...(!wrong && level !== "polite" ? [line] : []))
    this.noticed = kind
    this.saidUntil = until
    this.saidAt = this[until] || ""
  }

  // What shows of the issues, in the page's order, those of the form first.
  /** @returns {{target?: any, text: string}[]} */
  wrongs() {
    const all = []
    for (const [path, issues] of this.shown) {
      if (!issues.length) continue
      const target = this.controls(path)[0] || this.target(path)
      if (target) target.id ||= this.id(path)
      if (target) all.push(...issues.map(text => ({ target, text })))
    }
    all.sort((a, b) => a.target.compareDocumentPosition(b.target) & 2 ? 1 : -1)
    return [...this.session.snapshot.issues.filter(i => i.shown).map(({ text }) => ({ text })), ...all]
  }

  // refresh brings summary, notice and title in step with what is so now.
  refresh() {
    if (this.saidAt !== (this[this.saidUntil] || "")) { // what was said then matters no more
      this.polite.textContent = this.urgent.textContent = ""
      this.noticed = ""
    }
    const wrong = this.summary.hidden ? [] : this.wrongs()
    if (!wrong.length) this.summary.hidden = true
    const items = wrong.map(({ target, text }) => {
      const item = document.createElement("li")
      item.append(target && target.type !== "hidden" ? Object.assign(document.createElement("a"), { href: "#" + target.id, textContent: text }) : text)
      return item
    })
    if (this.list.innerHTML !== items.map(i => i.outerHTML).join("")) this.list.replaceChildren(...items)
    this.pending.textContent = this.polite.textContent || this.urgent.textContent ? "" : this.session.snapshot.pending
    for (const kind of ["good", "unsure"]) this.notice.classList.toggle("leanwicket-" + kind, this.noticed === kind)
    this.notice.hidden = !this.polite.textContent && !this.urgent.textContent && !this.pending.textContent && !this.drafted && this.leftOut.hidden
    if (this.title) {
      const pending = ["sending", "checking", "waiting"].includes(this.submission)
      const title = (wrong.length ? wrong.length + " to mend – " : pending ? "Sending – " : this.submission === "accepted" ? "Received – " : "") + this.title
      if (document.title !== title) document.title = title
    }
  }

  // The notice never covers what has the focus.
  uncover() {
    const focused = /** @type {HTMLElement} */ (this.root.activeElement)
    if (this.notice.hidden || !focused || !this.owns(focused)) return
    const { top, bottom } = this.notice.getBoundingClientRect(), place = focused.getBoundingClientRect(), covered = place.bottom + 8 - top
    if (covered <= 0 || bottom <= place.top) return
    /** @type {Element | null} */
    let scrolled = this.form.parentElement
    while (scrolled && scrolled !== document.body && !["auto", "scroll"].includes(getComputedStyle(scrolled).overflowY)) scrolled = scrolled.parentElement
    if (!scrolled || scrolled === document.body) scrolled = document.scrollingElement
    scrolled.scrollTop += covered
  }

  // The element of a row that has the focus, and the place that the row had before this change.
  focused(before) {
    /** @type {any} */
    const element = this.root.activeElement
    const line = element?.closest(aRow)
    if (!line || !this.owns(line)) return
    const group = before.fields?.find(f => f.kind === "rows" && this.target(f.path)?.contains(line))
    if (!group) return
    const place = this.rowsOf(this.target(group.path)).indexOf(line)
    const called = (e, k) => [e.localName, e.name, ["radio", "checkbox", "submit"].includes(e.type) && e.value].join(" ").replaceAll(group.path + "/" + k, group.path)
    const name = called(element, place)
    const alike = (row, k) => [...row.querySelectorAll(element.localName)].filter(e => called(e, k) === name)
    return { element, path: group.path, place, key: group.rows[place]?.key, alike, index: alike(line, place).indexOf(element), from: element.selectionStart, to: element.selectionEnd }
  }

  // The focus stays with its row when rows before it have come or gone. The applicant goes on
  // typing in the same answer, and a button that has the focus is still the one of that row.
  follow({ element, path, place, key, alike, index, from, to }) {
    const now = this.session.field(path).rows.findIndex(row => row.key === key)
    if (now === place) return
    if (now < 0) return element.isConnected ? undefined : this.rowFocus("remove", path, place)
    const twin = alike(this.rowsOf(this.target(path))[now], now)[index]
    this.following = true // nobody has left the field
    twin?.focus()
    this.following = false
    if (twin && from != null) twin.setSelectionRange(from, to)
  }

  // The focus stays near a row that goes: on the next one, the previous one, or the
  // button that adds one.
  rowFocus(what, path, at) {
    const group = this.target(path)
    const rows = group ? this.rowsOf(group) : []
    const row = rows[Math.min(at, rows.length - 1)]
    const target = what === "add" ? row?.querySelector("input:not([type=hidden]), textarea, select") : row?.querySelector(`[name=leanwicket-${what}]`) || row?.querySelector("[name=leanwicket-remove]")
    ;(target || group?.querySelector("[name=leanwicket-add]"))?.focus()
  }

  // A date is typed, or chosen in the browser's own calendar.
  pickers(controls) {
    for (const control of controls) {
      const date = Object.assign(document.createElement("input"), { type: "date", tabIndex: -1 })
      date.setAttribute("aria-hidden", "true")
      Object.assign(date.style, { position: "absolute", width: "1px", height: "1px", padding: 0, border: 0, opacity: 0, pointerEvents: "none" })
      const button = Object.assign(document.createElement("button"), { type: "button", className: "leanwicket-pick", textContent: "Calendar" })
      button.setAttribute("aria-label", "Calendar for " + control.dataset.leanwicketPicker)
      button.addEventListener("click", e => this.guarded(e, () => {
        if (control.readOnly) return
        date.value = /^\d{4}-\d\d-\d\d$/.test(control.value) ? control.value : ""
        date.showPicker()
      }), { signal: this.ends.signal })
      date.addEventListener("change", e => this.guarded(e, () => {
        if (control.readOnly || !date.value) return
        control.value = date.value
        this.happened("edit", control.name, date.value)
        this.happened("blur", control.name)
        control.focus()
      }), { signal: this.ends.signal })
      control.after(button, date)
      this.added.push(button, date)
    }
  }

  focus(path) {
    if (path === "") return (this.summary.hidden ? this.notice : this.summary).focus()
    const control = this.controls(path)[0] || this.target(path)
    control?.focus()
  }

  ask(reason) {
    if (!this.dialog) {
      this.dialog = document.createElement("dialog")
      this.dialog.className = "leanwicket-ask"
      this.dialog.setAttribute("aria-labelledby", this.prefix + "ask-title")
      this.dialog.addEventListener("cancel", e => this.guarded(e, () => { e.preventDefault(); this.happened("leave answered", "stay") }), { signal: this.ends.signal })
      document.body.append(this.dialog)
    }
    const words = { unsaved: "What you have typed is not sent yet.", sending: "Your answers are still being sent.", unsettled: "It is not known whether your answers have arrived." }
    const title = Object.assign(document.createElement("p"), { id: this.prefix + "ask-title", textContent: words[reason] || reason })
    const answers = [["stay", "Stay"], ["submit", "Send and leave"], ["discard", "Leave without it"]].map(([answer, label]) => {
      const b = Object.assign(document.createElement("button"), { type: "button", value: answer, textContent: label })
      b.addEventListener("click", e => this.guarded(e, () => { this.dialog.close(); this.happened("leave answered", answer) }), { signal: this.ends.signal })
      return b
    })
    const buttons = document.createElement("div")
    buttons.className = "leanwicket-buttons"
    buttons.append(...answers)
    this.dialog.replaceChildren(title, buttons)
    if (!this.dialog.open) this.dialog.showModal()
  }
}
