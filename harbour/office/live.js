// The panel beside a form that shows its lifecycle as it goes, or that of a trace,
// as the core on the server replays it.
(() => {
  "use strict"
  const form = document.forms[0]
  const style = new CSSStyleSheet()
  style.replaceSync(`
    .leanwicket-page { max-width: none; padding: 0; display: grid; grid-template: minmax(0, 1fr) 19rem / minmax(20rem, 5fr) minmax(0, 6fr); height: 100vh; min-height: 0 }
    #live-side, #live { overflow: auto; padding: 1rem 1.5rem 0; display: flex; flex-direction: column }
    #live { display: block; padding-bottom: 1rem; border-left: 1px solid var(--leanwicket-hair) }
    #live-side .leanwicket-notice { margin: auto -1.5rem 0; padding: .8rem 1.5rem }
    #live dl { display: grid; grid-template-columns: max-content 1fr; gap: .3rem 1.2rem; margin: 0 0 1rem }
    #live dt { opacity: .8 } #live dd { margin: 0; font-weight: 600 }
    #live label { display: inline } #live input[type=range] { width: 16rem; vertical-align: middle }
    .picture { grid-column: 1 / -1; overflow: auto; border-top: 1px solid var(--leanwicket-hair) }
    .picture img { display: block; min-width: 1000px; width: 100% }
    @media (max-width: 60rem) { .leanwicket-page { display: block; height: auto } }
  `)
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, style]
  const part = name => document.getElementById("live-" + name)
  let replayed = null // lines of a trace; null: the form beside it is shown
  let shown = "", picture

  async function show(lines) {
    const text = lines.join("\n") + "\n"
    if (text === shown) return
    shown = text
    const response = await fetch("/live", { method: "POST", body: text, headers: { "Content-Type": "application/jsonl" } })
    const answer = await response.json()
    part("problem").textContent = response.ok ? "" : answer.title
    if (!response.ok || text !== shown) return
    for (const name of ["form", "prefill", "submission", "leave", "holds", "asks", "step"]) part(name).textContent = answer[name]
    URL.revokeObjectURL(picture)
    picture = URL.createObjectURL(new Blob([answer.picture], { type: "image/svg+xml" }))
    const img = part("picture").querySelector("img")
    img.src = picture
    img.alt = "The timeline of this session: " + answer.step
  }

  function look() {
    if (replayed) return show(replayed.slice(0, 1 + Number(part("slider").value)))
    const trace = globalThis.leanwicket?.trace(form)
    if (trace) return show(trace.trimEnd().split("\n"))
  }

  function replay(text) {
    const lines = text.split("\n").filter(line => line.trim())
    replayed = lines.length ? lines : null
    part("slider").max = part("slider").value = String(Math.max(0, lines.length - 1))
    part("replaying").hidden = !replayed
    look()
  }

  part("file").addEventListener("change", async e => { if (e.target.files[0]) replay(await e.target.files[0].text()) })
  part("slider").addEventListener("input", look)
  part("back").addEventListener("click", () => { part("file").value = ""; replay("") })
  part("save").addEventListener("click", () => {
    const lines = replayed ? replayed.join("\n") + "\n" : globalThis.leanwicket?.trace(form)
    const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(new Blob([lines], { type: "application/jsonl" })), download: "session.trace.jsonl" })
    link.click()
    URL.revokeObjectURL(link.href)
  })
  setInterval(() => { if (!replayed && document.visibilityState === "visible") look() }, 250)
})()
