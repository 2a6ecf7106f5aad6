// A session: one applicant's work on one form, from opening to leaving. It knows no element
// of a page; it makes the requests, runs the timers, and keeps what would be lost.
import { PART, RECORD, bereaved, clean, load } from "./core.js"
import { Kept } from "./kept.js"
import { bodyOf, describe, warnOfHidden } from "./received.js"
import { Fields, issuesOf, same } from "./snapshot.js"
import { randomHex } from "./tab.js"

/** What the core says to this script, and this script to the core (serve.go). */
const protocol = "6"

/** What happens in one field alone, or to the session without its applicant. */
const unread = ["edit", "blur", "elapsed", "trace"]

const encoder = new TextEncoder()

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

/** What the core says, as lists of parts. @param {string} patch */
const records = patch => patch.split(RECORD).slice(0, -1).map(record => record.split(PART).slice(0, -1))

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

/**
 * What this script itself says, until the applicant acts.
 * @param {Snapshot} before
 * @param {string} text
 * @returns {import("../leanwicket").Said}
 */
const saying = (before, text) => ({ level: "polite", text, about: "", until: "act", count: (before.said?.count || 0) + 1 })

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
  /** @type {Map<string, AbortController>} */
  #requests = new Map()
  /** @type {Map<string, number>} */
  #timers = new Map()
  #fields = new Fields()
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
  /** Whether the form replaces a saved record. */
  #replaces = false
  /** The newest request for the saved answers. @type {string[] | undefined} */
  #newestLoad

  /** @param {import("./core.js").Core} call @param {OpenOptions} options @param {Uint8Array} compiled */
  constructor(call, options, compiled) {
    super()
    this.call = call
    this.options = options
    this.compiled = compiled
    this.snapshot = same(undefined, /** @type {Snapshot} */ ({
      form: "", title: "", buttons: [], fields: [], issues: [], said: undefined, pending: "", submission: "idle", prefill: "none",
      leaving: "present", question: undefined, receipt: undefined, unsaved: false, guarded: false, leftOut: [], busy: false, locked: false,
      draft: undefined, offered: [], keeps: options.keep?.hours !== 0,
    }))
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
    this.#carryOut(this.call(this.number, performance.now(), "open", randomHex(16), earlier?.mark || "", earlier?.text || "", parts(this.options.given), encoder.encode(parts(this.options.defaults))))
  }

  /** Neither store of the browser takes what is typed: it is said once on a page. */
  #unkept() {
    const said = saidUnkept ? this.snapshot.said : saying(this.snapshot, "This browser keeps nothing of what you type: its store is full, or closed to this site.")
    saidUnkept = true
    this.#change({ keeps: false, said })
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
  addRow(group) { this.tell("add", group) }
  /** @param {string} row crew/2 */
  removeRow(row) { this.tell("remove", row) }
  /** @param {string} row crew/2 @param {string} to crew/0, the place where it goes */
  moveRow(row, to) { this.tell("move", row, to) }

  /**
   * The applicant wants to leave. The promise tells whether they may: at once where nothing
   * would be lost, else after the question has been answered.
   * @param {string} [to] where to
   * @returns {Promise<boolean>}
   */
  leave(to = "") {
    return new Promise(resolve => {
      this.#leaving.push(resolve)
      this.tell("leave", to, "inside")
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
      this.#carryOut(this.call(this.number, performance.now(), "leave", "", "unload"))
      for (const id of this.#timers.values()) clearTimeout(id)
      this.#timers.clear()
      for (const request of this.#requests.values()) request.abort()
      this.#requests.clear()
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

  /** Answers the question at leaving. @param {"stay" | "submit" | "discard"} answer */
  answer(answer) { this.tell("answer", answer) }
  /** Who was let go is still here. */
  returned() { this.tell("returned") }

  // What can be read.

  /** A field as it is now, also one in a row: crew/0/name. @param {string} path @returns {Field | undefined} */
  field(path) { return this.#fields.byPath.get(path) }

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
    this.tell("leave", "", "unload")
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
      if (!unread.includes(what)) this.reads()
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

  /** @param {string} patch @param {string} [act] what the applicant did */
  #carryOut(patch, act) {
    const before = this.snapshot
    /** @type {any} */
    const now = { ...before }
    /** @type {import("../leanwicket").Button[]} */
    const buttons = [...before.buttons]
    /** @type {string[]} */
    const told = []
    /** @type {[type: string, detail: any][]} */
    const events = []
    for (const [what, ...parts] of records(patch)) {
      switch (what) {
        case "error": throw new Error(parts.join(" "))
        case "form": {
          this.number = Number(parts[0])
          buttons.length = 0
          now.leftOut = []
          now.form = parts[1]
          now.title = parts[2]
          if (parts[4] !== protocol) throw new Error("the script and the core are of different versions; right would be both from one bundle")
          this.#replaces = parts[5] === "r"
          for (const name of parts[3].split(" ")) buttons.push({ name, holds: [], why: "" })
          break
        }
        case "declared": this.#fields.declare(parts); break
        case "field": case "rows": told.push(this.#fields.take(parts).path); break
        case "issues": now.issues = issuesOf(parts); break
        case "button": {
          const k = buttons.findIndex(b => b.name === parts[0])
          buttons[k] = { name: parts[0], holds: /** @type {any} */ (parts[1] === "" ? [] : parts[1].split(" ")), why: parts[2] }
          break
        }
        case "status": {
          const [submission, prefill, leaving, flags, pending, receipt, reason, to] = parts
          Object.assign(now, {
            submission, prefill, leaving, pending,
            receipt: receipt || undefined,
            question: leaving === "asking" ? { reason, to } : undefined,
            unsaved: flags.includes("u"), guarded: flags.includes("g"), busy: flags.includes("k"), locked: flags.includes("l"),
          })
          break
        }
        case "say": {
          const [level, text, about, until] = parts
          const first = now.said === before.said ? undefined : now.said // at the opening there can be two
          now.said = { level, text: first ? first.text + " " + text : text, about, until, count: (before.said?.count || 0) + 1 }
          break
        }
        case "left out": now.leftOut = [...now.leftOut, { path: parts[0], raw: parts[1] }]; break
        case "unreadable": console.warn("leanwicket: what an earlier page kept cannot be read:", parts[0]); break
        case "tell": events.push(["announced", parts[0]]); break
        case "focus": events.push(["focus", parts[0]]); break
        case "ask": events.push(["question", { reason: parts[0], to: parts[1] }]); break
        case "leave": events.push(["left", { to: parts[0], kind: parts[1] }]); break
        case "navigate": events.push(["navigate", parts[0]]); break
        case "guard": if (parts[0]) addEventListener("beforeunload", this.#unload); else removeEventListener("beforeunload", this.#unload); break
        case "keep": this.kept.write(parts[0], this.#again(), parts[1]); break
        case "fetch": this.#fetch(parts); break
        case "abort": this.#requests.get(parts[0])?.abort(); break
        case "timer": this.#timers.set(parts[0], setTimeout(() => { this.#timers.delete(parts[0]); this.tell("elapsed", parts[0]) }, Number(parts[1]))); break
        case "stop": clearTimeout(this.#timers.get(parts[0]) ?? 0); this.#timers.delete(parts[0]); break
        case "trace": this.recorded = parts[0]; break
      }
    }
    now.buttons = buttons
    if (this.#fields.settle()) now.fields = this.#fields.list
    if (before.prefill === "loading" && now.prefill === "ready" && now.submission === "outdated" && now.said === before.said) now.said = this.#newest(before)
    // A draft that is back is told of until it is saved or taken back.
    if (now.draft && !now.unsaved && now.prefill !== "loading" && act) now.draft = undefined
    this.snapshot = same(before, now)
    this.#notify({ act, fields: told.map(path => this.field(path)).filter(f => f !== undefined), before })
    this.#dispatch(before, events, act)
  }

  /** After a record was changed elsewhere: that its newest answers are there, and what is to be done. @param {Snapshot} before */
  #newest(before) {
    const contested = this.everyField().filter(f => f.contested).length
    const choose = contested === 1 ? " One of yours differs: choose which one to keep." : contested ? ` ${contested} of yours differ: choose which ones to keep.` : ""
    return saying(before, `The newest answers are here.${choose} ${choose ? "Then send" : "Send"} yours again.`)
  }

  /** All fields, those of the rows after their group. */
  everyField() { return this.#fields.list.flatMap(f => [f, ...(f.rows || []).flatMap(row => row.fields)]) }

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

  /**
   * Makes a request with what the application adds to it.
   * @param {string[]} request @param {RequestInit} more
   */
  async #ask([, kind, method, url, body, ...headers], more) {
    const { base = "", credentials = "same-origin", fetch: send = fetch } = this.options
    const pairs = new Headers(await this.options.headers?.({ kind: /** @type {any} */ (kind), method, url }) || {})
    for (let k = 0; k + 1 < headers.length; k += 2) pairs.set(headers[k], headers[k + 1])
    if (kind === "send" && this.options.account) pairs.set("Leanwicket-Account", this.options.account)
    if (kind === "send") await this.kept.settled() // who comes back has to know of it
    return send(url.startsWith("/") ? base + url : url, { method, headers: pairs, body: method === "GET" ? undefined : body, credentials, cache: "no-store", ...more })
  }

  /** Makes a request, and hands over what comes of it: the core alone reads that. @param {string[]} request */
  async #fetch(request) {
    const [id, kind] = request
    const ends = new AbortController(), { signal } = ends, { number } = this
    this.#requests.set(id, ends)
    if (kind === "load") this.#newestLoad = request
    let came = ["0", "", ""], bytes = new Uint8Array()
    try {
      const response = await this.#ask(request, { signal })
      if (kind === "load" && this.#replaces) warnOfHidden(response)
      const body = await bodyOf(response)
      bytes = body.bytes
      ends.abort() // the rest of a long body is not wanted: its connection ends
      came = describe(response, body.cut)
    } catch {
      if (!signal.aborted && await this.#redirects()) came[2] = PART + "s"
    }
    if (this.number !== number) return // the session has begun again
    this.#requests.delete(id)
    this.tell("answered", id, ...came, bytes)
  }

  /**
   * Whether the address of the load redirects, as far as that is told within a moment. A browser
   * hides a redirect to another site from a page, as if the connection had broken: whoever is
   * sent there has to sign in.
   */
  async #redirects() {
    if (!this.#newestLoad) return false
    try { return (await this.#ask(this.#newestLoad, { signal: AbortSignal.timeout(3000), redirect: "manual" })).type === "opaqueredirect" } catch { return false }
  }
}
