// The same form with the session alone: what its controls show is read from it, and what an
// applicant does is told to it by listeners of your own.
import { render } from "preact"
import { memo } from "preact/compat"
import { useEffect, useRef, useState } from "preact/hooks"
import { openForm, towForm } from "harbour-forms"

// The state is a subscription: parts that are as they were are the same objects, so that
// memo draws only what has changed.
function useTow(session) {
  const [snapshot, setSnapshot] = useState(session.snapshot)
  useEffect(() => session.observe(() => setSnapshot(session.snapshot)), [session])
  return snapshot
}

const Field = memo(({ session, field, locked }) => {
  if (!field.asked) return null
  const id = field.path.replaceAll("/", "-")
  const issues = field.issues.filter(i => i.shown)
  const common = {
    id,
    name: field.path,
    disabled: false,
    readOnly: locked,
    "aria-invalid": issues.length > 0,
    "aria-describedby": [field.help && id + "-help", issues.length && id + "-issues"]
      .filter(Boolean)
      .join(" "),
    onBlur: () => session.blur(field.path),
  }
  const typed = e => session.edit(field.path, e.target.value)
  let control = (
    <input
      {...common}
      value={field.raw}
      data-drawn={field.raw}
      inputMode={field.kind === "text" ? "text" : "decimal"}
      onInput={typed}
    />
  )
  if (field.kind === "boolean")
    control = (
      <input
        {...common}
        type="checkbox"
        checked={field.value === true}
        onChange={e => session.edit(field.path, e.target.checked ? "true" : "")}
      />
    )
  if (field.kind === "choice") {
    control = (
      <select {...common} value={field.raw} data-drawn={field.raw} onChange={typed}>
        <option value="">Any</option>
        {field.options.map(o => (
          <option value={o.raw}>{o.label}</option>
        ))}
      </select>
    )
  }
  return (
    <div class={issues.length ? "field wrong" : "field"}>
      <label for={id}>
        {field.label}
        {field.unit && ` (${field.unit})`}
      </label>
      {control}
      {field.help && <small id={id + "-help"}>{field.help}</small>}
      {field.checking && <small>Looking it up …</small>}
      {issues.length > 0 && (
        <ul id={id + "-issues"}>
          {issues.map(i => (
            <li>{i.text}</li>
          ))}
        </ul>
      )}
      {field.contested && (
        <p>
          Saved meanwhile: {field.saved || "nothing"}.
          <button type="button" onClick={() => session.resolve(field.path, "mine")}>
            Keep mine
          </button>
          <button type="button" onClick={() => session.resolve(field.path, "theirs")}>
            Take that one
          </button>
        </p>
      )}
    </div>
  )
})

const Lines = memo(({ session, field, locked }) => (
  <fieldset>
    <legend>{field.label}</legend>
    {field.rows.map(row => (
      <div class="line" key={row.key}>
        {row.fields.map(f => (
          <Field key={f.key} session={session} field={f} locked={locked} />
        ))}
        <button type="button" onClick={() => session.removeRow(row.path)}>
          Remove
        </button>
      </div>
    ))}
    <button type="button" id="add-line" onClick={() => session.addRow(field.path)}>
      Add a line
    </button>
  </fieldset>
))

function Question({ session, question }) {
  const dialog = useRef()
  useEffect(() => {
    if (question) dialog.current.showModal()
    else dialog.current.close()
  }, [question])
  return (
    <dialog
      ref={dialog}
      onCancel={e => {
        e.preventDefault()
        session.decide("stay")
      }}
    >
      <p>
        {question?.reason === "unsaved"
          ? "What you have typed is not sent yet."
          : "It is not known yet whether your order has arrived."}
      </p>
      <button type="button" onClick={() => session.decide("stay")}>
        Stay
      </button>
      <button type="button" onClick={() => session.decide("discard")}>
        Leave
      </button>
    </dialog>
  )
}

function Tow({ session }) {
  const now = useTow(session)
  const [announced, announce] = useState("")
  const form = useRef()
  useEffect(() => {
    const focus = e => setTimeout(() => (form.current.elements[e.detail] || form.current).focus())
    const told = e => announce(e.detail)
    session.addEventListener("focus", focus)
    session.addEventListener("announced", told)
    return () => {
      session.removeEventListener("focus", focus)
      session.removeEventListener("announced", told)
    }
  }, [session])
  // What a program such as a password manager puts into a control, no event tells: it differs from
  // what was drawn.
  const submit = () => {
    for (const { name, value, dataset } of form.current.elements) {
      if ("drawn" in dataset && dataset.drawn !== value && session.field(name)?.raw !== value)
        session.edit(name, value)
    }
    session.submit()
  }
  const { said } = now
  const wrong = now.issues.filter(i => i.shown)
  return (
    <form
      ref={form}
      tabIndex={-1}
      noValidate
      aria-busy={now.busy || now.prefill === "loading"}
      onSubmit={e => {
        e.preventDefault()
        submit()
      }}
      onReset={e => {
        e.preventDefault()
        session.reset()
      }}
    >
      <p role="alert">{said?.level === "assertive" ? said.text : ""}</p>
      {wrong.length > 0 && (
        <ul>
          {wrong.map(i => (
            <li>{i.text}</li>
          ))}
        </ul>
      )}
      {now.fields.map(f =>
        f.kind === "rows" ? (
          <Lines key={f.key} session={session} field={f} locked={now.locked} />
        ) : (
          <Field key={f.key} session={session} field={f} locked={now.locked} />
        ),
      )}
      <button class={now.busy ? "busy" : ""}>Order the tow</button>{" "}
      <button type="reset">Start again</button>
      <p role="status">
        {now.pending || (said?.level === "polite" ? said.text : "")}{" "}
        {now.receipt && <a href={now.receipt}>{now.receipt}</a>}
      </p>
      <p role="status" class="heard">
        {announced}
      </p>
      <Question session={session} question={now.question} />
    </form>
  )
}

const session = await openForm(towForm)
render(<Tow session={session} />, document.getElementById("tow"))
document.querySelector("nav a").addEventListener("click", async e => {
  e.preventDefault()
  if (await session.leave(e.target.href)) location.href = e.target.href
})
