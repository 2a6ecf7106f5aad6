// A session: one applicant's work on one form, from opening to leaving. It knows no element
// of a page; it makes the requests, runs the timers, and keeps what would be lost.
import { PART, bereaved, clean, load } from "./core.js"
import { Kept } from "./kept.js"
import { Requests } from "./requests.js"
import { said, told } from "./said.js"
import { Fields, same, saying } from "./snapshot.js"
import { Step, empty } from "./step.js"
import { protocol, readers } from "./table.js"
import { randomHex } from "./tab.js"

/** @typedef {import("../leanwicket").Field} Field */
/** @typedef {import("../leanwicket").Change} Change */
/** @typedef {import("../leanwicket").OpenOptions} OpenOptions */
/** @typedef {import("../leanwicket").Snapshot} Snapshot */
/** @typedef {import("./kept.js").Draft} Draft */

/**
 * Opens a session of a compiled form.
 * @param {URL | string | Uint8Array} source where the compiled form is, or its bytes
 * @param {OpenOptions & {core: URL | string}} options
 */
export async function open(source, options) {
  const [call, compiled] = await Promise.all([load(options.core), source instanceof Uint8Array ? source : read(source)])
  const session = new Session(call, options, compiled)
  await session.open()
  return session
}

/**
 * Under which name the work of a session is kept, or null: each account, page, form and
 * record apart. The form has its name, for where it is loaded from can be another place
 * after a deployment.
 * @param {OpenOptions} options
 * @param {string} form
 */
function keptAs({ account = "", keep = {}, given = {} }, form) {
  const more = [keep.name, ...Object.values(given)].filter(part => part !== undefined).map(part => " " + encodeURIComponent(part)).join("")
  return keep.hours === 0 ? null : `leanwicket ${account} ${location.pathname} ${form}${more}`
}

/** Whether this page has said that nothing is kept. */
let saidUnkept = false

/** @param {URL | string} at */
async function read(at) {
  const source = await fetch(at)
  if (!source.ok) throw new Error(at + ": " + source.status)
  return new Uint8Array(await source.arrayBuffer())
}

export class Session extends EventTarget {
  /** @type {Snapshot} */
  snapshot
  /** @type {Map<string, number>} */
  #timers = new Map()
  /** What pages say, in the form's words. @type {Map<string, {one: string, other: string}>} */
  #words = new Map()
  #fields = new Fields()
  /** @type {Requests} */
  #requests
  /** @type {Set<(change: Change) => void>} */
  #observers = new Set()
  #ends = new AbortController()
  /** @param {Event} e */
  #unload = e => e.preventDefault()
  /** The timer until what would be lost is kept. @type {any} */
  keeping
  recorded = ""
  /** This is called before anything happens that goes by what was typed. Whoever shows the session tells it then what no event has told. */
  reads = () => {}
  /** As the core has it. */
  number = -1
  /** Who waits for the answer to leaving. @type {((gone: boolean) => void)[]} */
  #leaving = []

  /** @param {import("./core.js").Core} call @param {OpenOptions} options @param {Uint8Array} compiled */
  constructor(call, options, compiled) {
    super()
    this.call = call
    this.options = options
    this.compiled = compiled
    this.snapshot = empty(options.keep?.hours !== 0)
    this.#requests = new Requests(options, () => this.kept.settled())
    this.#read()
    this.kept = new Kept(keptAs(options, this.snapshot.form), options.keep?.hours ?? 24, () => this.#unkept())
  }

  /** Tells the core of the form, and learns what that declares. */
  #read() { this.#carryOut(this.call(-1, performance.now(), "read", location.origin, this.compiled)) }

  get alive() { return !this.#ends.signal.aborted }

  /** Opens with what an earlier page kept. */
  async open() {
    const earlier = await this.kept.read()
    const until = { signal: this.#ends.signal }
    addEventListener("pagehide", () => this.#guarded(() => this.closed()), until)
    addEventListener("pageshow", e => { if (e.persisted) this.tell("returned") }, until)
    bereaved.add(this.fail)
    try {
      this.#begin(earlier)
    } catch (failed) {
      this.#end()
      throw failed
    }
  }

  /** Opens in the core, with what an earlier page kept. @param {Draft} [earlier] */
  #begin(earlier) {
    /** @param {Record<string, string | number> | undefined} named */
    const parts = named => Object.entries(named || {}).flat().map(clean).join(PART)
    this.snapshot = same(this.snapshot, { ...this.snapshot, draft: earlier, offered: this.kept.offered })
    const { given, defaults } = this.options
    this.#carryOut(this.call(this.number, performance.now(), "open", ...told("open", { seed: randomHex(16), mark: earlier?.mark, kept: earlier?.text, given: parts(given), defaults: parts(defaults) })))
  }

  /** Neither store of the browser takes what is typed: it is said once on a page. */
  #unkept() {
    const spoken = saidUnkept ? this.snapshot.said : saying(this.snapshot, this.word("unkept"))
    saidUnkept = true
    this.#change({ keeps: false, said: spoken })
  }

  /** Changes what this script alone knows of. @param {Partial<Snapshot>} parts */
  #change(parts) {
    if (!this.alive) return
    const before = this.snapshot
    this.snapshot = same(before, { ...before, ...parts })
    this.#notify({ fields: [], before })
  }

  // What an applicant does.

  /** Something was typed or chosen. @param {string} path @param {string} raw the text of the control; of several choices one a line */
  edit(path, raw) { this.tell("edit", path, raw) }
  /** A field was left. @param {string} path */
  blur(path) { this.tell("blur", path) }
  /** A submit button was pressed. @param {string} [button] its declared name; left out: the first */
  submit(button) { this.tell("submit", button ?? this.snapshot.buttons[0]?.name ?? "") }
  /** Stops waiting for what is under way. */
  cancel() { this.tell("cancel") }
  /** Settles what is unsettled: the same attempt goes out again. */
  retry() { this.tell("retry") }
  /** Takes back everything that is not saved. */
  reset() { this.tell("reset") }
  /** Loads the saved answers again. */
  refresh() { this.tell("refresh") }
  /** Chooses between both values of a contested field. @param {string} path @param {"mine" | "theirs"} choice */
  resolve(path, choice) { this.tell("resolve", path, choice) }
  /** @param {string} group crew */
  addRow(group) { this.tell("add row", group) }
  /** @param {string} row crew/2 */
  removeRow(row) { this.tell("remove row", row) }
  /** @param {string} row crew/2 @param {string} to crew/0, the place where it goes */
  moveRow(row, to) { this.tell("move row", row, to) }

  /**
   * The applicant wants to leave. The promise tells whether they may: at once where nothing
   * would be lost, else after the question has been answered.
   * @param {string} [to] where to
   * @returns {Promise<boolean>}
   */
  leave(to = "") {
    return new Promise(resolve => {
      this.#leaving.push(resolve)
      this.tell("leave asked", to, "inside")
    })
  }

  /**
   * Goes on with the work of a tab that was closed, one of snapshot.offered: the session
   * begins again with it. Nothing happens where something is unsaved already, or another
   * page has taken it. Returns whether it was taken over.
   * @param {import("../leanwicket").Draft} draft
   * @returns {Promise<boolean>}
   */
  async takeOver(draft) {
    const kept = /** @type {Draft} */ (draft)
    if (!this.alive || this.snapshot.unsaved || this.snapshot.submission !== "idle" || !await this.kept.take(kept)) {
      this.#change({ offered: this.kept.offered })
      return false
    }
    this.#guarded(() => {
      this.#carryOut(this.call(this.number, performance.now(), "leave asked", "", "unload"))
      for (const id of this.#timers.values()) clearTimeout(id)
      this.#timers.clear()
      this.#requests.abortAll()
      this.call(this.number, 0, "close")
      this.#fields = new Fields()
      this.#read()
      this.#begin(kept)
    })
    return true
  }

  /** Throws away the work of a tab that was closed; left out: what this tab had typed before. @param {import("../leanwicket").Draft} [draft] */
  discard(draft) {
    if (!draft) return this.reset()
    this.kept.drop(/** @type {Draft} */ (draft))
    this.#change({ offered: this.kept.offered })
  }

  /** Decides about leaving, where that was asked. @param {"stay" | "submit" | "discard"} decision */
  decide(decision) { this.tell("leave decided", decision) }
  /** Who was let go is still here. */
  returned() { this.tell("returned") }

  // What can be read.

  /** A field as it is now, also one in a row: crew/0/name. @param {string} path @returns {Field | undefined} */
  field(path) { return this.#fields.byPath.get(path) }

  /** The paths of all fields, as they are declared. @returns {string[]} */
  paths() { return [...this.#fields.declared.keys()] }

  // The paths of the fields in the rows of a group, as they are declared.
  /** @param {string} group @returns {string[]} */
  members(group) { return this.#fields.declared.get(group)?.groups || [] }

  /**
   * Calls back after each step, with what has changed. Returns what ends that.
   * @param {(change: Change) => void} callback
   */
  observe(callback) {
    this.#observers.add(callback)
    return () => { this.#observers.delete(callback) }
  }

  /**
   * Calls back when one field has changed; undefined: its row is gone.
   * @param {string} path
   * @param {(field: Field | undefined) => void} callback
   */
  observeField(path, callback) {
    let before = this.field(path)
    return this.observe(() => {
      const now = this.field(path)
      if (now === before) return
      before = now
      callback(now)
    })
  }

  /** The record of the session so far: leanwicket replay and leanwicket draw read it. */
  trace() {
    this.tell("trace")
    return this.recorded
  }

  /** Ends the session, as if its page had been closed: what was typed is kept. */
  close() {
    if (!this.alive) return
    this.#guarded(() => this.closed())
    this.#end()
  }

  closed() {
    this.keepNow()
    this.tell("leave asked", "", "unload")
    clearTimeout(this.keeping)
  }

  #end() {
    this.#ends.abort()
    try { this.call(this.number, 0, "close") } catch { /* the core has failed */ }
    bereaved.delete(this.fail)
    this.kept.release()
    removeEventListener("beforeunload", this.#unload)
    for (const id of this.#timers.values()) clearTimeout(id)
    for (const told of this.#leaving.splice(0)) told(true)
  }

  /** Something is wrong with the script or the core: the session ends, and says so. @param {unknown} failed */
  fail = failed => {
    if (!this.alive) return
    this.#end()
    console.error("leanwicket:", failed)
    this.dispatchEvent(new CustomEvent("failed", { detail: failed }))
  }

  /** @param {() => void} f */
  #guarded(f) {
    try { f() } catch (failed) { this.fail(failed) }
  }

  /** Tells the core what happened, and does what it says. @param {string} what @param {...(string | Uint8Array)} texts */
  tell(what, ...texts) {
    if (!this.alive) return
    this.#guarded(() => {
      if (readers.includes(what)) this.reads()
      this.#carryOut(this.call(this.number, performance.now(), what, ...texts), what)
      this.keepSoon()
    })
  }

  // What would be lost is kept in a moment. What was accepted is forgotten at once: the next
  // page never says that its outcome is not known.
  keepSoon() {
    if (!this.kept.name) return
    clearTimeout(this.keeping)
    this.keeping = setTimeout(() => this.#guarded(() => this.keepNow()), 200)
    if (this.snapshot.submission === "accepted") this.keepNow()
  }

  keepNow() {
    if (!this.keeping) return
    clearTimeout(this.keeping)
    this.keeping = undefined
    this.#carryOut(this.call(this.number, performance.now(), "keep"))
  }

  /** Does what the core says. @param {string} patch @param {string} [act] what the applicant did */
  #carryOut(patch, act) {
    const { snapshot: before } = this
    const step = new Step(before, this.#fields, this.word)
    for (const [name, record] of said(patch)) {
      const does = /** @type {any} */ (this.#does)[name]
      does?.(record)
      const changes = /** @type {any} */ (step.does)[name]
      changes?.(record)
    }
    this.snapshot = step.end(act)
    this.#notify({ act, fields: step.told.map(path => this.field(path)).filter(f => f !== undefined), before })
    this.#dispatch(before, step.events, act)
  }

  /**
   * What the core asks for, beside what can be read.
   * @type {{[name in keyof import("./table.js").Records]?: (record: import("./table.js").Records[name]) => void}}
   */
  #does = {
    error: ({ why }) => { throw new Error(why) },
    form: form => {
      if (form.protocol !== protocol) throw new Error("the script and the core are of different versions; right would be both from one bundle")
      this.number = Number(form.page)
      this.#requests.replaces = form.replaces
    },
    words: ({ words }) => { this.#words = new Map(words.map(word => [word.name, word])) },
    unreadable: ({ why }) => { console.warn("leanwicket: what an earlier page kept cannot be read:", why) },
    guard: ({ on }) => { (on ? addEventListener : removeEventListener)("beforeunload", this.#unload) },
    keep: ({ mark, text }) => { this.kept.write(mark, this.#again(), text) },
    fetch: request => { this.#fetch(request) },
    abort: ({ id }) => { this.#requests.abort(id) },
    timer: ({ id, after }) => {
      this.#timers.set(id, setTimeout(() => { this.#timers.delete(id); this.tell("elapsed", id) }, after))
    },
    stop: ({ id }) => {
      clearTimeout(this.#timers.get(id))
      this.#timers.delete(id)
    },
    trace: ({ text }) => { this.recorded = text },
  }

  /**
   * What a page says, in the form's words.
   * @param {string} name the name of the message
   * @param {Record<string, string | number>} [more] what stands for {count} and the like
   */
  word = (name, more = {}) => {
    const { one = "", other = "" } = this.#words.get(name) || {}
    return (more.count === 1 && one || other).replace(/{(\w+)}/g, (_, argument) => String(more[argument]))
  }

  /** All fields, those of the rows after their group. */
  everyField() { return this.#fields.all() }

  /** The private fields that have an answer, which is not kept. */
  #again() {
    return this.everyField().filter(f => f.private && f.dirty && f.raw !== "").map(f => f.path)
  }

  /** @param {Change} change */
  #notify(change) {
    for (const callback of [...this.#observers]) {
      try { callback(change) } catch (failed) { reportError(failed) }
    }
  }

  /**
   * What happened once is told when everything that can be read says so.
   * @param {Snapshot} before
   * @param {[type: string, detail: any][]} events
   * @param {string} [act]
   */
  #dispatch(before, events, act) {
    const { submission, said, leaving, buttons } = this.snapshot
    /** @param {string} type @param {unknown} detail */
    const tell = (type, detail) => this.dispatchEvent(new CustomEvent(type, { detail }))
    if (submission !== before.submission) tell("outcome", { submission, said: said?.text || "" })
    const pressed = act === "submit" || act === "retry" || before.submission === "checking"
    if (pressed && said !== before.said && submission === "idle") tell("held", { said: said?.text, holds: [...new Set(buttons.flatMap(b => b.holds))] })
    for (const [type, detail] of events) {
      if (type === "left" && detail.kind === "inside") for (const told of this.#leaving.splice(0)) told(true)
      tell(type, detail)
    }
    if (leaving === "present" || leaving === "gone") for (const told of this.#leaving.splice(0)) told(leaving === "gone")
  }

  /** Makes a request, and tells the core what came of it. @param {import("./requests.js").Fetch} request */
  async #fetch(request) {
    const { number } = this
    const [parts, body] = await this.#requests.make(request)
    if (this.number === number) this.tell("answered", ...told("answered", parts), body) // else the session has begun again
  }
}
