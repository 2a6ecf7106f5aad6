// One form that is bound. It has a session, which is told what happens to the controls, and a
// view, which shows what the session says.
import { controlsOf } from "./controls.js"
import { guard, pages } from "./guard.js"
import { listen } from "./listen.js"
import { placesOf } from "./places.js"
import { broughtBack, isComing, isTouched } from "./untouched.js"
import { halfTyped } from "./values.js"
import { viewOf } from "./view.js"

/** How many forms of this document were bound, now and before. */
let made = 0

/**
 * What the parts of a bound form share.
 * @typedef {object} Bound
 * @property {import("./session.js").Session} session
 * @property {HTMLFormElement} form
 * @property {boolean} alive
 * @property {AbortController} ends
 * @property {Element[]} added elements beside the controls
 * @property {(what: string, ...texts: string[]) => void} happened tells the session
 * @property {(event: any, f: (event: any) => void) => void} guarded
 * @property {(target: EventTarget, type: string, f: (event: any) => void, capture?: boolean) => void} on
 * @property {(what: string, remedy: string) => void} lacks
 */

/**
 * @param {HTMLFormElement} element
 * @param {boolean} fromTheStart whether the form was on the page when that was shown
 */
export function pageOf(element, fromTheStart) {
  const places = placesOf(element, made++)
  const { form, controls } = places
  const held = controlsOf(places)
  const back = broughtBack && fromTheStart // what came later, no browser brings back
  /** What the page lacks, as far as it was said. @type {Set<string>} */
  const missed = new Set()
  /** @type {ReturnType<typeof viewOf>} */
  let view
  let unobserve

  /** Tells the session that what stands in the controls of a name has been typed. @param {string} name */
  function read(name) {
    if (!held.isUntold(name)) return
    if (held.locked) held.early.set(name, held.raw(name))
    else page.happened("edit", name, held.raw(name))
  }

  /** What was typed early is taken when the fields can be edited. */
  function takeEarly() {
    if (held.locked || !held.early.size) return
    const typed = [...held.early]
    held.early.clear()
    for (const [path, raw] of typed) page.happened("edit", path, raw)
  }

  /**
   * What stood in the controls before the script arrived: what was typed is taken as typed, and
   * what a script of the page has put there stays, until it is read. What a browser brings back
   * from an earlier page is neither: that page's work is kept elsewhere.
   * @param {Map<string, string>} changed
   */
  function takeBefore(changed) {
    for (const [name, raw] of changed) {
      if (!page.session.field(name)) continue
      if (controls(name).some(isTouched)) held.early.set(name, raw)
      else if (!back) held.put(name, raw)
    }
    takeEarly()
    if (!back) return
    const writes = () => { for (const f of page.session.everyField()) view.write(f) }
    writes()
    if (isComing) addEventListener("pageshow", () => page.guarded(null, writes), { once: true, signal: page.ends.signal })
  }

  /** What happened once. */
  const does = {
    outcome: detail => form.dispatchEvent(new CustomEvent("leanwicket-" + detail.submission, { bubbles: true, detail })),
    announced: text => view.announce(text),
    focus: path => view.focus(path),
    question: ({ reason }) => view.ask(reason),
    left: ({ kind }) => { if (kind === "inside") guard.agrees(page) },
    navigate: to => { page.session.keepNow(); location.assign(to) }, // the core leads nowhere else than where the form may
    failed: failed => page.giveUp(failed),
  }

  /** Shows what a step has changed. @param {import("./view.js").Changed} change */
  function update(change) {
    view.update(change)
    if (page.session.snapshot.leaving === "present") guard.stays(page)
    takeEarly()
  }

  function end() {
    page.ends.abort()
    unobserve?.()
    pages.splice(pages.indexOf(page), 1)
    view?.end()
    for (const part of page.added) part.remove()
  }

  /** @type {Bound & {[name: string]: any}} */
  const page = {
    element, form, read,
    /** @type {any} */
    session: undefined,
    ends: new AbortController(),
    added: [],
    get alive() { return Boolean(page.session) && !page.ends.signal.aborted },
    get submission() { return page.session.snapshot.submission },
    markup: held.markup,

    guarded(event, f) {
      try { f(event) } catch (failed) { page.giveUp(failed) }
    },

    on(target, type, f, capture = false) {
      target.addEventListener(type, e => page.guarded(e, f), { signal: page.ends.signal, capture })
    },

    happened(what, ...texts) {
      if (!page.alive) return
      if (what === "edit") {
        const [name, raw] = texts
        held.agree(name)
        held.early.delete(name)
        // Who empties what the markup shows means the saved answer, which is still on its way.
        if (held.awaiting && page.session.field(name)?.raw === raw) return void held.early.set(name, raw)
      }
      page.session.tell(what, ...texts)
    },

    lacks(what, remedy) {
      if (missed.has(what)) return
      missed.add(what)
      console.warn(`leanwicket: ${what}; right would be ${remedy}`)
    },

    /** @param {import("./session.js").Session} session */
    open(session) {
      page.session = session
      const changed = held.changed()
      form.noValidate = true
      view = viewOf(page, places, held)
      for (const event in does) session.addEventListener(event, e => page.guarded(/** @type {CustomEvent} */ (e).detail, does[event]), { signal: page.ends.signal })
      unobserve = session.observe(change => page.guarded(change, update))
      session.reads = () => page.guarded(null, () => { for (const name of held.names()) read(name) })
      update({ fields: session.everyField(), before: {} })
      for (const f of session.everyField()) if (f.raw === halfTyped && !changed.has(f.path)) page.happened("edit", f.path, "") // no control shows it any more
      if (page.submission !== "idle") does.outcome({ submission: page.submission, said: session.snapshot.said?.text || "" })
      view.lacking()
      takeBefore(changed)
      listen(page, places, held, view)
      form.dataset.leanwicketReady = ""
    },

    /** The form is taken from the page: as if the page had been closed. */
    release() {
      end()
      page.session.close()
    },

    /** What is here fails: the page works as it did before. */
    giveUp(failed) {
      if (!page.alive) return
      end()
      page.session.fail(failed)
      held.lock(false)
      for (const f of places.all("[data-leanwicket-unasked]")) f.hidden = false
      form.removeAttribute("aria-busy")
      delete form.dataset.leanwicketReady
      form.dataset.leanwicketFailed = ""
    },
  }
  pages.push(page) // forms are asked in the order in which they were found
  return page
}
