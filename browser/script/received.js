// What came of a request, as it is handed to the core. Nothing of a reply is read here: the core
// knows alone what it means.
import { PART, clean } from "./core.js"

/**
 * How much of a body is handed over, in bytes. Of one that is longer than 4 MB the core reads
 * nothing, so that one byte more says all. What a browser gives at once can be far more.
 */
const most = (4 << 20) + 1

/** The bytes of a body, and whether it broke off. @param {Response} response */
export async function bodyOf(response) {
  /** @type {Uint8Array[]} */
  const parts = []
  let size = 0, cut = false
  const reader = response.body?.getReader()
  try {
    while (reader && size < most) {
      const { done, value } = await reader.read()
      if (done) break
      parts.push(value.subarray(0, most - size))
      size = Math.min(size + value.length, most)
    }
  } catch { cut = true }
  const bytes = new Uint8Array(size)
  let at = 0
  for (const part of parts) { bytes.set(part, at); at += part.length }
  return { bytes, cut }
}

/** The parts of what a call is told of an answer. @param {Response} response @param {string} from where it came from, where that is not said by itself */
export const describe = (response, from) => ({
  status: response.status,
  headers: [...response.headers].flatMap(([name, value]) => [clean(name), clean(value)]).join(PART),
  from: clean((from || response.url).replace(/#.*/, "")),
  redirected: response.redirected || from !== "",
})

/**
 * An answer of the application as a Response, and the address that it names.
 * @param {any} answer a Response, or its parts
 * @returns {[Response, from: string]}
 */
export function given(answer) {
  if (answer instanceof Response) return [answer, ""]
  const { status, headers, body, from = "" } = answer || {}
  if (!(status >= 200 && status <= 599)) {
    throw new TypeError("found no answer to a request; right would be a Response, or {status, headers, body, from}")
  }
  const isText = body === undefined || body === null || typeof body === "string" || body instanceof Blob || ArrayBuffer.isView(body)
  const response = new Response(isText ? body : JSON.stringify(body), { status, headers })
  if (!isText && !new Headers(headers).has("Content-Type")) response.headers.set("Content-Type", "application/json")
  return [response, String(from)]
}

/** The sites whose versions are hidden, as far as it was said. @type {Set<string>} */
const hidden = new Set()

/** Says once that a save would go without a version, because another site shows none. @param {Response} response */
export function warnOfHidden({ type, url, headers }) {
  const site = type === "cors" ? new URL(url).origin : ""
  if (!site || headers.get("ETag") || hidden.has(site)) return
  hidden.add(site)
  console.warn(`leanwicket: ${site} shows this page no ETag, so that a save can replace what somebody else has saved; right would be ETag, and Access-Control-Expose-Headers: ETag, Location, Retry-After`)
}
