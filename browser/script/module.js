// Lean Wicket for scripts with components of their own: sessions without a page.
import { open } from "./session.js"

/**
 * Opens a session of a compiled form.
 * @param {URL | string | Uint8Array} source
 * @param {import("../leanwicket").OpenOptions} options
 */
export const openForm = (source, options = {}) => open(source, { core: new URL("./leanwicket.wasm", import.meta.url), ...options })
