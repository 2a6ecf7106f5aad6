// The form of a session as HTML, drawn at a server and in the browser alike.
const text = value => String(value).replace(/[&<>"]/g, c => `&#${c.charCodeAt(0)};`)
const names = { defaultValue: "value", defaultChecked: "checked", readOnly: "readonly", inputMode: "inputmode" }

const input = own => "<input" + Object.entries(own).map(([name, value]) =>
  value === false ? "" : ` ${names[name] ?? name}="${value === true ? "" : text(value)}"`).join("") + ">"

export function drawn(session) {
  const field = f => f.kind === "rows" ? f.rows.map(row => row.fields.map(field).join("")).join("")
    : `<p><label for="${session.attributesOf(f.path).id}">${text(f.label)}</label>` +
      (f.options.length ? f.options.map(o => input(session.attributesOf(f.path, o.raw))).join("") : input(session.attributesOf(f.path))) + "</p>"
  return session.snapshot.fields.map(field).join("") + "<button>Send</button>"
}
