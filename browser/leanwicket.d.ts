// What the script of Lean Wicket offers to the scripts of a page.

/** What a reader sees as the state of a submission: also the form's attribute data-leanwicket-state. */
export type Submission =
  | "idle" | "checking" | "sending" | "waiting" | "unsettled" | "accepted" | "refused" | "denied" | "outdated"

/** The detail of the events leanwicket-accepted, leanwicket-refused and so on, which the form dispatches. */
export interface Outcome {
  submission: Submission
  /** What was said, in the form's language. */
  said: string
}

export interface Leanwicket {
  /** Binds a form that was added after the page had loaded. */
  bind(form: HTMLFormElement): Promise<unknown>
  /** Ends what was bound to a form that is taken from the page; what was typed is kept. */
  release(form: HTMLFormElement): void
  /** The form's state; undefined: it is not bound. */
  state(form: HTMLFormElement): Submission | undefined
  /** Tells the session what the applicant did, as if by a control. */
  tell(form: HTMLFormElement, what: "refresh" | "retry" | "cancel" | "reset"): void
  tell(form: HTMLFormElement, what: "submit", button: string): void
  tell(form: HTMLFormElement, what: "edit", path: string, raw: string): void
  tell(form: HTMLFormElement, what: "add" | "remove", path: string): void
  tell(form: HTMLFormElement, what: "move", row: string, to: string): void
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
