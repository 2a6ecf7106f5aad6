// A page that has its own cache, its own way to make requests, and its own sign-in: the forms take the
// record from the cache, and what was stored goes back into it.
import { render } from "preact"
import { useEffect, useState } from "preact/hooks"
import { buoyForm, laidForm, openForm } from "harbour-forms/attach"

/** The buoys that this page knows, by id: their values, and the version that the office gave. */
const cache = new Map()
const watchers = new Set()
const put = (id, record) => { cache.set(id, record); for (const watch of watchers) watch() }

function useBuoys() {
  const [, draw] = useState(0)
  useEffect(() => { const watch = () => draw(n => n + 1); watchers.add(watch); return () => watchers.delete(watch) }, [])
  return [...cache]
}

/** The one way in which this page makes requests. */
let token = ""
const api = (url, { headers, ...more } = {}) => fetch(url, { ...more, headers: { Accept: "application/json", ...headers, "X-Harbour-Token": token } })

/** Asks for the word of the day, until it is right or the dialog is closed. */
const asked = { now: undefined }
const signIn = () => new Promise(done => { asked.now = done; document.getElementById("sign-in").showModal() })

function SignIn() {
  const [wrong, setWrong] = useState("")
  const enter = async e => {
    e.preventDefault()
    const { word, form } = { word: e.target.elements.word.value, form: e.target }
    const answer = await fetch("/sign-in", { method: "POST", body: word })
    if (!answer.ok) return setWrong("That is not the word of the day.")
    token = await answer.text()
    setWrong("")
    form.reset()
    form.closest("dialog").close("in")
  }
  return <dialog id="sign-in" onClose={e => asked.now?.(e.target.returnValue === "in")}>
    <form onSubmit={enter}>
      <p>Who has the watch?</p>
      <label for="word">The word of the day</label>
      <input id="word" name="word" aria-invalid={wrong !== ""} aria-describedby="word-wrong" />
      <p class="issues" id="word-wrong" role="alert">{wrong}</p>
      <button>Sign in</button>
    </form>
  </dialog>
}

/** The sessions that are open, by the id of their buoy. */
const open = new Map()

/** Reads a buoy again. The reading begins before the request: what was read before a save takes nothing back. */
async function read(id) {
  const supply = open.get(id)?.reading()
  const answer = await api(`/buoys/${id}?again`)
  if (!answer.ok) return
  const values = await answer.json(), version = answer.headers.get("ETag")
  if (!supply || supply(values, version)) put(id, { values, version })
}

new EventSource("/news").onmessage = async ({ data }) => {
  for (const [id, version] of Object.entries(JSON.parse(data))) if (cache.has(id) && cache.get(id).version !== version) await read(id)
}

/** What both forms have in common: requests by api, and the cache gets what was stored. */
async function begin(form, id, options) {
  const session = await openForm(form, {
    signIn, ...options,
    send: ({ method, url, body, key, version, signal }) =>
      api(url, { method, body, signal, headers: { "Content-Type": "application/json", "Idempotency-Key": key, ...(version && { "If-Match": version }) } }),
  })
  session.addEventListener("outcome", ({ detail }) => {
    if (detail.submission === "accepted") put(id || detail.body.id, { values: detail.body, version: detail.version })
  })
  if (id) open.set(id, session)
  return session
}

const openBuoy = id => begin(buoyForm, id, { given: { id }, record: cache.get(id), load: ({ signal }) => api("/buoys/" + id, { signal }), check: ({ value, signal }) => api("/depths/" + value, { signal }), keep: { name: id } })

const Issues = ({ issues, ...more }) => <ul class="issues" {...more}>{issues.filter(i => i.shown).map(i => <li>{i.text}</li>)}</ul>

function Field({ session, field }) {
  const own = session.attributesOf(field.path)
  return <div>
    <label for={own.id}>{field.label}{field.unit && ` (${field.unit})`}</label>
    {field.kind === "choice" ? <select {...own}><option value="">Choose</option>{field.options.map(o => <option value={o.raw}>{o.label}</option>)}</select> : <input {...own} />}
    <Issues issues={field.issues} id={own.id + "-issues"} />
    {field.contested && <p>
      Saved meanwhile: {field.saved || "nothing"}.
      <button type="button" name="leanwicket-mine" value={field.path}>Keep mine</button> <button type="button" name="leanwicket-theirs" value={field.path}>Take that one</button>
    </p>}
  </div>
}

function Form({ session, title }) {
  const [now, draw] = useState(session.snapshot)
  useEffect(() => session.observe(() => draw(session.snapshot)), [session])
  return <form ref={session.attach} tabIndex={-1} aria-busy={now.busy}>
    <h2>{title}</h2>
    <Issues issues={now.issues} />
    {now.fields.map(f => <Field key={f.key} session={session} field={f} />)}
    <button id="save">Save</button>
    <p id="said">{now.pending || now.said?.text}</p>
  </form>
}

function Buoys() {
  const buoys = useBuoys()
  const [shown, show] = useState()
  const turn = async (title, opened) => {
    if (shown && !await shown.session.leave()) return
    shown?.session.close()
    open.clear()
    show({ title, session: await opened() })
  }
  return <>
    <h1>Buoys of Saltmarsh Quay</h1>
    <div>
      <ul id="list">{buoys.map(([id, { values }]) => <li key={id}>{id}: {values.light}, {values.depth} m <button id={"open-" + id} onClick={() => turn("Buoy " + id, () => openBuoy(id))}>Change</button></li>)}</ul>
      <button id="lay" onClick={() => turn("A buoy is laid", () => begin(laidForm))}>Lay a buoy</button>
    </div>
    {shown && <Form key={shown.title} {...shown} />}
    <SignIn />
  </>
}

render(<Buoys />, document.getElementById("buoys"))
await signIn()
const answer = await api("/buoys")
if (answer.ok) for (const { version, ...values } of await answer.json()) put(values.id, { values, version })
