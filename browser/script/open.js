// Opens the session of a form.
import { load } from "./core.js"
import { file } from "./scope.js"
import { Session } from "./session.js"

/**
 * Opens a session of a compiled form.
 * @param {URL | string | Uint8Array} source where the compiled form is, or its bytes
 * @param {import("../leanwicket").OpenOptions & {core: URL | string}} options
 */
export async function open(source, options) {
  const [core, compiled] = await Promise.all([load(options.core), source instanceof Uint8Array ? source : read(source)])
  const session = new Session(core, options, compiled)
  await session.open()
  return session
}

/** @param {URL | string} at */
async function read(at) {
  const source = await file(at)
  return source instanceof Uint8Array ? source : new Uint8Array(await source.arrayBuffer())
}
