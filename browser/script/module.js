// Lean Wicket for scripts with components of their own: sessions without a page.
import { open } from "./open.js"

/** @type {typeof import("../leanwicket").openForm} */
export const openForm = (source, options = {}) => open(source, /** @type {any} */ ({ core: new URL("./leanwicket.wasm", import.meta.url), ...options }))
