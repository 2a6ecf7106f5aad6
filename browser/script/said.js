// What the core says, as objects whose parts have the names of the table, and what it is told.
import { PART, RECORD } from "./core.js"
import { calls } from "./table.js"

/** A value of which the core has the JSON text, or none. @param {string} text */
const data = text => text === "" ? undefined : JSON.parse(text)

/** Reads parts as an object. @param {string} spec as in the table */
function reader(spec) {
  const names = spec === "" ? [] : spec.split(" ").map(name => [name.replace(/\W$/, ""), name.slice(-1)])
  return {
    size: names.length,
    /** @param {string[]} parts @param {number} at where they begin */
    read: (parts, at) => Object.fromEntries(names.map(([name, kind], k) => {
      const text = parts[at + k]
      return [name, kind === "?" ? text === "1" : kind === "#" ? Number(text) : kind === "=" ? data(text) : kind !== "*" ? text : text === "" ? [] : text.split(" ")]
    })),
  }
}

/** How to read each record: the core itself says it, in its first one. @type {Map<string, {own: ReturnType<typeof reader>, list?: string, each: ReturnType<typeof reader>}>} */
let readers = new Map([["table", { own: reader("text"), each: reader("") }]])

/** @param {string} table */
const learn = table => {
  readers = new Map(table.trimEnd().split("\n").map(line => {
    const [name, own, list, each = ""] = line.split("\t")
    return [name, { own: reader(own), list, each: reader(each) }]
  }))
}

/**
 * The records of a patch, each with its name.
 * @param {string} patch
 * @returns {[name: keyof import("./table.js").Records, record: any][]}
 */
export const said = patch => patch.split(RECORD).slice(0, -1).map(record => {
  const [name, ...parts] = record.split(PART).slice(0, -1)
  const { own, list, each } = /** @type {any} */ (readers.get(name))
  /** @type {any} */
  const read = own.read(parts, 0)
  if (list) {
    read[list] = []
    for (let at = own.size; at < parts.length; at += each.size) read[list].push(each.read(parts, at))
  }
  if (name === "table") learn(read.text)
  return /** @type {any} */ ([name, read])
})

/**
 * What the core is told by a call, as its texts.
 * @param {string} name
 * @param {Record<string, string | number | boolean | undefined>} parts
 */
export const told = (name, parts) => calls[name].split(" ").map(part => {
  const value = parts[part.replace(/\W$/, "")]
  return value === true ? "1" : String(value || "")
})
