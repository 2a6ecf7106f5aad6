// What a session keeps for the next page, in the browser's stores. localStorage takes it in
// the same task, which counts where a page closes at once; what it takes is on the disk
// some seconds later. IndexedDB takes it a moment later, and then keeps it though the
// browser is killed. Of the two the later one counts.
import { place } from "./scope.js"
import { claim, living, tab } from "./tab.js"

const database = "leanwicket", table = "kept"

/** @param {number} ms @param {Promise<unknown>} promise */
const atMost = (ms, promise) => Promise.race([promise.catch(() => {}), new Promise(done => setTimeout(done, ms))])

/** @template T @param {IDBRequest<T>} request @returns {Promise<T>} */
const result = request => new Promise((resolve, reject) => {
  request.onsuccess = () => resolve(request.result)
  request.onerror = () => reject(request.error)
})

/** @type {Promise<IDBDatabase> | undefined} */
let opened

/** The database of all sessions, opened once. @returns {Promise<IDBDatabase>} */
function open() {
  opened ??= new Promise((resolve, reject) => {
    const request = indexedDB.open(database, 1)
    request.onupgradeneeded = () => request.result.createObjectStore(table)
    request.onsuccess = () => {
      // A page of another version can have the database to itself.
      request.result.onversionchange = () => { request.result.close(); opened = undefined }
      resolve(request.result)
    }
    request.onerror = () => reject(request.error)
  })
  return opened
}

/** @param {IDBTransactionMode} mode @returns {Promise<IDBTransaction>} */
const begin = async mode => (await open()).transaction(table, mode, { durability: "relaxed" })

/** @param {string} name @param {string} written */
async function put(name, written) {
  const transaction = await begin("readwrite")
  transaction.objectStore(table).put(written, name)
  transaction.commit() // it goes on though the page closes now
  await new Promise((resolve, reject) => {
    transaction.oncomplete = resolve
    transaction.onabort = transaction.onerror = () => reject(transaction.error)
  })
}

/**
 * What an earlier page kept.
 * @typedef {object} Draft
 * @property {string} tab of which tab it was
 * @property {number} at when it was written, in milliseconds since 1970
 * @property {number} until when its time is over
 * @property {string} mark "?": an attempt is open; "!": one is open, and cannot be repeated, for not all that it sent is kept
 * @property {string[]} again the private fields that had an answer, which is not kept
 * @property {string} text what the core wrote
 */

/** A draft as it is written. @param {Draft} draft */
const written = ({ at, until, mark, again, text }) => `${at} ${until} ${mark}${again.map(encodeURIComponent).join(",")} ${text}`

/** @param {string} tab @param {unknown} text @returns {Draft | undefined} */
function parse(tab, text) {
  const [, at, until, mark, again, rest] = /^(\d+) (\d+) ([!?]?)(\S*) ([^]*)$/.exec(String(text ?? "")) || []
  return at ? { tab, at: Number(at), until: Number(until), mark, again: again ? again.split(",").map(decodeURIComponent) : [], text: rest } : undefined
}

/** @param {Draft} draft */
const isOver = draft => draft.until <= Date.now()
/** @param {Draft} draft */
const holds = draft => draft.mark !== "" || draft.text !== ""

/** The names under which sessions of this page keep their work now. @type {Set<string>} */
const taken = new Set()

/** A name that no other session of this page has: of several the later ones get a number. @param {string} name */
function unique(name) {
  let own = name
  for (let n = 2; taken.has(own); n++) own = `${name} ${n}`
  taken.add(own)
  return own
}

/**
 * Under which name the work of a session is kept, or null: each account, page, form and
 * record apart. The form has its name, for where it is loaded from can be another place
 * after a deployment.
 * @param {import("../leanwicket").OpenOptions} options
 * @param {string} form
 */
export function keptAs({ account = "", keep = {}, given = {} }, form) {
  const more = [keep.name, ...Object.values(given)].filter(part => part !== undefined).map(part => " " + encodeURIComponent(part)).join("")
  return keep.hours === 0 || !globalThis.indexedDB ? null : `leanwicket ${account} ${place().pathname} ${form}${more}`
}

/** What is kept of one form of one account, and of one record of it: a draft for each tab. */
export class Kept {
  /** The newest writing. @type {Promise<unknown>} */
  stored = Promise.resolve()
  /** Drafts of tabs that were closed, the newest first. @type {readonly Draft[]} */
  offered = Object.freeze([])

  /**
   * @param {string | null} name the name in the stores; null: nothing is kept
   * @param {number} hours for how long: a server does not know a submission's key for ever
   * @param {() => void} failed is called when neither store takes what is written
   */
  constructor(name, hours, failed) {
    this.name = name && unique(name)
    this.hours = hours
    this.failed = failed
    this.tab = ""
  }

  /** The timer until what would be lost is written, and what writes it. @type {any} */
  #timer
  #write = () => {}

  /** What would be lost is written in a moment. @param {() => void} write */
  soon(write) {
    if (!this.name) return
    clearTimeout(this.#timer)
    this.#write = write
    this.#timer = setTimeout(() => this.now(), 200)
  }

  /** What waits to be written is written now. */
  now() {
    if (!this.#timer) return
    this.rest()
    this.#write()
  }

  /** What waits to be written is not written. */
  rest() {
    clearTimeout(this.#timer)
    this.#timer = undefined
  }

  /** The session has ended: the next one of its name goes on with what it kept. */
  release() { if (this.name) taken.delete(this.name) }

  /** @param {string} tab */
  place(tab) { return `${this.name} @${tab}` }

  /**
   * What this tab kept on an earlier page, unless its time is over. A page opens with it,
   * and waits for it: a store that does not answer at all is given up. What a tab that was
   * closed kept is offered to a page that has nothing of its own; but an attempt of which
   * nobody knows what came of it is taken over at once, for nothing may be sent before.
   * @returns {Promise<Draft | undefined>}
   */
  async read() {
    if (!this.name) return undefined
    this.tab = await tab()
    const drafts = await this.#all()
    forget()
    const own = drafts.get(this.tab)
    if (own && holds(own)) return own
    const theirs = await living()
    const closed = []
    for (const draft of [...drafts.values()].filter(holds).sort((a, b) => b.at - a.at)) {
      // A tab that is just being closed still has its name: an open attempt is worth a moment.
      if (!theirs.includes(draft.tab) || draft.mark && await claim(draft.tab, 300)) closed.push(draft)
    }
    const open = closed.find(draft => draft.mark)
    const taken = open && await this.take(open)
    this.offered = Object.freeze(closed.filter(draft => draft !== open))
    return taken ? open : undefined
  }

  /** Of each tab what was kept last. @returns {Promise<Map<string, Draft>>} */
  async #all() {
    const before = this.place("")
    /** @type {Map<string, Draft>} */
    const drafts = new Map()
    /** @param {string} name @param {unknown} text */
    const add = (name, text) => {
      const draft = parse(name.slice(before.length), text)
      if (draft && !isOver(draft) && !(draft.at < (drafts.get(draft.tab)?.at ?? 0))) drafts.set(draft.tab, draft)
    }
    try {
      for (const name of Object.keys(localStorage)) if (name.startsWith(before)) add(name, localStorage.getItem(name))
    } catch { /* forbidden */ }
    await atMost(5000, (async () => {
      const store = (await begin("readonly")).objectStore(table), range = IDBKeyRange.bound(before, before + "\uffff")
      const [names, texts] = await Promise.all([result(store.getAllKeys(range)), result(store.getAll(range))])
      names.forEach((name, k) => add(String(name), texts[k]))
    })())
    return drafts
  }

  /** Makes the draft of a closed tab this page's own, unless another page has taken it. @param {Draft} draft */
  async take(draft) {
    if (!await claim(draft.tab)) return false
    this.#put(written(draft), true)
    await this.stored
    this.drop(draft)
    return true
  }

  /** Deletes the draft of a closed tab. @param {Draft} draft */
  drop(draft) {
    const name = this.place(draft.tab)
    this.offered = Object.freeze(this.offered.filter(d => d !== draft))
    try { localStorage.removeItem(name) } catch { /* forbidden */ }
    begin("readwrite").then(transaction => transaction.objectStore(table).delete(name)).catch(() => {})
  }

  /**
   * That nothing is left to keep is written as well, for the other store may still have what was.
   * @param {string} mark
   * @param {string[]} again
   * @param {string} text
   */
  write(mark, again, text) {
    if (!this.name) return
    const at = Date.now()
    const draft = { tab: this.tab, at, until: Math.round(at + this.hours * 3600e3), mark, again, text }
    this.#put(written(draft), holds(draft))
  }

  // That nothing is left stands in the nearer store until the other one has it as well: what
  // that had before would be taken for the newest.
  /** @param {string} text @param {boolean} worth whether there is anything to keep */
  #put(text, worth) {
    const name = this.place(this.tab)
    let near = true
    try { localStorage.setItem(name, text) } catch { near = false } // it is full, or forbidden
    if (!near && !worth) try { localStorage.removeItem(name) } catch { /* forbidden */ }
    this.stored = put(name, text).then(() => {
      if (!worth && near && localStorage.getItem(name) === text) localStorage.removeItem(name)
    }, () => { if (!near && worth) this.failed() })
  }

  /** Waits until what was written is kept, and not for long: a send goes all the same. */
  async settled() { await atMost(300, this.stored) }
}

let forgot = false

/** Takes out of the stores whatever is over its time, of any form: once on each page. */
function forget() {
  if (forgot) return
  forgot = true
  /** @param {unknown} text */
  const over = text => { const draft = parse("", text); return draft && isOver(draft) }
  try {
    for (const name of Object.keys(localStorage)) if (name.startsWith("leanwicket ") && over(localStorage.getItem(name))) localStorage.removeItem(name)
  } catch { /* forbidden */ }
  begin("readwrite").then(transaction => {
    const all = transaction.objectStore(table).openCursor()
    all.onsuccess = () => {
      const cursor = all.result
      if (!cursor) return
      if (over(cursor.value)) cursor.delete()
      cursor.continue()
    }
  }).catch(() => {})
}
