// Sessions whose forms somebody else draws: the controls of a form are attached, and nothing is drawn.
import type { CompiledForm, OpenOptions, Session, Values } from "./leanwicket.js"

export * from "./leanwicket.js"

/** The attributes of a control, as the platform names them. What is not there is left out. */
export interface ControlAttributes {
  /** It is made of the form, the name of its drafts and the field: its help has the same and -help, its issues the same and -issues. */
  readonly id: string
  /** The path of its field. */
  readonly name: string
  /** Where it is not a text. */
  readonly type?: "checkbox" | "radio" | "password"
  /** Of a box or a radio button. */
  readonly value?: string
  /** What the control first shows. */
  readonly defaultValue?: string
  /** Whether the control is ticked at first. */
  readonly defaultChecked?: boolean
  readonly inputMode?: "decimal" | "numeric"
  readonly placeholder?: string
  readonly autocomplete?: string
  readonly required?: true
  readonly readOnly?: true
  readonly "aria-disabled"?: true
  readonly "aria-invalid"?: "true"
  readonly "aria-busy"?: "true"
  readonly "aria-describedby"?: string
}

/** A session whose form can be attached. */
export interface AttachedSession<Path extends string = string, Name extends string = string, Sent extends object = Values> extends Session<Path, Name, Sent> {
  /**
   * The attributes of the control of a field. It is the same object while nothing of it changes. What an applicant types makes no
   * other one: attach writes that.
   * @param raw of a radio button, or of one of several boxes: its own value
   */
  attributesOf(path: Path, raw?: string): ControlAttributes

  /**
   * Attaches the controls of a form: those that have the path of a field as their name. It can be given to a component library as
   * what is called with the form's element. It draws nothing. It returns what ends it; null ends it as well.
   */
  attach(form: HTMLFormElement | null): (() => void) | undefined
}

/** Opens a session whose form can be attached. */
export function openForm<Path extends string = string, Name extends string = string, Sent extends object = Values>(source: CompiledForm<Path, Name, Sent> | URL | string | Uint8Array, options?: OpenOptions<Sent>): Promise<AttachedSession<Path, Name, Sent>>
