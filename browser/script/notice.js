// What a page says of its form: the summary of what is wrong above the form, the notice that
// sticks to the lower edge of the window, the title of the document, and the question at leaving.
import { make } from "./places.js"
import { acts } from "./table.js"

/**
 * @param {import("./page.js").Bound} page
 * @param {import("./places.js").Places} places
 * @param {import("./fields.js").FieldsShown} fields
 */
export function noticeOf(page, { form, root, owns, written, prefix, marked, controls, target, id }, { shown }) {
  const { session } = page, { word } = session
  const part = (name, put) => {
    const own = root().querySelector("#" + CSS.escape((written ? prefix : "leanwicket-") + name))
    const found = marked(name, "") || (form.id ? root().querySelector(`[data-leanwicket-${name}="${CSS.escape(form.id)}"]`) : null) || (own && !("leanwicketTaken" in own.dataset) ? own : null)
    const element = found || make("div")
    element.dataset.leanwicketTaken = ""
    element.id ||= prefix + name
    element.classList.add("leanwicket-" + name)
    if (!found) page.added.push(element)
    element.tabIndex = -1
    element.hidden = true
    element.replaceChildren()
    if (!element.isConnected) put(element)
    return element
  }
  const line = (parent, role) => {
    const p = make("p")
    if (role) p.setAttribute("role", role)
    parent.append(p)
    return p
  }
  const summary = part("summary", s => form.before(s))
  const heading = line(summary, "alert")
  const list = make("ol")
  summary.append(list)
  const notice = part("notice", n => form.after(n))
  const polite = line(notice, "status")
  const urgent = line(notice, "alert")
  const pending = line(notice) // seen, and not announced: aria-busy says it
  const leftOut = make("ul") // what an earlier page kept, and the form has no field for any more
  leftOut.append(...session.snapshot.leftOut.map(({ path, raw }) => make("li", { textContent: path + ": " + raw })))
  leftOut.hidden = !leftOut.children.length
  notice.append(leftOut)
  const signIn = make("div", { className: "leanwicket-buttons", hidden: true }) // beside what says that something was denied
  if (form.dataset.leanwicketSignIn) {
    const again = make("button", { type: "button", textContent: word("try-again") })
    page.on(again, "click", () => { session.snapshot.denied === "load" ? session.refresh() : session.retry(); notice.focus({ preventScroll: true }) })
    signIn.append(make("a", { href: form.dataset.leanwicketSignIn, target: "_blank", rel: "noopener", textContent: word("sign-in") }), " ", again)
  }
  notice.append(signIn)
  const drafts = line(notice, "status")
  const draftButtons = make("div", { className: "leanwicket-buttons" })
  notice.append(draftButtons)
  const hush = line(notice, "status") // announced, and not shown: the rows show it
  hush.className = "leanwicket-first"
  const sized = new ResizeObserver(() => document.documentElement.style.setProperty("--leanwicket-notice-height", notice.offsetHeight + "px"))
  sized.observe(notice)
  const title = form.dataset.leanwicketTitle

  /** What the notice says is of another colour: good, unsure, or none. */
  let noticed = ""
  /** Until when what was said matters, and what the state was then. */
  let saidUntil = "", saidAt = /** @type {string | null} */ ("")
  /** The draft that the applicant has seen, and gone on. @type {import("../leanwicket").Draft | undefined} */
  let goneOn
  /** The draft that is told of, and whether it is this tab's own. */
  let drafted, draftIsOwn
  let dialog

  const state = until => until === "submission" || until === "prefill" ? session.snapshot[until] : ""

  /** What shows of the issues, in the page's order, those of the form first. @returns {{target?: any, text: string}[]} */
  function wrongs() {
    const all = []
    for (const [path, issues] of shown) {
      if (!issues.length) continue
      const at = controls(path)[0] || target(path)
      if (at) at.id ||= id(path)
      if (at) all.push(...issues.map(text => ({ target: at, text })))
    }
    all.sort((a, b) => a.target.compareDocumentPosition(b.target) & 2 ? 1 : -1)
    return [...session.snapshot.issues.filter(i => i.shown).map(({ text }) => ({ text })), ...all]
  }

  /** The notice never covers what has the focus. */
  function uncover() {
    const focused = /** @type {HTMLElement} */ (root().activeElement)
    if (notice.hidden || !focused || !owns(focused)) return
    const { top, bottom } = notice.getBoundingClientRect(), place = focused.getBoundingClientRect(), covered = place.bottom + 8 - top
    if (covered <= 0 || bottom <= place.top) return
    /** @type {Element | null} */
    let scrolled = form.parentElement
    while (scrolled && scrolled !== document.body && !["auto", "scroll"].includes(getComputedStyle(scrolled).overflowY)) scrolled = scrolled.parentElement
    if (!scrolled || scrolled === document.body) scrolled = document.scrollingElement
    scrolled.scrollTop += covered
  }

  return {
    uncover,

    /** The applicant has seen what was said until then, and gone on. @param {string | undefined} act */
    passes(act) {
      if (!acts.includes(act)) return
      goneOn = session.snapshot.draft // who goes on has seen what was brought back
      if (saidUntil === "act") saidAt = null
    },

    announce(text) { hush.textContent = text },

    /** Shows a message once: above what is wrong where it speaks of that, else in the notice, until the applicant acts, or until prefill or submission are in another state. */
    say({ level, text, about, until }) {
      const wrong = about === "wrong" && wrongs().length > 0
      heading.textContent = wrong ? text : ""
      summary.hidden = !wrong
      const told = make("span")
      told.append(text)
      const { receipt } = session.snapshot
      if (about === "good" && receipt) told.append(" ", make("a", { href: receipt, textContent: receipt }))
      polite.replaceChildren(...(!wrong && level === "polite" ? [told] : []))
      urgent.replaceChildren(...(!wrong && level !== "polite" ? [told] : []))
      noticed = about
      saidUntil = until
      saidAt = state(until)
    },

    /** The notice tells that what was typed before is back, until the applicant goes on. It offers what a closed tab left, until something is typed. */
    draft() {
      const { draft, offered: [offer], unsaved, submission } = session.snapshot
      const own = draft && goneOn !== draft
      const told = own ? draft : !draft && !unsaved && submission === "idle" ? offer : undefined
      if (drafted === told && draftIsOwn === own) return
      drafted = told
      draftIsOwn = own
      const label = path => session.field(path)?.label || path
      const time = told && new Date(told.at).toLocaleString(document.documentElement.lang || undefined, { dateStyle: "long", timeStyle: "short" })
      const again = told?.again.length ? " " + word("draft-again", { fields: told.again.map(label).join(", ") }) : ""
      drafts.textContent = !told ? "" : word(own ? "draft-back" : "draft-offered", { time }) + again
      const button = (textContent, does) => {
        const b = make("button", { type: "button", textContent })
        page.on(b, "click", () => { does(); notice.focus({ preventScroll: true }) })
        return b
      }
      const discard = button(word(own ? "draft-discard" : "offer-discard"), () => session.discard(own ? undefined : told))
      draftButtons.replaceChildren(...!told ? [] : own ? [discard] : [button(word("offer-take"), () => session.takeOver(told)), discard])
    },

    /** Brings summary, notice and title in step with what is so now. */
    refresh() {
      if (saidAt !== state(saidUntil)) { // what was said then matters no more
        polite.textContent = urgent.textContent = ""
        noticed = ""
      }
      const wrong = summary.hidden ? [] : wrongs()
      if (!wrong.length) summary.hidden = true
      const items = wrong.map(({ target: at, text }) => {
        const item = make("li")
        item.append(at && at.type !== "hidden" ? make("a", { href: "#" + at.id, textContent: text }) : text)
        return item
      })
      if (list.innerHTML !== items.map(i => i.outerHTML).join("")) list.replaceChildren(...items)
      pending.textContent = polite.textContent || urgent.textContent ? "" : session.snapshot.pending
      signIn.hidden = !signIn.children.length || !session.snapshot.denied || !urgent.textContent
      for (const kind of ["good", "unsure"]) notice.classList.toggle("leanwicket-" + kind, noticed === kind)
      notice.hidden = !polite.textContent && !urgent.textContent && !pending.textContent && !drafted && leftOut.hidden
      if (!title) return
      const { submission } = session.snapshot
      const underWay = ["sending", "checking", "waiting"].includes(submission)
      const now = (wrong.length ? word("title-wrong", { count: wrong.length }) : underWay ? word("title-sending") : submission === "accepted" ? word("title-received") : "") + title
      if (document.title !== now) document.title = now
    },

    focus(path) {
      if (path === "") return (summary.hidden ? notice : summary).focus()
      const control = controls(path)[0] || target(path)
      control?.focus()
    },

    /** Asks whether to leave. */
    ask(reason) {
      if (!dialog) {
        dialog = make("dialog", { className: "leanwicket-ask" })
        dialog.setAttribute("aria-labelledby", prefix + "ask-title")
        page.on(dialog, "cancel", e => { e.preventDefault(); page.happened("leave decided", "stay") })
        document.body.append(dialog)
      }
      const asked = make("p", { id: prefix + "ask-title", textContent: word("leave-" + reason) })
      const buttons = make("div", { className: "leanwicket-buttons" })
      buttons.append(...["stay", "submit", "discard"].map(value => {
        const b = make("button", { type: "button", value, textContent: word("leave-" + value) })
        page.on(b, "click", () => { dialog.close(); page.happened("leave decided", value) })
        return b
      }))
      dialog.replaceChildren(asked, buttons)
      if (!dialog.open) dialog.showModal()
    },
    asksNoMore() { dialog?.close() },

    end() {
      sized.disconnect()
      dialog?.remove()
      for (const element of [notice, summary]) {
        element.hidden = true
        delete element.dataset.leanwicketTaken
      }
      if (title) document.title = title
    },
  }
}
