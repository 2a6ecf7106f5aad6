// Runs each program of meaning in an instance of its own, and collects before it.
import { readFileSync } from "node:fs"
const module = new WebAssembly.Module(readFileSync(process.argv[2]))
const all = []
for (let n = 0, count = 1; n < count; n++) {
  const { exports: { memory, begin, programs, run, said, collect } } = new WebAssembly.Instance(module, {})
  begin()
  count = programs()
  collect(0)
  let ends = true
  try { run(n) } catch { ends = false }
  const at = said(), length = new Uint32Array(memory.buffer, at, 1)[0]
  all.push({ said: Buffer.from(memory.buffer, at + 4, length).toString("base64"), ends })
}
console.log(JSON.stringify(all))
