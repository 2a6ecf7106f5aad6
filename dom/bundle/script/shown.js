// What a form shows.
const shown = {
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
  },

  box(path) {
    const control = this.controls(path)[0]
    return control?.closest("[data-leanwicket-field], .field") || control?.parentElement || this.form.querySelector(`[data-leanwicket-field="${CSS.escape(path)}"]`)
  },

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
  },

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
  },

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
  },

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
  },

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
  },

  focus(path) {
    if (path === "") return this.summary.focus()
    const control = this.controls(path)[0] || document.getElementById("leanwicket-" + path.replaceAll("/", "-"))
    control?.focus()
  },

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
  },
}
