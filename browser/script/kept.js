// What a session keeps for the next page, in the browser's stores. localStorage takes it in
// the same task, which counts where a page closes at once; what it takes is on the disk
// some seconds later. IndexedDB takes it a moment later, and then keeps it though the
// browser is killed. Of the two the later one counts.

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

/** @param {string} name @returns {Promise<string | undefined>} */
const get = async name => result((await begin("readonly")).objectStore(table).get(name))

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
 * What is kept, as it is written: when, until when, a mark where more was sent than is
 * kept, and the rest.
 * @param {string | null | undefined} written
 */
function parse(written) {
  const [, at, until, mark, text] = /^(\d+) (\d+) (!?) ([^]*)$/.exec(written || "") || []
  return at ? { at: Number(at), until: Number(until), mark, text } : undefined
}

/** What is kept of one form of one account. */
export class Kept {
  /** The newest writing. @type {Promise<unknown>} */
  stored = Promise.resolve()

  /**
   * @param {string | null} name the name in the store; null: nothing is kept
   * @param {number} hours for how long: a server does not know a submission's key for ever
   */
  constructor(name, hours) {
    this.name = name
    this.hours = hours
  }

  /**
   * What an earlier page kept, unless its time is over. A page opens with it, and waits for
   * it: a store that does not answer at all is given up.
   * @returns {Promise<[mark: string, text: string]>}
   */
  async read() {
    const { name } = this
    if (!name) return ["", ""]
    /** @type {string | null | undefined} */
    let far
    await atMost(5000, get(name).then(written => { far = written }))
    let near
    try { near = localStorage.getItem(name) } catch { /* forbidden */ }
    const [a, b] = [parse(near), parse(far)]
    const newest = a && b ? b.at > a.at ? b : a : a || b
    forget()
    return newest && newest.until > Date.now() ? [newest.mark, newest.text] : ["", ""]
  }

  /** That nothing is left to keep is written as well, for the other store may still have what was. @param {string} mark @param {string} text */
  write(mark, text) {
    const { name } = this
    if (!name) return
    const now = Date.now()
    const written = `${now} ${Math.round(now + this.hours * 3600e3)} ${mark} ${text}`
    try { mark || text ? localStorage.setItem(name, written) : localStorage.removeItem(name) } catch { /* a full or forbidden store keeps nothing; the page works on */ }
    this.stored = put(name, written).catch(() => {})
  }

  /** Waits until what was written is kept, and not for long: a send goes all the same. */
  async settled() { await atMost(300, this.stored) }
}

let forgot = false

/** Takes out of the stores whatever is over its time, of any form: once on each page. */
function forget() {
  if (forgot) return
  forgot = true
  /** @param {string | null | undefined} written */
  const over = written => { const kept = parse(written); return kept && kept.until <= Date.now() }
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
