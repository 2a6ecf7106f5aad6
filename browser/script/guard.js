/**
 * A form of this document whose session is asked before the applicant leaves.
 * @typedef {{alive: boolean, session: import("./session.js").Session, form: HTMLFormElement, [more: string]: any}} Guarded
 */

/** The forms of this document that are bound, or about to be. @type {Guarded[]} */
export const pages = []

// One guard for all forms of a document: each is asked in turn, and when none has
// objected, off it goes.
export const guard = {
  /** What is done when nobody objects; undefined: nobody is leaving. @type {(() => void) | undefined} */
  go: undefined,
  to: "",
  passes: false,
  /** Those that agreed. @type {Guarded[]} */
  asked: [],
  /** The one that is being asked. @type {Guarded | undefined} */
  at: undefined,
  /** @param {string} to @param {() => void} go */
  leave(to, go) {
    this.go = go
    this.to = to
    this.asked = []
    this.next()
  },
  next() {
    const page = this.at = pages.find(p => p.alive && !this.asked.includes(p))
    if (page) return page.session.tell("leave asked", this.to, "inside")
    const go = this.go
    this.go = undefined
    go?.()
  },
  /** @param {Guarded} page */
  agrees(page) {
    if (!this.go) return
    this.asked.push(page)
    this.next()
  },
  /** @param {Guarded} page */
  stays(page) {
    if (!this.go || page !== this.at) return
    this.go = undefined
    for (const p of this.asked.splice(0)) p.session.tell("returned")
  },
  // Whether leaving loses anything.
  needed() { return pages.some(p => p.alive && p.session.snapshot.guarded) },
}
/** @param {string} to */
const away = to => () => location.assign(to)
globalThis.document?.addEventListener("click", e => {
  const link = e.target instanceof Element && /** @type {HTMLAnchorElement | null} */ (e.target.closest("a[href]"))
  if (!link || !guard.needed() || e.defaultPrevented || e.button !== 0 || e.ctrlKey || e.metaKey || e.shiftKey || e.altKey || link.target && link.target !== "_self" || link.hasAttribute("download")) return
  const to = new URL(link.href, location.href)
  if (to.origin !== location.origin || to.pathname === location.pathname && to.hash) return
  e.preventDefault()
  guard.leave(to.href, away(to.href))
})
// Back, forward and pushState inside an application: the document stays, the page
// of the form does not.
globalThis.navigation?.addEventListener("navigate", (/** @type {any} */ e) => {
  const to = new URL(e.destination.url)
  if (guard.passes || !e.cancelable || !e.destination.sameDocument || to.pathname === location.pathname || !guard.needed()) return
  e.preventDefault()
  const key = e.navigationType === "traverse" && e.destination.key
  guard.leave(to.href, key ? async () => {
    guard.passes = true
    await navigation.traverseTo(key).finished.catch(() => {})
    guard.passes = false
    for (const p of pages) if (p.alive && p.form.isConnected) p.session.tell("returned")
  } : away(to.href))
})
