// What can be read of a session: a tree that is never changed. A step makes new parts for
// what it has changed and for what holds them; every other part stays the same object.

/** @typedef {import("../leanwicket").Field} Field */
/** @typedef {import("../leanwicket").Row} Row */
/** @typedef {import("../leanwicket").Snapshot} Snapshot */
/** @typedef {import("./table.js").Records} Records */

/**
 * What this script itself says, until the applicant acts.
 * @param {Snapshot} before
 * @param {string} text
 * @returns {import("../leanwicket").Said}
 */
export const saying = (before, text) => ({ level: "polite", text, about: "", until: "act", count: (before.said?.count || 0) + 1 })

/**
 * The older of two values where they are the same; lists and objects are compared by what
 * they hold. What is new cannot be changed any more.
 * @template T
 * @param {T | undefined} before
 * @param {T} now
 * @returns {T}
 */
export function same(before, now) {
  if (before !== undefined && Object.is(before, now)) return before
  if (typeof now !== "object" || !now || Object.isFrozen(now)) return now // what is frozen was compared before
  /** @type {any} */
  const parts = now
  /** @type {any} */
  const older = typeof before === "object" && before && Array.isArray(before) === Array.isArray(now) ? before : undefined
  const names = Object.keys(parts)
  let equal = older !== undefined && names.length === Object.keys(older).length
  for (const name of names) {
    const part = same(older?.[name], parts[name])
    if (part !== parts[name]) parts[name] = part
    equal &&= Object.is(older?.[name], part)
  }
  return equal ? older : Object.freeze(now)
}

/** The answer in a record, as a value of its kind. @param {string} kind @param {string} of @param {string} text @returns {any} */
function answer(kind, of, text) {
  switch (kind === "choice" ? of : kind) {
    case "boolean": return text === "true"
    case "number": case "integer": return Number(text)
    case "choices": return text === "" ? [] : text.split("\n").map(one => answer(of, of, one))
    default: return text
  }
}

/** The fields of a form as they are declared, and as they are. */
export class Fields {
  constructor() {
    /** What is declared, by declared path. @type {Map<string, any>} */
    this.declared = new Map()
    /** The paths outside of rows, in the form's order. @type {string[]} */
    this.order = []
    /** Their fields. @type {readonly Field[]} */
    this.list = Object.freeze([])
    /** Every field there is, by its path. @type {Map<string, Field>} */
    this.byPath = new Map()
    /** Groups of which something has changed in this step. @type {Set<string>} */
    this.moved = new Set()
    this.altered = false
  }

  /** Takes what is declared of a field. @param {Records["declared"]} declared */
  declare({ path, options, ...words }) {
    const { kind, of } = words
    const choices = options.map(option => Object.freeze({ ...option, value: answer(kind === "choices" ? of : kind, of, option.raw) }))
    this.declared.set(path, { ...words, options: Object.freeze(choices), groups: [] })
    const [group, inRows] = path.split(/\/\*(?=\/|$)/)
    if (inRows !== undefined) this.declared.get(group).groups.push(path)
    else this.order.push(path)
  }

  /** The path of a field as it is declared: crew/0/name is crew/*\/name. @param {string} path */
  pathOf(path) {
    if (this.declared.has(path)) return path
    for (const { 0: row, index } of path.matchAll(/\/\d+(?=\/|$)/g)) {
      const declared = path.slice(0, index) + "/*" + path.slice(index + row.length)
      if (this.declared.has(declared)) return declared
    }
    return ""
  }

  /** Takes how a field, or a group, is now. Returns the field. @param {Records["field"]} told */
  take({ answered, answer: text, saved, ...told }) {
    const { path, raw } = told
    const declaredPath = this.pathOf(path)
    /** @type {{kind: string, of: string, groups: string[], [word: string]: any}} */
    const { of, groups, ...words } = this.declared.get(declaredPath)
    const before = this.byPath.get(path)
    const rows = words.kind === "rows"
    /** @type {any} */
    const now = {
      ...words, ...told,
      value: rows ? Number(raw) : answered ? answer(words.kind, of, text) : undefined,
      saved: told.contested ? saved : undefined,
      ...(rows ? { rows: before?.rows || Object.freeze([]) } : {}),
    }
    const field = same(before, now)
    if (field !== before) {
      this.byPath.set(path, field)
      if (path === declaredPath) this.altered = true
      else this.moved.add(declaredPath.split("/*")[0])
    }
    if (rows) {
      for (let k = Number(raw); k < (before?.rows?.length || 0); k++) for (const member of groups) this.byPath.delete(member.replace("*", String(k)))
      if (Number(raw) !== field.rows?.length) this.moved.add(path)
    }
    return field
  }

  /** All fields, those of the rows after their group. @returns {Field[]} */
  all() { return this.list.flatMap(f => [f, ...(f.rows || []).flatMap(row => row.fields)]) }

  /** Makes the parts that hold what has changed. Returns whether anything has. */
  settle() {
    for (const path of this.moved) {
      const group = this.byPath.get(path)
      if (!group) continue
      /** @type {string[]} */
      const members = this.declared.get(path).groups
      const rows = []
      for (let k = 0; k < Number(group.value); k++) {
        const fields = members.flatMap(member => this.byPath.get(member.replace("*", String(k))) || [])
        rows.push({ key: fields[0]?.key || String(k), path: path + "/" + k, fields })
      }
      const now = shared(group.rows || [], rows)
      if (now === group.rows) continue
      this.byPath.set(path, Object.freeze({ ...group, rows: now }))
      this.altered = true
    }
    this.moved.clear()
    const altered = this.altered
    this.altered = false
    if (altered) this.list = Object.freeze(this.order.flatMap(path => this.byPath.get(path) || []))
    return altered
  }
}

/** Rows, each the same object as before where it has the same fields, and their list. @param {readonly Row[]} before @param {Row[]} rows */
function shared(before, rows) {
  const now = rows.map((row, k) => {
    const old = before[k]
    if (old && old.key === row.key && old.fields.length === row.fields.length && old.fields.every((f, n) => f === row.fields[n])) return old
    return Object.freeze({ ...row, fields: Object.freeze(row.fields) })
  })
  return now.length === before.length && now.every((row, k) => row === before[k]) ? before : Object.freeze(now)
}
