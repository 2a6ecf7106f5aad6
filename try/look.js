// What can be seen of a page, for one question. Known beside this: fields, groups, submit,
// says, ignored.
const shows = e => e.checkVisibility({ opacityProperty: true, visibilityProperty: true }) && !e.closest("[aria-hidden=true]")

// Everything is looked for in the document, in each open shadow root, and in each frame of
// the same origin.
const within = root => [root, ...[...root.querySelectorAll("*")].flatMap(e => {
  const inner = e.shadowRoot ?? (e.tagName === "IFRAME" && shows(e) ? e.contentDocument : null)
  return inner ? within(inner) : []
})]
let roots = within(document)
const every = selector => roots.flatMap(root => [...root.querySelectorAll(selector)])
const active = () => {
  let e = document.activeElement
  for (let inner; (inner = e?.shadowRoot?.activeElement ?? e?.contentDocument?.activeElement);) e = inner
  return e
}
const closest = (e, selector) => e && (e.closest(selector) ?? closest(e.getRootNode().host, selector)) // of shadow roots too
const isIgnored = e => ignored.some(selector => e.closest?.(selector))

// The controls of a field: by selector, by name, or by the label where just one has it.
const widgets = "[role=combobox], [role=listbox], [role=checkbox], [role=switch], [role=radiogroup], [role=spinbutton], [role=textbox]"
const operable = () => every(`input:not([type=hidden], [type=submit], [type=button], [type=reset], [type=image]), select, textarea, ${widgets}`).filter(e => !e.name?.startsWith("leanwicket-"))
const plain = text => (text ?? "").replace(/[*:]|\((required|optional)\)/gi, "").replace(/\s+/g, " ").trim().toLowerCase()
const written = (root, ids) => (ids ?? "").split(/\s+/).map(id => id && root.getElementById?.(id)?.textContent).filter(Boolean).join(" ")
// The text of a label without those of the controls in it.
const caption = label => {
  const copy = label.cloneNode(true)
  copy.querySelectorAll("input, select, textarea, button, [role]").forEach(e => e.remove())
  return copy.textContent
}
const nameOf = c => plain(written(c.getRootNode(), c.getAttribute("aria-labelledby")) || c.getAttribute("aria-label")
  || (c.type === "radio" ? (c.closest("fieldset")?.querySelector("legend")?.textContent ?? "") : [...c.labels ?? []].map(caption).join(" ")) || c.title)
let names // of what is operable, once
const labelled = ({ label }, row) => {
  names ??= operable().map(c => [c, nameOf(c)])
  const all = label ? names.filter(([, name]) => name === plain(label)).map(([c]) => c) : []
  if (row !== undefined) return all.slice(row, row + 1)
  return all.length === 1 || all.every(c => c.type === "radio" && c.name === all[0].name) ? all : []
}
const inRow = /\/\*(?=\/|$)/
const found = (field, row) => {
  const path = row === undefined ? field.path : field.path.replace(inRow, `/${row}`)
  if (field.parts) return field.parts.map(selector => every(selector)[0]).filter(Boolean)
  if (field.selector) return every(field.selector.replaceAll("{row}", row))
  const named = [...new Set(every(`[name="${CSS.escape(path)}"]:not([type=hidden])`).map(inner))] // a component and its control may both have the name
  return named.length ? named : labelled(field, row)
}
// Where several forms have a control of a name, it is the one of the page's form.
const controls = (field, row) => {
  const all = found(field, row), own = form()
  const inOwn = all.filter(c => formOf(c) === own)
  return inOwn.length ? inOwn : all
}
// A component's own control, where it has just one that is no widget of several parts.
const inner = c => {
  const own = [...c.shadowRoot?.querySelectorAll("input:not([type=hidden]), textarea, select") ?? []].filter(e => e.ariaHidden !== "true")
  return own.length === 1 && own[0].role !== "combobox" ? own[0] : c
}
// The fields that are on the page, with their controls: of one in rows, those of each row
// that is there.
const most = 20
const present = () => fields.flatMap(f => inRow.test(f.path)
  ? Array.from({ length: most }, (_, row) => ({ ...f, path: f.path.replace(inRow, `/${row}`), all: controls(f, row) })) : [{ ...f, all: controls(f) }])
  .filter(f => f.all.length)
// The form of a page is the one with most of the declared fields: others may have some of them too.
const formOf = c => c.form?.elements ? c.form : closest(c, "form")
let best // is the form of this question
const form = () => {
  if (best !== undefined) return best
  const owners = fields.flatMap(f => [...new Set(found(f, inRow.test(f.path) ? 0 : undefined).map(formOf))]).filter(Boolean)
  const fieldsOf = owner => owners.filter(o => o === owner).length
  return best = owners.reduce((most, owner) => most && fieldsOf(most) >= fieldsOf(owner) ? most : owner, undefined) ?? every("form")[0] ?? null
}
const inForm = selector => form() ? every(selector).filter(e => (e.form ?? closest(e, "form")) === form() && shows(e)) : []
// The buttons of rows add, move and remove; they submit nothing.
const ofRows = b => b.name.startsWith("leanwicket-") && b.name !== "leanwicket-button" || groups.map(adder).includes(b)
const declared = () => inForm("button[type=submit], input[type=submit]").filter(b => !ofRows(b))
// Who says of one button that it submits means that the others do not, also while it
// is away.
const candidates = () => says || declared().length ? declared() : inForm("button:not([type])").filter(b => !ofRows(b))
const buttons = () => submit ? every(submit).filter(shows) : candidates()

// The lines that can be read, but for those of what is ignored.
const textOf = root => root.body ? root.body.innerText : [...root.children].filter(e => e.checkVisibility()).map(e => e.innerText).join("\n")
const linesOf = text => text.split("\n").map(l => l.trim()).filter(Boolean)
const live = "[aria-live]:not([aria-live=off]), [role=status], [role=alert], [role=log], output"
const isHeardOnly = e => e.offsetWidth <= 1 || e.offsetHeight <= 1 // it is drawn for screen readers alone
const lines = () => {
  const left = [...ignored.flatMap(every), ...every(live).filter(isHeardOnly)].filter(shows).flatMap(e => linesOf(e.innerText))
  return roots.flatMap(root => linesOf(textOf(root))).filter(line => {
    const k = left.indexOf(line)
    if (k >= 0) left.splice(k, 1)
    return k < 0
  })
}
const kindOf = c => c.getAttribute("role") && c.matches(widgets) && !["textbox", "spinbutton"].includes(c.getAttribute("role")) ? c.getAttribute("role")
  : c.type ?? (c.isContentEditable || c.matches("[role=textbox]") ? "textbox" : c.getAttribute("role") ?? "")
const read = all => {
  const c = all[0]
  if (!c) return null
  switch (kindOf(c)) {
    case "checkbox": case "radio": case "switch":
      return all.filter(c => c.checked ?? c.getAttribute("aria-checked") === "true").map(c => c.value ?? "true").join("\n")
    case "file":
      return [...c.files].map(f => f.name).join("\n")
    case "select-multiple":
      return [...c.selectedOptions].map(o => o.value).join("\n")
    case "radiogroup": case "listbox":
      return [...c.querySelectorAll("[aria-checked=true], [aria-selected=true], :checked")].map(o => o.value || o.dataset.value || o.innerText.trim()).join("\n")
  }
  return all.map(c => c.value ?? c.innerText.trim()).join(" ").trim()
}
const described = c => ["aria-describedby", "aria-errormessage"].flatMap(a => (c.getAttribute(a) || "").split(" "))
  .map(id => id && c.getRootNode().getElementById?.(id)).filter(e => e && shows(e) && !isIgnored(e)).map(e => e.innerText.trim()).filter(Boolean).join("\n")
const editable = c => !c.matches(":disabled") && !c.readOnly && c.getAttribute("aria-disabled") !== "true" && c.getAttribute("aria-readonly") !== "true"
const count = (selector, which) => every(selector).filter(e => which(e) && !isIgnored(e)).length
const look = () => {
  const there = present(), at = active()
  return {
    url: roots.filter(r => r.location).map(r => r.location.href).join(" "), // of the page, and of the frames in it
    lines: lines(),
    live: every(live).filter(e => !isIgnored(e)).map(e => e.innerText.trim()).filter(Boolean),
    busy: count("[aria-busy=true]", shows),
    dialogs: count("dialog[open], [role=dialog], [role=alertdialog]", shows),
    focus: there.find(f => f.all.includes(at))?.path ?? "",
    focusText: at === document.body ? "" : (at?.innerText ?? "").trim(),
    says: declared().length > 0,
    buttons: buttons().map(b => ({ text: (b.innerText || b.value || b.getRootNode().host?.innerText || "").trim(), described: described(b), held: b.matches(":disabled") || b.getAttribute("aria-disabled") === "true" || b.getAttribute("aria-busy") === "true" })),
    fields: Object.fromEntries(there.map(({ path, all }) => [path, {
      value: read(all), invalid: all.some(c => c.getAttribute("aria-invalid") === "true"), native: all.some(c => c.matches(":invalid")) && !form()?.noValidate,
      described: all.map(described).filter(Boolean).join("\n"), editable: all.some(editable), shown: all.some(shows), type: kindOf(all[0]),
    }])),
  }
}

// What a hand needs to find.
const named = path => present().find(f => f.path === path)?.all ?? []
const reach = c => c.scrollIntoView({ block: "center", behavior: "instant" })
const focusOn = c => {
  reach(c)
  c.focus()
  if (c.select) c.select()
  else if (c.isContentEditable) c.ownerDocument.getSelection().selectAllChildren(c)
}
const begin = (path, k = 0) => focusOn(named(path)[k])
const beginAt = selector => focusOn(every(selector)[0])
const isTicked = c => c.checked ?? c.getAttribute("aria-checked") === "true"
const tick = (path, raw) => {
  const all = named(path), c = all.length === 1 ? all[0] : all.find(c => c.value === raw)
  if (c && isTicked(c) !== (raw !== "" && raw !== "false")) c.click()
  return Boolean(c)
}
// Sets a value past a framework that watches the control's own property.
const setValue = (c, raw) => Object.getOwnPropertyDescriptor(Object.getPrototypeOf(c), "value").set.call(c, raw)
// As the browser's own picker of dates, choices and files does; whether the control
// takes it.
const put = (c, raw) => {
  c.focus()
  if (c.type === "file" && raw) {
    const chosen = new DataTransfer()
    chosen.items.add(new File(["Saltmarsh Quay"], raw))
    c.files = chosen.files
  } else if (c.type === "select-multiple") [...c.options].forEach(o => { o.selected = raw.split("\n").includes(o.value) })
  else setValue(c, raw)
  const taken = read([c]) === raw
  for (const type of ["input", "change"]) c.dispatchEvent(new Event(type, { bubbles: true, composed: true }))
  return taken
}
// As a password manager does: the value is there, and no event tells of it.
const putUntold = (path, raw) => setValue(named(path)[0], raw)
const pick = (path, raw) => put(named(path)[0], raw)
// A part of a date: a choice has the number in its way, with or without a zero before it.
const pickPart = (path, k, number) => {
  const c = named(path)[k]
  if (!c) return ""
  if (c.tagName !== "SELECT") return "typed"
  const option = [...c.options].find(o => o.value !== "" && Number(o.value) === Number(number)) ?? [...c.options].filter(o => o.value !== "")[Number(number) - 1]
  return option && put(c, option.value) ? "picked" : ""
}
// The element of a selector that reads so, or has this value.
const reading = (selector, ...texts) => every(selector).find(e => shows(e) && texts.some(text => text !== "" && (plain(e.innerText) === plain(text) || e.dataset.value === text || e.value === text || e.getAttribute("value") === text)))
const inside = (path, selector, ...texts) => [...named(path)[0].querySelectorAll(selector)].find(e => reading(selector, ...texts) && texts.some(text => plain(e.innerText || e.getAttribute("aria-label")) === plain(text) || e.dataset.value === text))
const holds = (outer, e) => outer.contains(e) || Boolean(e.getRootNode().host && holds(outer, e.getRootNode().host))
// The middle of an element on the screen, and what covers it there.
const middle = e => {
  if (!e) return null
  reach(e)
  const r = e.getBoundingClientRect()
  let x = r.x + r.width / 2, y = r.y + r.height / 2
  let top = e.getRootNode().elementFromPoint?.(x, y)
  const covers = top && !holds(e, top) && !holds(top, e) && ![...e.labels ?? []].some(l => l.contains(top))
    ? top.tagName.toLowerCase() + (top.id && "#" + top.id) + (typeof top.className === "string" && top.className && "." + top.className.trim().replaceAll(/\s+/g, ".")) : ""
  for (let w = e.ownerDocument.defaultView; w !== window; w = w.parent) {
    const frame = w.frameElement.getBoundingClientRect()
    x += frame.x
    y += frame.y
  }
  return [x, y, covers]
}
// How many clicks on a submit button have come.
const heard = () => {
  if (globalThis.leanwicketHeard === undefined) {
    globalThis.leanwicketHeard = 0
    for (const root of roots.filter(r => r.body)) root.addEventListener("click", e => {
      roots = within(document) // the page may have been drawn anew
      names = undefined
      if (buttons().some(b => e.composedPath().includes(b))) globalThis.leanwicketHeard++
    }, true)
  }
  return globalThis.leanwicketHeard
}
// The button that adds a row.
const adder = group => every(group.selector || `[name="leanwicket-add"][value="${CSS.escape(group.path)}"]`)[0]
// Buttons that are not those that submit, of which there are so many.
const others = submits => inForm("button, input[type=button]")
  .filter(b => !buttons().slice(0, submits).includes(b) && !ofRows(b) && b.name !== "leanwicket-button" && b.getAttribute("role") !== "combobox" && b.type !== "reset")
// A link to another page of the site, or to another route behind the hash.
const link = hash => every("a[href]").find(a => {
  const to = new URL(a.href), location = a.ownerDocument.location
  return shows(a) && !a.target && to.origin === location.origin && (hash ? to.pathname === location.pathname && to.hash.startsWith("#/") && to.hash !== location.hash : to.pathname !== location.pathname)
})
// Selectors of what changes by itself, more than once within a time: an element that nobody
// has touched. A page on which nothing changes for half of it is quiet.
const talks = time => new Promise(done => {
  const changes = new Map()
  setTimeout(() => { if (!changes.size) ends() }, time / 2)
  const watcher = new MutationObserver(list => {
    const now = new Set(list.map(m => m.target.nodeType === 1 ? m.target : m.target.parentElement).filter(e => e && e !== document.body && !e.querySelector("input, select, textarea, button")))
    now.forEach(e => changes.set(e, (changes.get(e) ?? 0) + 1))
  })
  for (const root of roots) watcher.observe(root, { subtree: true, childList: true, characterData: true, attributes: true })
  const ends = () => {
    watcher.disconnect()
    const where = e => e.id ? "#" + CSS.escape(e.id) : e === document.documentElement || !e.parentElement ? e.tagName.toLowerCase() : `${where(e.parentElement)} > ${e.tagName.toLowerCase()}:nth-child(${[...e.parentElement.children].indexOf(e) + 1})`
    done([...changes].filter(([, times]) => times > 1).map(([e]) => where(e)))
  }
  setTimeout(ends, time)
})
// The end of changes in the page, or of patience.
const rest = () => new Promise(done => {
  let timer
  const ends = () => { watcher.disconnect(); done(true) }
  const again = list => {
    if (list?.every(m => isIgnored(m.target.nodeType === 1 ? m.target : m.target.parentElement ?? m.target))) return
    clearTimeout(timer)
    timer = setTimeout(ends, 250)
  }
  const watcher = new MutationObserver(again)
  for (const root of roots) watcher.observe(root, { subtree: true, childList: true, attributes: true, characterData: true })
  setTimeout(ends, 3000)
  again()
})
// What stands in private fields is not to be read in a picture.
const redact = paths => paths.flatMap(named).forEach(c => c.style?.setProperty("-webkit-text-security", "disc", "important"))
// The controls that belong to no field yet, and the buttons, each with a selector and what it
// is called.
const selectorOf = e => e.id ? "#" + CSS.escape(e.id) : e.name ? `${e.tagName.toLowerCase()}[name="${CSS.escape(e.name)}"]`
  : e.getAttribute("aria-label") ? `${e.tagName.toLowerCase()}[aria-label="${CSS.escape(e.getAttribute("aria-label"))}"]`
  : e.className ? `${e.tagName.toLowerCase()}.${e.className.trim().replaceAll(/\s+/g, ".")}` : e.tagName.toLowerCase()
const unclaimed = () => {
  const claimed = new Set(present().flatMap(f => f.all))
  const called = e => [selectorOf(e), nameOf(e) || e.placeholder || (e.innerText ?? "").trim()]
  return { controls: operable().filter(e => shows(e) && !claimed.has(e)).map(called), buttons: every("button, input[type=submit], [role=button]").filter(shows).map(called) }
}
// The markup as the scripts have made it: that of a frame or shadow root stands after its
// document's.
const markup = () => roots.map(r => r.documentElement?.outerHTML ?? r.innerHTML).join("\n")
