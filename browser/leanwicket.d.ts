// What the script of Lean Wicket offers to the scripts of a page: sessions, and the forms
// that are bound. The words are those of the lifecycle.

/** What a reader sees as the state of a submission: also the form's attribute data-leanwicket-state. */
export type Submission =
  | "idle" | "checking" | "sending" | "waiting" | "unsettled" | "accepted" | "refused" | "denied" | "outdated"

/** Why a submit would not send now. */
export type Hold =
  | "gone" | "loading" | "prefill-missing" | "sending" | "checking" | "contested" | "invalid" | "unchanged" | "received"

/** One thing that is wrong. */
export interface Issue {
  // From the table: each issues
  /** Where it comes from. */
  readonly source: "rule" | "check" | "server"
  /** What is wrong, as a word. */
  readonly code: string
  /** Whether it is the moment to show it. */
  readonly shown: boolean
  /** The same in words. */
  readonly text: string
  // Until here.
}

/** One of the answers of a choice. */
export interface Choice {
  // From the table: each declared
  /** What the control has as its value. */
  readonly raw: string
  /** What the applicant reads. */
  readonly label: string
  // Until here.
  readonly value: string | number | boolean
}

export type Answer = string | number | boolean | readonly (string | number | boolean)[] | undefined

/** A field, or a repeated group, as it is. */
export interface Field {
  // From the table: declared, field
  /** What its answers are. */
  readonly kind: "text" | "number" | "integer" | "boolean" | "date" | "time" | "date-time" | "choice" | "choices" | "file" | "rows"
  /** Whether it always has to be answered. */
  readonly required: boolean
  /** Whether it is kept out of drafts and traces. */
  readonly private: boolean
  /** What it is called. */
  readonly label: string
  /** The unit of a number. */
  readonly unit: string
  /** A hint below the control. */
  readonly help: string
  /** An example in the empty control. */
  readonly placeholder: string
  /** What the browser may fill in (HTML, section 4.10.18.7). */
  readonly autocomplete: string
  /** vessel/name, crew, crew/0/name */
  readonly path: string
  /** The same as long as it is the same field, wherever its row moves. */
  readonly key: string
  /** Whether it is asked: what is not asked is not shown, and not sent. */
  readonly asked: boolean
  /** Whether it differs from what is saved. */
  readonly dirty: boolean
  /** Whether the applicant has left it. */
  readonly touched: boolean
  /** Whether its check is on its way. */
  readonly checking: boolean
  /** Whether the applicant has to choose between raw and saved: session.resolve. */
  readonly contested: boolean
  /** The text of its control: of several choices one a line, of a box "true" or nothing. Of a group the number of its rows. */
  readonly raw: string
  /** Of a contested field what was saved meanwhile, as a person reads it. */
  readonly saved: string | undefined
  // Until here.
  readonly options: readonly Choice[]
  /** The answer; undefined: none, or none that can be read. Of a group the number of its rows. */
  readonly value: Answer
  readonly issues: readonly Issue[]
  /** Of a group. */
  readonly rows?: readonly Row[]
}

/** Answers as a body has them: an object in which each answer stands at its path. */
export type Values = Readonly<Record<string, unknown>>

/** A row of a group. */
export interface Row {
  /** The same as long as it is the same row, wherever it moves. */
  readonly key: string
  /** crew/0 */
  readonly path: string
  readonly fields: readonly Field[]
}

/** A submit button. */
export interface Button {
  // From the table: button
  /** Its declared name. */
  readonly name: string
  /** Why it would not send now; pressed all the same, it says so. */
  readonly holds: readonly Hold[]
  /** The same in words. */
  readonly why: string
  // Until here.
}

/** What was said last. */
export interface Said {
  // From the table: say
  /** How urgently, as in ARIA live regions. */
  readonly level: "polite" | "assertive"
  /** What is said. */
  readonly text: string
  /** What it is about: what is wrong, what was received, what is not known; or none of these. */
  readonly about: "wrong" | "good" | "unsure" | ""
  /** Until when it matters: the applicant acts, or the prefill or the submission is in another state. */
  readonly until: "act" | "prefill" | "submission"
  // Until here.
  /** How many there have been. */
  readonly count: number
}

/**
 * All that can be read of a session. It is read only: a step makes another one, in which
 * every part that is as it was is the same object.
 */
export interface Snapshot {
  readonly form: string
  readonly title: string
  // From the table: status
  /** The state of the submission. */
  readonly submission: Submission
  /** How far the loading of the saved answers has come. */
  readonly prefill: "none" | "loading" | "ready" | "failed"
  /** Whether the applicant is going away. */
  readonly leaving: "present" | "asking" | "departing" | "gone"
  /** Whether anything differs from what is saved. */
  readonly unsaved: boolean
  /** Whether leaving would be asked about. */
  readonly guarded: boolean
  /** Whether a submission is under way. */
  readonly busy: boolean
  /** Whether no field takes an edit now. */
  readonly locked: boolean
  /** In words, what is under way: loading, checking or sending; else nothing. */
  readonly pending: string
  /** Where what was received can be seen. */
  readonly receipt: string | undefined
  // Until here.
  /** The question at leaving, while it stands: session.decide. */
  readonly question: Question | undefined
  readonly buttons: readonly Button[]
  /** In the form's order; the fields in rows are in their group's rows. */
  readonly fields: readonly Field[]
  /** What is wrong with the form as a whole. */
  readonly issues: readonly Issue[]
  readonly said: Said | undefined
  /** What was denied because the applicant is signed out, or not allowed, and was not asked again since. */
  readonly denied: "load" | "send" | ""
  /** The values of the submission that is under way, or whose outcome is not known, as its body has them. */
  readonly sent: Values | undefined
  /** What was typed on an earlier page, at fields that this version of the form does not have: to be copied. */
  readonly leftOut: readonly LeftOut[]
  /** What this tab had typed on an earlier page, and is back; until it is saved or taken back. */
  readonly draft: Draft | undefined
  /** What tabs left that were closed, the newest first: session.takeOver, session.discard. */
  readonly offered: readonly Draft[]
  /** Whether the browser keeps what is typed: its stores can be full, or closed to the site. */
  readonly keeps: boolean
}

/** The question at leaving. */
export interface Question {
  // From the table: ask
  /** What would be lost. */
  readonly reason: "unsaved" | "sending" | "unsettled"
  /** Where the applicant wants to go. */
  readonly to: string
  // Until here.
}

/** What was typed on an earlier page, at a field that the form does not have any more. */
export interface LeftOut {
  // From the table: left out
  /** Where it was typed. */
  readonly path: string
  /** What was typed. */
  readonly raw: string
  // Until here.
}

/** What was typed and not sent, kept beyond its page. */
export interface Draft {
  /** When it was kept, in milliseconds since 1970. */
  readonly at: number
  /** The paths of private fields that had an answer: it is not kept, and has to be typed again. */
  readonly again: readonly string[]
}

/** What a step has changed. */
export interface Change {
  /** The fields that were told anew. */
  readonly fields: readonly Field[]
  /** What the applicant did, if it was they. */
  readonly act?: string
  /** The snapshot before it. */
  readonly before: Snapshot
}

/** A request that a session makes. */
export interface SessionRequest {
  // From the table: fetch
  /** What it is for. */
  readonly kind: "load" | "check" | "send"
  /** Its method. */
  readonly method: string
  /** Its address. */
  readonly url: string
  // Until here.
}

/**
 * What a function of the application answers a request with: a Response, or its parts. A body that is neither a
 * text nor bytes goes as JSON; from is the address that answered, where that is another than the one that was asked.
 * What the function throws means that the outcome is not known.
 */
export type Answered = Response | { status: number; headers?: HeadersInit; body?: unknown; from?: string }

/** A submission to be sent. */
export interface Sending<Sent extends object = Values> {
  readonly method: string
  readonly url: string
  /** The button that was pressed. */
  readonly button: string
  /** Of the submission: a server that knows it already does the work no second time. */
  readonly key: string
  /** The version that the values are based on; empty: it is not known. */
  readonly version: string
  readonly values: Readonly<Sent>
  /** The same as it travels: a JSON text, with PATCH a merge patch, or with submit.as form a form as a browser sends it. */
  readonly body: string
  readonly signal: AbortSignal
}

export interface OpenOptions<Sent extends object = Values> {
  /** Whose work it is: what one account has typed is not offered to another. */
  account?: string
  /** A value for each name that the form declares as given: {id} in its urls. */
  given?: Record<string, string | number>
  /** What the fields hold at first, instead of the declared defaults: texts by path, and for rows how many there are. Where saved answers are loaded, these count instead. */
  defaults?: Record<string, string | number>
  /** Headers for each request, such as a token against forgery or an authorisation. */
  headers?: (request: SessionRequest) => HeadersInit | Promise<HeadersInit>
  /** As in fetch; left out: same-origin. */
  credentials?: RequestCredentials
  /** What urls that begin with a slash are below. */
  base?: string
  /** Instead of the window's. */
  fetch?: typeof fetch
  /** The saved answers that the application has in hand: they answer the first load, and no request is made for it. */
  record?: { values: object; version?: string }
  /** Loads the saved answers, instead of a request to the form's url. Where the form says prefill.own and this is left out, they are supplied: see reading. */
  load?: (asked: { signal: AbortSignal }) => Answered | Promise<Answered>
  /** Checks an answer, instead of a request to the field's url. */
  check?: (asked: { path: string; value: string; values: Readonly<Sent>; signal: AbortSignal }) => Answered | Promise<Answered>
  /** Sends a submission, instead of a request to the form's url. A repeat has the same key and the same body. */
  send?: (asked: Sending<Sent>) => Answered | Promise<Answered>
  /** Has the last word on what is sent, at once, and once for each submission: a repeat carries the same body. What it throws refuses the submission, and the applicant reads it. */
  prepare?: (values: Readonly<Sent>) => object
  /** Has the applicant sign in where they are. It is called once for all that was denied; where it answers true, that is asked once more. */
  signIn?: (denied: { kind: "load" | "send"; account: string | undefined }) => boolean | Promise<boolean>
  /** For how many hours work is kept beyond the page: 24, and no longer than the server remembers a key; 0: not at all. The name tells forms of one page apart. */
  keep?: { hours?: number; name?: string }
  /** Where leanwicket.wasm is; left out: beside the module. */
  core?: URL | string
}

/** How the applicant has left. */
export interface Left {
  // From the table: leave
  /** Where the applicant goes. */
  readonly to: string
  /** How the page is left. */
  readonly kind: "inside" | "unload"
  // Until here.
}

/** The events of a session. */
export interface SessionEvents {
  /** The submission is in another state. */
  outcome: CustomEvent<Outcome>
  /** A submit was held, and why. */
  held: CustomEvent<{ said: string; holds: Hold[] }>
  /** Leaving has to be asked about. */
  question: CustomEvent<Question>
  /** Something has to be said to a screen reader that everybody else sees, such as a row that was added. */
  announced: CustomEvent<string>
  /** The focus belongs to the field with this path; empty: to the summary of the form. */
  focus: CustomEvent<string>
  /** Nothing more is lost by leaving. */
  left: CustomEvent<Left>
  /** After an acceptance the form declares that the applicant goes on to this url. */
  navigate: CustomEvent<string>
  /** The core has failed, and the session has ended. */
  failed: CustomEvent<unknown>
}

/** Where a compiled form is; its type knows the paths of its fields, its buttons, and what it sends. */
export interface CompiledForm<Path extends string = string, Name extends string = string, Sent extends object = Values> extends URL {
  readonly paths?: Path
  readonly buttons?: Name
  readonly values?: Sent
}

/** One applicant's work on one form, from opening to leaving. */
export interface Session<Path extends string = string, Name extends string = string, Sent extends object = Values> extends EventTarget {
  readonly snapshot: Snapshot
  readonly alive: boolean
  /** What a submit would send now, as its body would have it. It is the same object while nothing of it has changed. */
  readonly values: Readonly<Sent>
  /** A field as it is now, also one in a row: crew/0/name. */
  field(path: Path): Field | undefined
  /** The paths of the fields in a group's rows, as they are declared. */
  members(group: Path): readonly string[]
  /** Calls back after each step. Returns what ends that. */
  observe(callback: (change: Change) => void): () => void
  /** Calls back when one field has changed; undefined: its row is gone. Returns what ends that. */
  observeField(path: Path, callback: (field: Field | undefined) => void): () => void

  /** Something was typed or chosen: the text of the control, of several choices one a line. */
  edit(path: Path, raw: string): void
  /** A field was left. */
  blur(path: Path): void
  /** A submit button was pressed; left out: the first. */
  submit(button?: Name): void
  /** Stops waiting for what is under way. */
  cancel(): void
  /** Sends an attempt again whose outcome is not known. */
  retry(): void
  /** Takes back everything that is not saved. */
  reset(): void
  /** Loads the saved answers again. */
  refresh(): void
  /** Chooses between both values of a contested field. */
  resolve(path: Path, choice: "mine" | "theirs"): void
  addRow(group: Path): void
  removeRow(row: string): void
  moveRow(row: string, to: string): void
  /** The applicant wants to leave. The promise tells whether they may: after the question was answered, where there is one. */
  leave(to?: string): Promise<boolean>
  /** Goes on with a draft of snapshot.offered, where nothing is unsaved yet. Returns whether it was taken over. */
  takeOver(draft: Draft): Promise<boolean>
  /** Throws away a draft of snapshot.offered; left out: what was typed before on this tab. */
  discard(draft?: Draft): void
  /** Decides about leaving, where that was asked. */
  decide(decision: "stay" | "submit" | "discard"): void
  /** Who was let go is still here. */
  returned(): void

  /**
   * Begins to read the saved record. What is returned gives the session what was read, with its version, and tells
   * whether that was taken: what was read before a save was accepted, and comes after it, is not.
   */
  reading(): (values: object, version?: string) => boolean

  /** The record of the session so far: leanwicket replay and leanwicket draw read it. */
  trace(): string
  /** Ends the session; what was typed is kept. */
  close(): void

  addEventListener<K extends keyof SessionEvents>(type: K, listener: (event: SessionEvents[K]) => void, options?: boolean | AddEventListenerOptions): void
  addEventListener(type: string, listener: EventListenerOrEventListenerObject | null, options?: boolean | AddEventListenerOptions): void
  removeEventListener<K extends keyof SessionEvents>(type: K, listener: (event: SessionEvents[K]) => void, options?: boolean | EventListenerOptions): void
  removeEventListener(type: string, listener: EventListenerOrEventListenerObject | null, options?: boolean | EventListenerOptions): void
}

/** Opens a session of a compiled form: where it is, or its bytes. */
export function openForm<Path extends string = string, Name extends string = string, Sent extends object = Values>(source: CompiledForm<Path, Name, Sent> | URL | string | Uint8Array, options?: OpenOptions<Sent>): Promise<Session<Path, Name, Sent>>

/** The detail of the events leanwicket-accepted, leanwicket-refused and so on, which a form of the page dispatches. */
export interface Outcome {
  submission: Submission
  // From the table: attempt, replied
  /** The button that was pressed. */
  readonly button: string | undefined
  /** The key of the submission: a repeat has the same. */
  readonly key: string | undefined
  /** What was sent, as its body has it. */
  readonly values: Values | undefined
  /** The status of the reply, where one came in this step (RFC 9110, section 15); 0: the connection broke. */
  readonly status: number | undefined
  /** Its Location, as it came. */
  readonly location: string | undefined
  /** The version of what was stored, its ETag, as it came. */
  readonly version: string | undefined
  /** What it holds, where that is JSON. */
  readonly body: unknown
  // Until here.
  /** What was said, in the form's language. */
  said: string
}

/** What the classic script adds to the window. */
export interface Leanwicket {
  /** Binds a form that was added after the page had loaded. */
  bind(form: HTMLFormElement): Promise<unknown>
  /** Ends what was bound to a form that is taken from the page; what was typed is kept. */
  release(form: HTMLFormElement): void
  /** The form's state; undefined: it is not bound. */
  state(form: HTMLFormElement): Submission | undefined
  /** The session of a form that is bound. */
  session(form: HTMLFormElement): Session | undefined
  /** Opens a session without a form on the page. */
  open(source: URL | string | Uint8Array, options?: OpenOptions): Promise<Session>
  /** Tells the session what the applicant did, as if by a control. */
  // From the table: events
  tell(form: HTMLFormElement, what: "edit", path: string, raw: string): void
  tell(form: HTMLFormElement, what: "blur", path: string): void
  tell(form: HTMLFormElement, what: "submit", button: string): void
  tell(form: HTMLFormElement, what: "cancel"): void
  tell(form: HTMLFormElement, what: "retry"): void
  tell(form: HTMLFormElement, what: "reset"): void
  tell(form: HTMLFormElement, what: "refresh"): void
  tell(form: HTMLFormElement, what: "add row", group: string): void
  tell(form: HTMLFormElement, what: "remove row", row: string): void
  tell(form: HTMLFormElement, what: "move row", row: string, to: string): void
  tell(form: HTMLFormElement, what: "resolve", path: string, choice: string): void
  tell(form: HTMLFormElement, what: "leave asked", to: string, kind: string): void
  tell(form: HTMLFormElement, what: "leave decided", decision: string): void
  tell(form: HTMLFormElement, what: "returned"): void
  // Until here.
  /** The record of the session so far: leanwicket replay and leanwicket draw read it. */
  trace(form: HTMLFormElement): string | undefined
}

declare global {
  var leanwicket: Leanwicket
  interface HTMLElementEventMap {
    "leanwicket-idle": CustomEvent<Outcome>
    "leanwicket-checking": CustomEvent<Outcome>
    "leanwicket-sending": CustomEvent<Outcome>
    "leanwicket-waiting": CustomEvent<Outcome>
    "leanwicket-unsettled": CustomEvent<Outcome>
    "leanwicket-accepted": CustomEvent<Outcome>
    "leanwicket-refused": CustomEvent<Outcome>
    "leanwicket-denied": CustomEvent<Outcome>
    "leanwicket-outdated": CustomEvent<Outcome>
  }
}
