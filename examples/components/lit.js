// The same form as an element of one's own, in a shadow root.
import { LitElement, html } from "lit"
import { ref } from "lit/directives/ref.js"
import { repeat } from "lit/directives/repeat.js"
import { openForm, towForm } from "harbour-forms/attach"

const session = await openForm(towForm)
const aria = ["aria-invalid", "aria-describedby", "aria-busy", "aria-disabled"]
const given = own =>
  ref(control => {
    if (!control) return
    Object.assign(control, { readOnly: false }, own)
    for (const name of aria) {
      if (name in own) control.setAttribute(name, own[name])
      else control.removeAttribute(name)
    }
  })
const opens = dialog => dialog?.open || dialog?.showModal()
const shown = issues => issues.filter(i => i.shown)
const button = (name, value, text) =>
  html`<button type="button" name="leanwicket-${name}" .value=${value}>${text}</button>`

const control = ({ path, kind, options, label }) => html`
  ${
    path === "side"
      ? html`<span role="radiogroup" aria-label=${label}>
          ${options.map(
            o =>
              html`<label><input ${given(session.attributesOf(path, o.raw))} />${o.label}</label>`,
          )}
        </span>`
      : kind === "choice"
        ? html`<select ${given(session.attributesOf(path))}>
            <option value="">Any</option>
            ${options.map(o => html`<option .value=${o.raw}>${o.label}</option>`)}
          </select>`
        : html`<input ${given(session.attributesOf(path))} />`
  }
`

function field(f) {
  const { id } = session.attributesOf(f.path)
  const issues = shown(f.issues)
  return html`<div class=${issues.length ? "field wrong" : "field"} ?hidden=${!f.asked}>
    <label for=${id}>${f.label}${f.unit && ` (${f.unit})`}</label>
    ${control(f)} ${f.help && html`<small id=${id + "-help"}>${f.help}</small>`}
    ${f.checking ? html`<small>Looking it up …</small>` : ""}
    ${
      issues.length
        ? html`<ul id=${id + "-issues"}>
            ${issues.map(i => html`<li>${i.text}</li>`)}
          </ul>`
        : ""
    }
    ${
      f.contested
        ? html`<p>
            Saved meanwhile: ${f.saved || "nothing"}. ${button("mine", f.path, "Keep mine")}
            ${button("theirs", f.path, "Take that one")}
          </p>`
        : ""
    }
  </div>`
}

const lines = f =>
  html`<fieldset>
    <legend>${f.label}</legend>
    ${repeat(
      f.rows,
      row => row.key,
      row =>
        html`<div class="line">
          ${repeat(row.fields, f => f.key, field)} ${button("remove", row.path, "Remove")}
        </div>`,
    )}
    ${button("add", f.path, "Add a line")}
  </fieldset>`

const question = ({ reason }) =>
  html`<dialog ${ref(opens)}>
    <p>
      ${
        reason === "unsaved"
          ? "What you have typed is not sent yet."
          : "It is not known yet whether your order has arrived."
      }
    </p>
    ${button("decision", "stay", "Stay")} ${button("decision", "discard", "Leave")}
  </dialog>`

class Tow extends LitElement {
  constructor() {
    super()
    session.observe(() => this.requestUpdate())
  }
  render() {
    const now = session.snapshot
    const wrong = shown(now.issues)
    const said = level => (now.said?.level === level ? now.said.text : "")
    return html`<link rel="stylesheet" href="tow.css" />
      <form ${ref(session.attach)} tabindex="-1" aria-busy=${now.busy || now.prefill === "loading"}>
        <p class="urgent">${said("assertive")}</p>
        <ul>
          ${wrong.map(i => html`<li>${i.text}</li>`)}
        </ul>
        ${
          now.draft
            ? html`<p>
                What you typed before is back. ${button("draft", "discard", "Discard it")}
              </p>`
            : ""
        }
        ${repeat(
          now.fields,
          f => f.key,
          f => (f.kind === "rows" ? lines(f) : field(f)),
        )}
        <button class=${now.busy ? "busy" : ""}>Order the tow</button>
        <button type="reset">Start again</button>
        <p>
          ${now.pending || said("polite")}
          ${now.receipt ? html`<a href=${now.receipt}>${now.receipt}</a>` : ""}
        </p>
        ${now.question ? question(now.question) : ""}
      </form>`
  }
}

customElements.define("tow-form", Tow)
