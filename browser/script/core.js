// Lean Wicket in a page. One script tag and one attribute:
//
//   <script src="/leanwicket/leanwicket.js" defer></script>
//   <form data-leanwicket-form="/forms/mooring.form"> … </form>
//
// The attribute names the compiled form. Controls are found by their names, which
// are the paths of the fields. If anything fails, the page works as it did before.
const here = document.currentScript ? document.currentScript.src : location.href
const PART = "\x1f", RECORD = "\x1e"
const pages = [] // by number, as the core has them
const clean = text => String(text).replace(/[\x1e\x1f]/g, " ")

// What has to look right on every page, whatever its own style: rules of no weight,
// which any rule of the page wins over, but that what is not asked stays hidden.
const style = new CSSStyleSheet()
style.replaceSync(`
  :where(.leanwicket-notice) { position: sticky; bottom: 0; background: Canvas; color: CanvasText; padding: .6rem; border-top: 1px solid }
  :where(.leanwicket-notice p) { margin: 0 }
  :where(.leanwicket-first) { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%) }
  :where(.leanwicket-dated) { position: relative }
  [data-leanwicket-unasked] { display: none !important }
`)
document.adoptedStyleSheets = [...document.adoptedStyleSheets, style]

// The core: one function, loaded once.
let core
function load() {
  core ??= (async () => {
    await script(new URL("wasm_exec.js", here))
    const go = new Go()
    const source = await fetch(new URL("leanwicket.wasm", here))
    if (!source.ok) throw new Error("leanwicket.wasm: " + source.status)
    const { instance } = await WebAssembly.instantiateStreaming(source, go.importObject)
    go.run(instance).then(() => pages.forEach(p => p.giveUp(new Error("the core has ended"))))
    return globalThis.leanwicketCore
  })()
  return core
}
const script = url => new Promise((resolve, reject) => {
  const tag = document.createElement("script")
  tag.src = url
  tag.onload = resolve
  tag.onerror = () => reject(new Error(url + " cannot be loaded"))
  document.head.append(tag)
})

// A body as the core reads it.
function flat(v, parts = []) {
  if (v === null || v === undefined) parts.push("n")
  else if (v === true) parts.push("t")
  else if (v === false) parts.push("f")
  else if (typeof v === "number") parts.push("d" + v)
  else if (typeof v === "string") parts.push("s" + clean(v))
  else if (Array.isArray(v)) { parts.push("a" + v.length); v.forEach(item => flat(item, parts)) }
  else { const names = Object.keys(v); parts.push("o" + names.length); names.forEach(n => { parts.push(clean(n)); flat(v[n], parts) }) }
  return parts
}
