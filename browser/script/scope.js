// What surrounds the script: a window, a worker, or a program that has neither.

/** What tells of the life of a page; where there is none, nothing is told. @type {any} */
export const scope = "addEventListener" in globalThis ? globalThis : { addEventListener() {}, removeEventListener() {} }

/** Where the page is, as far as there is one. @returns {{origin: string, pathname: string}} */
export const place = () => globalThis.location ?? { origin: "", pathname: "" }

/** A failure of somebody else's function. @param {unknown} failed */
export const report = failed => { (globalThis.reportError ?? console.error)(failed) }

/**
 * A file of the bundle. A program that runs beside its files reads them: there is nobody to ask.
 * @param {URL | string} at
 * @returns {Promise<Response | Uint8Array>}
 */
export async function file(at) {
  const { process } = /** @type {any} */ (globalThis)
  if (process?.getBuiltinModule && String(at).startsWith("file:")) return process.getBuiltinModule("fs").readFileSync(new URL(at))
  const source = await fetch(at)
  if (!source.ok) throw new Error(at + ": " + source.status)
  return source
}
