// The same form without Lean Wicket, as it is often written.
import { render } from "preact"
import { useEffect, useState } from "preact/hooks"

const blank = {
  vessel: "",
  length: "",
  day: "",
  tug: "",
  side: "",
  night: false,
  lamp: "",
  lines: [],
}
const draft = () => JSON.parse(localStorage.getItem("tow") ?? "null")

function wrongIn(v) {
  const wrong = {}
  if (v.vessel.trim().length < 2) wrong.vessel = "The name has at least 2 characters."
  if (!(v.length >= 3 && v.length <= 60)) wrong.length = "The length is from 3 to 60 m."
  v.lines.forEach(({ rope, metres }, k) => {
    if (rope.trim().length < 2) wrong[`lines/${k}/rope`] = "The rope has at least 2 characters."
    if (metres && !(metres >= 5 && metres <= 200)) wrong[`lines/${k}/metres`] = "From 5 to 200."
  })
  return wrong
}

function bodyOf({ length, lines, ...v }) {
  const body = { length: Number(length), ...v }
  for (const name of ["day", "tug", "side", "lamp"]) if (!body[name]) delete body[name]
  if (!v.night) delete body.lamp
  body.lines = lines.map(l => ({ rope: l.rope, ...(l.metres && { metres: Number(l.metres) }) }))
  return body
}

const placed = errors =>
  Object.fromEntries(errors.map(({ pointer, detail }) => [pointer.slice(2), detail]))

function Tow() {
  const [values, setValues] = useState(blank)
  const [wrong, setWrong] = useState({})
  const [status, setStatus] = useState("idle")
  const [message, setMessage] = useState("")
  const [restored, setRestored] = useState(false)

  useEffect(() => {
    const before = draft()
    if (before) {
      setValues(before)
      setRestored(true)
      return
    }
    fetch("/tows/last")
      .then(r => r.json())
      .then(last => setValues({ ...blank, ...last }))
      .catch(() => setMessage("Your last order could not be loaded."))
  }, [])
  useEffect(() => {
    if (values === blank) return
    localStorage.setItem("tow", JSON.stringify(values))
    const ask = e => e.preventDefault()
    addEventListener("beforeunload", ask)
    return () => removeEventListener("beforeunload", ask)
  }, [values])

  const set = (name, value) => {
    setValues({ ...values, [name]: value })
    setWrong({ ...wrong, [name]: undefined })
  }
  const leave = async name => {
    setWrong({ ...wrong, [name]: wrongIn(values)[name] })
    if (name !== "vessel" || !values.vessel) return
    const reply = await fetch("/registry/" + encodeURIComponent(values.vessel))
    if (!reply.ok) setWrong({ ...wrong, vessel: (await reply.json()).message })
  }
  const start = () => {
    localStorage.removeItem("tow")
    setValues(blank)
    setWrong({})
    setRestored(false)
  }
  const submit = async e => {
    e.preventDefault()
    const found = wrongIn(values)
    setWrong(found)
    if (Object.keys(found).length) return
    setStatus("sending")
    try {
      const reply = await fetch("/tows", {
        method: "POST",
        headers: { "Content-Type": "application/json", "Idempotency-Key": crypto.randomUUID() },
        body: JSON.stringify(bodyOf(values)),
      })
      if (reply.status === 422) return setWrong(placed((await reply.json()).errors))
      if (!reply.ok) throw new Error(reply.statusText)
      setMessage("The tow is ordered.")
      start()
    } catch {
      setMessage("The order could not be sent.")
    } finally {
      setStatus("idle")
    }
  }
  const box = (name, label, control) => (
    <div class={wrong[name] ? "field wrong" : "field"}>
      <label for={name}>{label}</label>
      {control}
      {wrong[name] && (
        <ul id={name + "-issues"}>
          <li>{wrong[name]}</li>
        </ul>
      )}
    </div>
  )
  const text = (name, label, value = values[name], change = v => set(name, v)) =>
    box(
      name,
      label,
      <input
        id={name}
        name={name}
        value={value}
        onInput={e => change(e.target.value)}
        onBlur={() => leave(name)}
        aria-invalid={Boolean(wrong[name])}
        aria-describedby={name + "-issues"}
      />,
    )
  const line = (k, change) =>
    set(
      "lines",
      values.lines.map((l, n) => (n === k ? { ...l, ...change } : l)),
    )
  return (
    <form
      noValidate
      onSubmit={submit}
      onReset={e => {
        e.preventDefault()
        start()
      }}
    >
      {restored && (
        <p>
          What you typed before is back.{" "}
          <button type="button" onClick={start}>
            Discard it
          </button>
        </p>
      )}
      {text("vessel", "Vessel")}
      {text("length", "Length overall (m)")}
      {text("day", "Day")}
      {box(
        "tug",
        "Tug",
        <select id="tug" name="tug" value={values.tug} onChange={e => set("tug", e.target.value)}>
          <option value="">Any</option>
          {["Bittern", "Curlew", "Dunlin"].map(tug => (
            <option key={tug}>{tug}</option>
          ))}
        </select>,
      )}
      {box(
        "side",
        "Made fast to",
        <span role="radiogroup">
          {["port", "starboard"].map(side => (
            <label key={side}>
              <input
                type="radio"
                name="side"
                value={side}
                checked={values.side === side}
                onChange={() => set("side", side)}
              />
              {side}
            </label>
          ))}
        </span>,
      )}
      {box(
        "night",
        "By night",
        <input
          id="night"
          type="checkbox"
          name="night"
          checked={values.night}
          onChange={e => set("night", e.target.checked)}
        />,
      )}
      {values.night && text("lamp", "Lamp carried")}
      <fieldset>
        <legend>Lines</legend>
        {values.lines.map(({ rope, metres }, k) => (
          <div class="line" key={k}>
            {text(`lines/${k}/rope`, "Rope", rope, v => line(k, { rope: v }))}
            {text(`lines/${k}/metres`, "Metres", metres, v => line(k, { metres: v }))}
            <button
              type="button"
              onClick={() =>
                set(
                  "lines",
                  values.lines.filter((_, n) => n !== k),
                )
              }
            >
              Remove
            </button>
          </div>
        ))}
        <button
          type="button"
          id="add-line"
          onClick={() => set("lines", [...values.lines, { rope: "", metres: "" }])}
        >
          Add a line
        </button>
      </fieldset>
      <button disabled={status === "sending"}>Order the tow</button>{" "}
      <button type="reset">Start again</button>
      <p role="status">{status === "sending" ? "Your order is being sent …" : message}</p>
    </form>
  )
}

render(<Tow />, document.getElementById("tow"))
