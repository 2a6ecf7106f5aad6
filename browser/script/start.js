// Lean Wicket in a page. One script tag and one attribute:
//
//   <script src="/leanwicket/leanwicket.js" defer></script>
//   <form data-leanwicket-form="/forms/mooring.form"> … </form>
//
// The attribute names the compiled form. Controls are found by their names, which
// are the paths of the fields. If anything fails, the page works as it did before.
import { pages } from "./guard.js"
import { pageOf } from "./page.js"
import { plain } from "./places.js"
import { open } from "./open.js"
import "./style.js"

const here = document.currentScript instanceof HTMLScriptElement ? document.currentScript.src : location.href

// What is kept of further forms of one source on a page has their id as well, or their
// number.
function keptAs(form) {
  const { dataset, id } = plain(form)
  const place = [...document.querySelectorAll(`form[data-leanwicket-form="${CSS.escape(dataset.leanwicketForm)}"]`)].indexOf(form)
  return place > 0 ? id || String(place) : undefined
}

// The headers of each request, as the form declares them: a token of a <meta> of the page,
// and what a function of the page returns.
function headersOf(form) {
  const { leanwicketToken: token, leanwicketHeaders: named } = plain(form).dataset
  if (!token && !named) return undefined
  return async request => {
    const headers = {}
    if (token) {
      const [header, meta] = token.trim().split(/\s+/)
      const found = /** @type {HTMLMetaElement | null} */ (document.querySelector(`meta[name="${CSS.escape(meta || "")}"]`))
      if (found) headers[header] = found.content
      else console.warn(`leanwicket: no <meta name="${meta}"> has the token of ${header}; right would be data-leanwicket-token="HEADER META"`)
    }
    if (named && typeof globalThis[named] === "function") return { ...headers, ...await globalThis[named](request) }
    if (named) console.warn(`leanwicket: the window has no function ${named}, so that requests go without its headers; right would be data-leanwicket-headers="FUNCTION"`)
    return headers
  }
}

/** Functions of the window that a form names: data-leanwicket-send="sendPermit" and the like. */
function functionsOf(form) {
  const found = {}
  for (const what of ["load", "check", "send", "prepare"]) {
    const named = plain(form).dataset["leanwicket" + what[0].toUpperCase() + what.slice(1)]
    if (named) found[what] = asked => functionOf(named, what)(asked)
  }
  const { leanwicketRecord: record } = plain(form).dataset
  if (record) found.record = functionOf(record, "record")()
  return found
}

/** A function of the window. @param {string} named @param {string} what */
function functionOf(named, what) {
  if (typeof globalThis[named] === "function") return globalThis[named]
  throw new Error(`the window has no function ${named}; right would be data-leanwicket-${what}="FUNCTION"`)
}

async function start(form, fromTheStart = false) {
  const { leanwicketForm: source, leanwicketAccount: account, leanwicketKeep: keep, leanwicketGiven: given = "" } = plain(form).dataset
  const page = pageOf(form, fromTheStart)
  try {
    const session = await open(source, { core: new URL("leanwicket.wasm", here), account, defaults: page.markup(), headers: headersOf(form), ...functionsOf(form), given: Object.fromEntries(new URLSearchParams(given)), keep: { name: keptAs(form), hours: keep === "off" ? 0 : Number(keep || 24) } })
    page.open(session)
  } catch (failed) {
    if (page.alive) page.giveUp(failed)
    else console.error("leanwicket:", failed)
  }
  return page
}

const living = form => pages.find(p => p.element === form && p.alive)
const api = {
  /** Binds a form that was added after the page had loaded. */
  bind: form => start(form),
  /** Ends what was bound to a form that is taken from the page; what was typed is kept. */
  release: form => living(form)?.release(),
  /** The form's state, as the attribute data-leanwicket-state has it. */
  state: form => living(form)?.submission,
  /** Tells the session of a form what happened: ("refresh"), ("retry"), ("cancel"), ("edit", path, raw). */
  tell: (form, what, ...texts) => living(form)?.happened(what, ...texts),
  /** The record of the session so far, as leanwicket replay reads it. */
  trace: form => living(form)?.session.trace(),
  /** The session of a form, for scripts. */
  session: form => living(form)?.session,
  /** Opens a session without a form on the page. */
  open: (source, options = {}) => open(source, { core: new URL("leanwicket.wasm", here), ...options }),
}
globalThis.leanwicket = api
const all = () => document.querySelectorAll("form[data-leanwicket-form]").forEach(form => start(form, true))
if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", all)
else all()
