// The lifecycle of a berth request as somebody writes it by hand, once for all pages of this
// folder. A page hands in what it shows; ?wrong=NAME makes one mistake.
export const wrong = new URLSearchParams(location.search).get("wrong") ?? ""
const is = name => wrong === name

const rules = {
  vessel: v => v.length >= 3 ? "" : "A vessel's name has at least three letters.",
  length: v => Number(v) >= 1 && Number(v) <= 60 ? "" : "A length is 1 to 60 metres.",
  quay: v => v ? "" : "Choose a quay.",
  arrival: v => is("half-date") || /^\d{4}-\d\d-\d\d$/.test(v) ? "" : "Give the day of arrival.",
}
export const fields = ["vessel", "length", "quay", "power", "arrival", "notes"]
const blank = { vessel: "", length: "", quay: "", power: false, arrival: "", notes: "" }

// page: values() → object, set(path, value), mark(path, text), say(text, announced), pend(on),
// lock(on), focus(path), clear().
// leave(): what stands in place of the form when another route is there.
export function office(page) {
  let saved = { ...blank }, touched = new Set(), key = crypto.randomUUID(), sentBody = "", sending = false, refused = "", loading = true
  const told = {} // what an event has told
  const values = () => page.values()
  const dirty = () => fields.some(f => !(is("text-only") && f !== "vessel" && f !== "notes") && String(values()[f]) !== String(saved[f]))
  const guarded = () => is("nagging") || (is("after") ? touched.size > 0 : dirty())

  if (is("brought-back")) addEventListener("pagehide", () => sessionStorage.setItem("was", JSON.stringify(values())))
  if (!is("unguarded")) addEventListener("beforeunload", e => { if (guarded()) e.preventDefault() })
  fetch("/registry").then(r => { if (!r.ok) throw r; return r.json() }).then(record => {
    for (const f of fields) if (f in record && (is("load-over") && f === "vessel" || is("load-choice") && f !== "vessel" || !touched.has(f))) page.set(f, record[f])
    for (const f of fields) if (f in record) saved[f] = record[f]
    if (is("brought-back")) for (const [f, v] of Object.entries(JSON.parse(sessionStorage.getItem("was") || "{}"))) page.set(f, v)
    for (const [f, v] of Object.entries(JSON.parse(is("draft") && sessionStorage.getItem("draft") || "{}"))) page.set(f, v)
    loading = false
  }).catch(() => { if (!is("load-dead")) loading = false })

  // A link is another route of the page. Who has unsaved work is asked.
  document.querySelector("nav")?.addEventListener("click", e => {
    if (!e.target.href) return
    e.preventDefault()
    if (!is("unguarded-route") && guarded() && !confirm("Leave what you have typed?")) return
    history.pushState(null, "", e.target.href)
    page.leave("High water at noon.")
  })

  const check = f => rules[f]?.(values()[f]) ?? ""
  return {
    changed(f) {
      touched.add(f)
      told[f] = values()[f]
      if (refused === f && !is("stale")) { page.mark(f, ""); refused = "" }
      if (is("early")) page.mark(f, check(f))
      else if (!is("sticky") && refused !== f && !check(f)) page.mark(f, "")
    },
    left(f) { if (is("shifts") && check(f)) document.body.style.paddingTop = "4rem"; if (!(is("sticky") && !check(f)) && !is("late") && touched.has(f) && refused !== f) page.mark(f, check(f)) },
    async submit() {
      if (loading && is("load-dead") || sending && !is("double")) return
      const missing = is("invalid") ? [] : fields.filter(check)
      fields.forEach(f => { if (refused !== f) page.mark(f, missing.includes(f) ? check(f) : "") })
      if (missing.length) { page.say("", true); page.focus(missing[0]); return }
      const v = { ...values(), ...is("by-events") && told, ...is("unloaded") && !touched.has("length") && { length: "1" } }
      const body = JSON.stringify(is("labels") ? { ...v, quay: page.label?.(v.quay) ?? "Quay " + v.quay } : is("texts") ? { ...v, length: String(v.length) } : { ...v, length: Number(v.length) })
      if (body !== sentBody && sentBody && !is("old-key")) key = crypto.randomUUID()
      sentBody = body
      sending = true
      if (is("draft")) sessionStorage.setItem("draft", JSON.stringify(v))
      if (!is("unseen")) page.pend(true, !is("untold"))
      if (!is("wipe")) page.lock(true)
      let response, answer = {}
      try {
        response = await fetch("/berths", { method: "POST", headers: { "Content-Type": "application/json", "Idempotency-Key": key }, body, signal: is("forever") ? undefined : AbortSignal.timeout(3000) })
        answer = await response.json().catch(() => undefined)
      } catch { response = undefined }
      sending = false
      page.pend(false, true)
      page.lock(false)
      if (is("new-key") || is("key-500") && response?.status === 500) key = crypto.randomUUID()
      if (!response || response.status >= 500) return page.say("It is not known whether this has arrived. Send it again.", true)
      const half = is("half") && !response.redirected && /json/.test(response.headers.get("Content-Type"))
      const portal = is("portal") && !response.redirected && /html/.test(response.headers.get("Content-Type"))
      const trusts = half || portal || is("redirect") && response.redirected
      if (response.ok && response.redirected && !trusts) return page.say("You are signed out. Sign in in another window, then send again.", true)
      if (response.ok && answer === undefined && !trusts) return page.say("It is not known whether this has arrived. Send it again.", true)
      answer ??= {}
      if (response.status === 401) {
        if (is("signed-out")) { page.clear(); saved = { ...values() }; return page.say("Sign in.", true) }
        return page.say("You are signed out. Sign in in another window, then send again.", true)
      }
      if (!response.ok) {
        if (is("dropped")) return page.say("Please try again.", true)
        const entries = answer.errors ?? []
        for (const e of entries) {
          const f = (e.pointer ?? "").replace("#/", "")
          if (fields.includes(f)) {
            refused = f
            if (is("unlinked")) page.say(e.detail, true)
            else page.mark(f, e.detail, is("fading") ? 2500 : 0)
            if (!is("unfocused")) page.focus(f)
          } else if (!is("swallowed")) page.say(e.detail, true)
        }
        if (is("cleared")) page.set("notes", ""), page.set("vessel", "")
        key = is("old-key") ? key : crypto.randomUUID()
        sentBody = ""
        return
      }
      page.say("Your request " + (answer.id ?? "") + " is in.", !is("unannounced"))
      if (is("said-twice")) page.say2("Your request " + (answer.id ?? "") + " is in.")
      if (!is("one-key")) key = crypto.randomUUID()
      sentBody = ""
      if (is("draft")) setTimeout(() => sessionStorage.clear(), 3000)
      saved = { ...blank }
      if (!is("uncleared")) page.clear()
      if (!is("after")) touched.clear()
      if (is("marks")) page.mark("vessel", "A vessel's name has at least three letters.")
    },
  }
}
