// The same form as an element of one's own, in a shadow root.
import { LitElement, html } from "lit"
import { Directive, directive } from "lit/directive.js"
import { ref } from "lit/directives/ref.js"
import { repeat } from "lit/directives/repeat.js"
import { openForm, towForm } from "harbour-forms/attach"

const session = await openForm(towForm)
const { attributesOf } = session

/** Gives an element the attributes of its control. */
const given = directive(class extends Directive {
  update({ element }, [now]) {
    for (const name of Object.keys({ ...this.before, ...now })) {
      if (!name.startsWith("aria-")) element[name] = now[name] ?? ""
      else if (name in now) element.setAttribute(name, now[name])
      else element.removeAttribute(name)
    }
    this.before = now
  }
})

const opens = dialog => dialog && !dialog.open && dialog.showModal()
const stays = e => { e.preventDefault(); session.decide("stay") }
const shown = issues => issues.filter(i => i.shown)
const button = (name, value, text) => html`<button type="button" name="leanwicket-${name}" .value=${value}>${text}</button>`

const control = ({ path, kind, options, label }) =>
  path === "side" ? html`<span role="radiogroup" aria-label=${label}>${options.map(o => html`<label><input ${given(attributesOf(path, o.raw))}>${o.label}</label>`)}</span>`
  : kind === "choice" ? html`<select ${given(attributesOf(path))}><option value="">Any</option>${options.map(o => html`<option .value=${o.raw}>${o.label}</option>`)}</select>`
  : html`<input ${given(attributesOf(path))}>`

function field(f) {
  const { id } = attributesOf(f.path), issues = shown(f.issues)
  return html`<div class=${issues.length ? "field wrong" : "field"} ?hidden=${!f.asked}>
    <label for=${id}>${f.label}${f.unit && ` (${f.unit})`}</label>
    ${control(f)}
    ${f.help && html`<small id=${id + "-help"}>${f.help}</small>`}
    ${f.checking ? html`<small>Looking it up …</small>` : ""}
    ${issues.length ? html`<ul id=${id + "-issues"}>${issues.map(i => html`<li>${i.text}</li>`)}</ul>` : ""}
    ${f.contested ? html`<p>Saved meanwhile: ${f.saved || "nothing"}. ${button("mine", f.path, "Keep mine")} ${button("theirs", f.path, "Take that one")}</p>` : ""}
  </div>`
}

const lines = f => html`<fieldset>
  <legend>${f.label}</legend>
  ${repeat(f.rows, row => row.key, row => html`<div class="line">
    ${repeat(row.fields, f => f.key, field)} ${button("remove", row.path, "Remove")}
  </div>`)}
  ${button("add", f.path, "Add a line")}
</fieldset>`

const question = ({ reason }) => html`<dialog ${ref(opens)} @cancel=${stays}>
  <p>${reason === "unsaved" ? "What you have typed is not sent yet." : "It is not known yet whether your order has arrived."}</p>
  ${button("decision", "stay", "Stay")} ${button("decision", "discard", "Leave")}
</dialog>`

customElements.define("tow-form", class extends LitElement {
  constructor() {
    super()
    session.observe(() => this.requestUpdate())
  }
  render() {
    const now = session.snapshot, wrong = shown(now.issues)
    return html`<link rel="stylesheet" href="tow.css">
    <form ${ref(session.attach)} tabindex="-1" aria-busy=${now.busy || now.prefill === "loading"}>
      ${now.said?.level === "assertive" ? html`<p class="urgent">${now.said.text}</p>` : ""}
      ${wrong.length ? html`<ul>${wrong.map(i => html`<li>${i.text}</li>`)}</ul>` : ""}
      ${now.draft ? html`<p>What you typed before is back. ${button("draft", "discard", "Discard it")}</p>` : ""}
      ${repeat(now.fields, f => f.key, f => f.kind === "rows" ? lines(f) : field(f))}
      <button class=${now.busy ? "busy" : ""}>Order the tow</button> <button type="reset">Start again</button>
      <p>${now.pending || (now.said?.level === "polite" ? now.said.text : "")} ${now.receipt ? html`<a href=${now.receipt}>${now.receipt}</a>` : ""}</p>
      ${now.question ? question(now.question) : ""}
    </form>`
  }
})
