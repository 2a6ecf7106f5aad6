// A form in components of one's own. They draw what can be read of the session; what an applicant
// does to the controls is told to it by attach.
import { render } from "preact"
import { useEffect, useState } from "preact/hooks"
import { openForm, towForm } from "harbour-forms/attach"

const session = await openForm(towForm)

function useTow() {
  const [now, draw] = useState(session.snapshot)
  useEffect(() => session.observe(() => draw(session.snapshot)), [])
  return now
}

function Control({ field: { path, kind, options, label } }) {
  if (path === "side")
    return (
      <span role="radiogroup" aria-label={label}>
        {options.map(o => (
          <label key={o.raw}>
            <input {...session.attributesOf(path, o.raw)} />
            {o.label}
          </label>
        ))}
      </span>
    )
  if (kind !== "choice") return <input {...session.attributesOf(path)} />
  return (
    <select {...session.attributesOf(path)}>
      <option value="">Any</option>
      {options.map(o => (
        <option key={o.raw} value={o.raw}>
          {o.label}
        </option>
      ))}
    </select>
  )
}

function Field({ field }) {
  const { id } = session.attributesOf(field.path),
    issues = field.issues.filter(i => i.shown)
  return (
    <div class={issues.length ? "field wrong" : "field"} hidden={!field.asked}>
      <label for={id}>
        {field.label}
        {field.unit && ` (${field.unit})`}
      </label>
      <Control field={field} />
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
          <button type="button" name="leanwicket-mine" value={field.path}>
            Keep mine
          </button>
          <button type="button" name="leanwicket-theirs" value={field.path}>
            Take that one
          </button>
        </p>
      )}
    </div>
  )
}

const Lines = ({ field }) => (
  <fieldset>
    <legend>{field.label}</legend>
    {field.rows.map(row => (
      <div class="line" key={row.key}>
        {row.fields.map(f => (
          <Field key={f.key} field={f} />
        ))}
        <button type="button" name="leanwicket-remove" value={row.path}>
          Remove
        </button>
      </div>
    ))}
    <button type="button" name="leanwicket-add" value={field.path}>
      Add a line
    </button>
  </fieldset>
)

function Question({ reason }) {
  return (
    <dialog ref={dialog => dialog?.showModal()}>
      <p>
        {reason === "unsaved"
          ? "What you have typed is not sent yet."
          : "It is not known yet whether your order has arrived."}
      </p>
      <button type="button" name="leanwicket-decision" value="stay">
        Stay
      </button>
      <button type="button" name="leanwicket-decision" value="discard">
        Leave
      </button>
    </dialog>
  )
}

function Tow() {
  const now = useTow(),
    wrong = now.issues.filter(i => i.shown)
  return (
    <form ref={session.attach} tabIndex={-1} aria-busy={now.busy || now.prefill === "loading"}>
      {now.said?.level === "assertive" && <p class="urgent">{now.said.text}</p>}
      {wrong.length > 0 && (
        <ul>
          {wrong.map(i => (
            <li>{i.text}</li>
          ))}
        </ul>
      )}
      {now.draft && (
        <p>
          What you typed before is back.{" "}
          <button type="button" name="leanwicket-draft" value="discard">
            Discard it
          </button>
        </p>
      )}
      {now.fields.map(f =>
        f.kind === "rows" ? <Lines key={f.key} field={f} /> : <Field key={f.key} field={f} />,
      )}
      <button class={now.busy ? "busy" : ""}>Order the tow</button>{" "}
      <button type="reset">Start again</button>
      <p>
        {now.pending || (now.said?.level === "polite" && now.said.text)}{" "}
        {now.receipt && <a href={now.receipt}>{now.receipt}</a>}
      </p>
      {now.question && <Question {...now.question} />}
    </form>
  )
}

render(<Tow />, document.getElementById("tow"))
