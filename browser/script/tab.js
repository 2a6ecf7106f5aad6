// This file knows which tab of the browser a page stands in. A tab has a name of its own,
// which its pages hand on to each other in sessionStorage, and a page holds a lock of that
// name for its life. A tab that is copied has the name of the other one, whose page holds the
// lock, so that it takes another name. A name whose lock is free belongs to a closed tab.
import { scope } from "./scope.js"

const noted = "leanwicket tab", lockOf = (/** @type {string} */ id) => "leanwicket tab " + id

/**
 * The browser's locks, where the page may have them.
 * @type {Promise<LockManager | undefined>}
 */
const lockable = (async () => {
  const locks = globalThis.navigator?.locks
  try { await locks.query(); return locks } catch { return undefined }
})()

/** A random number in hexadecimal. @param {number} bytes */
export const randomHex = bytes => Array.from(crypto.getRandomValues(new Uint8Array(bytes)), b => b.toString(16).padStart(2, "0")).join("")

const navigation = /** @type {PerformanceNavigationTiming | undefined} */ (performance.getEntriesByType("navigation")[0])

/** How the browser came to this document. It is empty where no browser says it. @type {string} */
export const cameBy = navigation?.type ?? ""

/** Whether the document has been shown when this script begins. */
export const wasShown = Boolean(navigation?.loadEventEnd)

/**
 * How long a page waits until the page before it in its tab has let go, in milliseconds. That
 * takes some 30 ms, and seconds on a busy machine; only the page of a tab that was copied waits
 * in vain, and that is no reload.
 */
const patience = cameBy === "reload" ? 5000 : 1000

/** How long pages without locks wait for each other's answers, in milliseconds. */
const answers = 300

/** The names that this page has, and what lets go of the lock of each. @type {Map<string, () => void>} */
const mine = new Map()

/** @type {Promise<BroadcastChannel | undefined> | undefined} */
let channel

/** Pages without locks, such as those that are not served over TLS, ask each other. */
const asking = () => channel ??= lockable.then(locks => {
  const others = locks || !globalThis.BroadcastChannel ? undefined : new BroadcastChannel(noted)
  others?.addEventListener("message", ({ data }) => { if (data === "who") for (const id of mine.keys()) others.postMessage({ here: id }) })
  return others
})

/** What other pages answer within a moment. @returns {Promise<string[]>} */
async function heard() {
  const others = await asking()
  /** @type {string[]} */
  const ids = []
  /** @param {MessageEvent} e */
  const hears = ({ data }) => { if (data.here) ids.push(data.here) }
  others?.addEventListener("message", hears)
  others?.postMessage("who")
  return new Promise(done => setTimeout(() => {
    others?.removeEventListener("message", hears)
    done(ids)
  }, others ? answers : 0))
}

/**
 * Takes a name for this page, unless another page has it.
 * @param {string} id
 * @param {number} wait in milliseconds
 * @returns {Promise<boolean>}
 */
export async function claim(id, wait = 0) {
  if (mine.has(id)) return true
  const locks = await lockable
  if (!locks) {
    const free = !(await heard()).includes(id)
    if (free) mine.set(id, () => {})
    return free
  }
  return new Promise(resolve => {
    const options = wait ? { signal: AbortSignal.timeout(wait) } : { ifAvailable: true }
    locks.request(lockOf(id), options, lock => {
      resolve(Boolean(lock))
      return lock ? new Promise(release => { mine.set(id, () => release(undefined)) }) : undefined
    }).catch(() => resolve(false))
  })
}

/** The names that some page has now. @returns {Promise<string[]>} */
export async function living() {
  const locks = await lockable
  const ids = locks ? ((await locks.query()).held || []).map(lock => String(lock.name).slice(lockOf("").length)) : await heard()
  return [...ids, ...mine.keys()]
}

/** @type {Promise<string> | undefined} */
let found

/** The name of this page's tab. @returns {Promise<string>} */
export const tab = () => found ??= (async () => {
  asking() // from now on others are answered
  let id
  try { id = sessionStorage.getItem(noted) } catch { /* forbidden: each page is a tab of its own */ }
  if (id && await claim(id, patience)) return id
  id = randomHex(8)
  if (await lockable) await claim(id)
  else mine.set(id, () => {}) // it is new: nobody needs to be asked
  try { sessionStorage.setItem(noted, id) } catch { /* forbidden */ }
  return id
})()

// A page that the browser keeps to come back to holds no lock meanwhile, for it would not be
// kept with one.
scope.addEventListener("pagehide", (/** @type {any} */ e) => {
  if (!e.persisted) return
  const names = [...mine]
  mine.clear()
  for (const [, release] of names) release()
  scope.addEventListener("pageshow", () => { for (const [id] of names) claim(id) }, { once: true })
})
