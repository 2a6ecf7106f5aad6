// The attributes of a form's controls, as the platform names them, for whoever draws them.

/** @typedef {import("../leanwicket").Field} Field */

/**
 * @param {import("./session.js").Session} session
 * @param {string} [name] of its drafts
 */
export function attributes(session, name) {
  /** What was given last for each control, and for which field. @type {Map<string, {of: unknown[], given: any}>} */
  const last = new Map()
  /** What each control first showed. @type {Map<string, string>} */
  const first = new Map()
  /** The keys of fields, by the ids that were given. @type {Map<string, string>} */
  const keys = new Map()
  /** The fields of a snapshot, by their keys. @type {{of?: object, fields: Map<string, Field>}} */
  let known = { fields: new Map() }

  /** @param {Field} field */
  const idOf = field => [session.snapshot.form, name, field.key].filter(part => part).join("-").replace(/\s/g, "-")

  /** @param {Field} field @param {string | undefined} raw */
  function make(field, raw) {
    const { kind, path } = field, id = idOf(field), several = raw !== undefined
    const shown = field.issues.some(i => i.shown)
    const box = kind === "boolean" || several
    const before = first.get(id) ?? (first.set(id, field.raw), field.raw)
    /** @type {any} */
    const given = { id: several ? id + "-" + field.options.findIndex(o => o.raw === raw) : id, name: path }
    if (box) Object.assign(given, {
      type: kind === "choice" ? "radio" : "checkbox", value: several ? raw : "true",
      defaultChecked: several ? before.split("\n").includes(raw) : before === "true",
    })
    else given.defaultValue = before
    if (/password/.test(field.autocomplete)) given.type = "password"
    if (kind === "number" || kind === "integer") given.inputMode = kind === "number" ? "decimal" : "numeric"
    for (const what of /** @type {const} */ (["placeholder", "autocomplete"])) if (field[what]) given[what] = field[what]
    if (field.required) given.required = true
    if (session.snapshot.locked) given[box || field.options.length ? "aria-disabled" : "readOnly"] = true
    if (shown) given["aria-invalid"] = "true"
    if (field.checking) given["aria-busy"] = "true"
    const described = [field.help && id + "-help", shown && id + "-issues"].filter(part => part).join(" ")
    if (described) given["aria-describedby"] = described
    return Object.freeze(given)
  }

  return {
    /**
     * The attributes of the control of a field. It is the same object while nothing of it changes.
     * @param {string} path
     * @param {string} [raw] of a radio button or one of several boxes, its own value
     */
    attributesOf(path, raw) {
      const field = session.field(path)
      if (!field) throw new TypeError(`leanwicket: the form ${session.snapshot.form} has no field ${path} now`)
      const id = idOf(field), which = id + (raw === undefined ? "" : " " + raw)
      const of = [path, field.issues, field.checking, session.snapshot.locked]
      const before = last.get(which)
      if (before?.of.every((part, k) => part === of[k])) return before.given
      const given = make(field, raw)
      last.set(which, { of, given })
      keys.set(given.id, field.key)
      return given
    },
    /** The field of a control that has an id of attributesOf. @param {string} id @returns {Field | undefined} */
    byId(id) {
      const key = keys.get(id), { snapshot } = session
      if (key === undefined) return undefined
      if (known.of !== snapshot) known = { of: snapshot, fields: new Map(session.everyField().map(f => [f.key, f])) }
      return known.fields.get(key)
    },
  }
}
