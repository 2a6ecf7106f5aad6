// A session: one applicant's work on one form, from opening to leaving. It knows no element of a page.
import { bereaved } from "./core.js"
import { Kept, keptAs } from "./kept.js"
import { Line } from "./line.js"
import { said, told } from "./said.js"
import { report, scope } from "./scope.js"
import { Fields, same, saying } from "./snapshot.js"
import { Step, empty } from "./step.js"
import { readers } from "./table.js"
import { Observers, Words } from "./told.js"

/** @typedef {import("../leanwicket").Field} Field */
/** @typedef {import("../leanwicket").Change} Change */
/** @typedef {import("../leanwicket").OpenOptions} OpenOptions */
/** @typedef {import("../leanwicket").Snapshot} Snapshot */
/** @typedef {import("./kept.js").Draft} Draft */

/** Whether this page has said that nothing is kept. */
let saidUnkept = false

export class Session extends EventTarget {
  /** @type {Snapshot} */
  snapshot
  #words = new Words()
  #fields = new Fields()
  /** @type {Line} */
  #line
  #observers = new Observers()
  #ends = new AbortController()
  /** The attempt that is under way. @type {import("./table.js").Records["attempt"] | undefined} */
  #attempt
  /** What session.values has given, and for which snapshot. @type {any} */
  #values
  /** @type {Snapshot | undefined} */
  #valuesOf
  /** @param {Event} e */
  #unload = e => e.preventDefault()
  recorded = ""
  /** This is called before anything happens that goes by what was typed. Whoever shows the session tells it then what no event has told. */
  reads = () => {}
  /** Who waits for the answer to leaving. @type {((gone: boolean) => void)[]} */
  #leaving = []

  /** @param {import("./core.js").Core} core @param {OpenOptions} options @param {Uint8Array} compiled */
  constructor(core, options, compiled) {
    super()
    this.snapshot = empty(options.keep?.hours !== 0 && Boolean(globalThis.indexedDB))
    this.#line = new Line(core, compiled, options, (what, ...texts) => this.tell(what, ...texts), () => this.kept.settled(), () => this.values, () => this.#attempt?.values)
    this.#carryOut(this.#line.read())
    this.kept = new Kept(keptAs(options, this.snapshot.form), options.keep?.hours ?? 24, () => this.#unkept())
  }

  get alive() { return !this.#ends.signal.aborted }

  /** Opens with what an earlier page kept. */
  async open() {
    const earlier = await this.kept.read()
    const until = { signal: this.#ends.signal }
    scope.addEventListener("pagehide", () => this.#guarded(() => this.#closed()), until)
    scope.addEventListener("pageshow", (/** @type {any} */ e) => { if (e.persisted) this.tell("returned") }, until)
    bereaved.add(this.fail)
    try {
      this.#begin(earlier)
    } catch (failed) {
      this.#end()
      throw failed
    }
    await this.#line.inHand
    if (this.#line.options.record && this.snapshot.prefill === "none") console.warn(`leanwicket: the form ${this.snapshot.form} has no prefill, and does not show the record; right would be prefill: {url: …}`)
  }

  /** Opens in the core, with what an earlier page kept. @param {Draft} [earlier] */
  #begin(earlier) {
    this.snapshot = same(this.snapshot, { ...this.snapshot, draft: earlier, offered: this.kept.offered })
    this.#carryOut(this.#line.open(earlier))
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
    this.#observers.tell({ fields: [], before })
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
      this.#carryOut(this.#line.call("leave asked", "", "unload"))
      this.#line.requests.abortAll()
      this.#line.close()
      this.#fields = new Fields()
      this.#carryOut(this.#line.read())
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

  /** What a submit would send now. It is the same object while nothing of it has changed. */
  get values() {
    if (this.#valuesOf !== this.snapshot && this.alive) {
      this.#valuesOf = this.snapshot
      this.#guarded(() => { this.#values = same(this.#values, said(this.#line.call("values"))[0][1].values) })
    }
    return this.#values
  }

  /** A field as it is now, also one in a row: crew/0/name. @param {string} path @returns {Field | undefined} */
  field(path) { return this.#fields.byPath.get(path) }

  /** The paths of all fields, as they are declared. @returns {string[]} */
  paths() { return [...this.#fields.declared.keys()] }

  /** The paths of the fields in the rows of a group, as they are declared. @param {string} group @returns {string[]} */
  members(group) { return this.#fields.declared.get(group)?.groups || [] }

  /**
   * Calls back after each step, with what has changed. Returns what ends that.
   * @param {(change: Change) => void} callback
   */
  observe = callback => this.#observers.add(callback)

  /**
   * While the pointer is pressed nobody who draws the session is told.
   * @param {boolean} pressed
   */
  press(pressed) {
    if (pressed) this.#observers.hold()
    else this.#observers.free(path => this.field(path))
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

  /** Why the newest call was turned away. @type {string | undefined} */
  #turnedAway
  #unfit = ""

  /**
   * Begins to read the saved record. What is returned gives the session what was read, with its version, and tells
   * whether that was taken: what was read before a save was accepted, and comes after it, is not.
   * @returns {(values: object, version?: string) => boolean}
   */
  reading() {
    const { number } = this.#line, { changes } = /** @type {any} */ (this.snapshot)
    return (values, version = "") => {
      const ours = this.alive && number === this.#line.number // else the session has begun again
      this.#turnedAway = undefined
      if (ours) this.tell("supply", ...told("supply", { version, after: changes }), new TextEncoder().encode(JSON.stringify(values)))
      if (this.#turnedAway) console.warn("leanwicket: the record that was supplied is not taken:", this.#turnedAway)
      return ours && this.alive && this.#turnedAway === undefined
    }
  }

  /** The record of the session so far: leanwicket replay and leanwicket draw read it. */
  trace() {
    this.tell("trace")
    return this.recorded
  }

  /** Who has to sign in again, by what was denied, while that is asked. @type {Set<string> | undefined} */
  #denied
  /** What was repeated after signing in, and not denied since. @type {Set<string>} */
  #repeated = new Set()

  /** Has the applicant sign in where they are, once for all that was denied. @param {string} kind */
  async #signIn(kind) {
    const { signIn, account } = this.#line.options
    if (!signIn || this.#denied?.add(kind) || this.#repeated.delete(kind)) return
    const denied = this.#denied = new Set([kind])
    let again = false
    try { again = await signIn({ kind: /** @type {any} */ (kind), account }) === true } catch (failed) { report(failed) }
    this.#denied = undefined
    if (!again || !this.alive) return
    const { prefill, submission } = this.snapshot
    for (const what of denied) {
      const still = what === "load" ? prefill !== "loading" : submission === "denied" || submission === "unsettled" // as a later try leaves it
      if (!still) continue
      this.#repeated.add(what)
      if (what === "load") this.refresh()
      else this.retry()
    }
  }

  /** Ends the session, as if its page had been closed: what was typed is kept. */
  close() {
    if (!this.alive) return
    this.#guarded(() => this.#closed())
    this.#end()
  }

  #closed() {
    this.keepNow()
    this.tell("leave asked", "", "unload")
    this.kept.rest()
  }

  #end() {
    this.#ends.abort()
    this.#line.close()
    bereaved.delete(this.fail)
    this.kept.release()
    scope.removeEventListener("beforeunload", this.#unload)
    for (const away of this.#leaving.splice(0)) away(true)
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
      this.#carryOut(this.#line.call(what, ...texts), what)
      this.kept.soon(() => this.#guarded(() => this.#carryOut(this.#line.call("keep"))))
      // What was accepted is forgotten at once: the next page never says that its outcome is not known.
      if (this.snapshot.submission === "accepted") this.keepNow()
    })
  }

  /** What would be lost is kept now. */
  keepNow() { this.kept.now() }

  /** Does what the core says. @param {string} patch @param {string} [act] what the applicant did */
  #carryOut(patch, act) {
    const { snapshot: before } = this
    const step = new Step(before, this.#fields, this.word, this.#attempt)
    for (const [name, record] of said(patch)) {
      for (const { does } of /** @type {{does: any}[]} */ ([this.#line, this, step])) does[name]?.(record)
    }
    this.snapshot = step.end(act)
    const attempt = step.attempt || this.#attempt // the one that ends in this step
    this.#attempt = step.attempt
    this.#observers.tell({ act, fields: step.told.map(path => this.field(path)).filter(f => f !== undefined), before })
    this.#dispatch(before, step.events, { ...attempt, ...step.replied }, act)
  }

  /**
   * What is kept and shown beside what can be read.
   * @type {{[name in keyof import("./table.js").Records]?: (record: import("./table.js").Records[name]) => void}}
   */
  does = {
    words: said => { this.#words.take(said) },
    unreadable: ({ why }) => { console.warn("leanwicket: what an earlier page kept cannot be read:", why) },
    unfit: ({ paths }) => {
      if (paths !== this.#unfit) console.warn(`leanwicket: what was loaded does not fit ${this.snapshot.form} at ${paths}, and shows as nothing there; right would be what the schema says`)
      this.#unfit = paths
    },
    status: ({ submission, prefill }) => {
      if (submission === "accepted" || submission === "refused") this.#repeated.delete("send")
      if (prefill === "ready") this.#repeated.delete("load")
    },
    denied: ({ kind }) => { queueMicrotask(() => this.#signIn(kind)) },
    guard: ({ on }) => { scope[on ? "addEventListener" : "removeEventListener"]("beforeunload", this.#unload) },
    keep: ({ mark, text }) => { this.kept.write(mark, this.#again(), text) },
    trace: ({ text }) => { this.recorded = text },
    "turned away": ({ why }) => { this.#turnedAway = why },
  }

  /** What a page says, in the form's words. @param {string} name of the message @param {Record<string, string | number>} [more] for {count} and the like */
  word = (name, more = {}) => this.#words.text(name, more)

  /** All fields, those of the rows after their group. */
  everyField() { return this.#fields.all() }

  /** The private fields that have an answer, which is not kept. */
  #again() {
    return this.everyField().filter(f => f.private && f.dirty && f.raw !== "").map(f => f.path)
  }

  /**
   * What happened once is told when everything that can be read says so.
   * @param {Snapshot} before
   * @param {[type: string, detail: any][]} events
   * @param {object} what the attempt, and what came for it
   * @param {string} [act]
   */
  #dispatch(before, events, what, act) {
    const { submission, said, leaving, buttons } = this.snapshot
    /** @param {string} type @param {unknown} detail */
    const tell = (type, detail) => this.dispatchEvent(new CustomEvent(type, { detail }))
    if (submission !== before.submission) tell("outcome", { ...what, submission, said: said?.text || "" })
    const pressed = act === "submit" || act === "retry" || before.submission === "checking"
    if (pressed && said !== before.said && submission === "idle") tell("held", { said: said?.text, holds: [...new Set(buttons.flatMap(b => b.holds))] })
    for (const [type, detail] of events) {
      if (type === "left" && detail.kind === "inside") for (const away of this.#leaving.splice(0)) away(true)
      tell(type, detail)
    }
    if (leaving === "present" || leaving === "gone") for (const away of this.#leaving.splice(0)) away(leaving === "gone")
  }
}
