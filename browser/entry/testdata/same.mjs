// Runs the core that is named on the command line, calls it as the lines on standard input
// say, and compares each answer. A line is a call as JSON: its number, time, words and
// compiled form, whether to collect before it, and the answer.
import { readFileSync } from "node:fs"
import { createInterface } from "node:readline"
import { brotliDecompressSync } from "node:zlib"

const encoder = new TextEncoder(), decoder = new TextDecoder(), patterns = []
const text = (from, length) => decoder.decode(new Uint8Array(memory.buffer, from, length))
const { instance } = await WebAssembly.instantiate(brotliDecompressSync(readFileSync(process.argv[2])), {
  leanwicket: {
    pattern(from, length) { try { return patterns.push(new RegExp(text(from, length), "u")) - 1 } catch { return -1 } },
    matches: (pattern, from, length) => Number(patterns[pattern].test(text(from, length))),
    now: () => 1e12,
  },
})
const { memory, begin, room, call, collect } = instance.exports
begin()
let calls = 0
const recent = []
for await (const line of createInterface({ input: process.stdin, crlfDelay: Infinity })) {
  const { page, at, texts, compiled, gather, answer } = JSON.parse(line)
  const parts = [...texts.map(t => encoder.encode(t)), Buffer.from(compiled || "", "base64")]
  collect(gather)
  let to = room(parts.reduce((sum, part) => sum + part.length, 4 * parts.length + 4))
  new Uint32Array(memory.buffer, to, parts.length + 1).set([parts.length, ...parts.map(part => part.length)])
  to += 4 * parts.length + 4
  for (const part of parts) {
    new Uint8Array(memory.buffer, to).set(part)
    to += part.length
  }
  let got
  try {
    const from = call(page, at)
    got = text(from + 4, new Uint32Array(memory.buffer, from, 1)[0])
  } catch (failed) { got = failed.stack }
  recent.push(texts.join(" | "))
  if (got !== answer) {
    console.log(`call ${calls}, after\n${recent.slice(-12).join("\n")}\nstandard: ${answer}\nsmall:    ${got}`.replaceAll("\x1f", "|").replaceAll("\x1e", "\n"))
    process.exit(1)
  }
  calls++
}
console.log(`${calls} calls, ${memory.buffer.byteLength >> 10} KiB`)
