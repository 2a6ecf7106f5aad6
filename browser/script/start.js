async function start(form) {
  let page
  try {
    const [call, source] = await Promise.all([load(), fetch(form.dataset.leanwicketForm)])
    if (!source.ok) throw new Error(form.dataset.leanwicketForm + ": " + source.status)
    page = new Page(form, call)
    page.open(new Uint8Array(await source.arrayBuffer()))
  } catch (failed) {
    if (page) page.giveUp(failed)
    else console.error("leanwicket:", failed)
  }
  return page
}

const living = form => pages.find(p => p.form === form && p.alive)
const api = {
  /** Binds a form that was added after the page had loaded. */
  bind: start,
  /** Ends what was bound to a form that is taken from the page; what was typed is kept. */
  release: form => living(form)?.release(),
  /** The form's state, as the attribute data-leanwicket-state has it. */
  state: form => living(form)?.submission,
  /** Tells the session of a form what happened: ("refresh"), ("retry"), ("cancel"), ("edit", path, raw). */
  tell: (form, what, ...texts) => living(form)?.happened(what, ...texts),
  /** The record of the session so far, as leanwicket replay reads it. */
  trace: form => { const p = living(form); p?.happened("trace"); return p?.trace },
}
globalThis.leanwicket = api
const all = () => document.querySelectorAll("form[data-leanwicket-form]").forEach(form => start(form))
if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", all)
else all()
