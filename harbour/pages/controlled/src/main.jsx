import React, { useEffect, useRef, useState } from "react"
import { createRoot } from "react-dom/client"

const labels = {
  "vessel/name": "Vessel name", "vessel/length": "Length overall (m)", arrival: "Arrival", departure: "Departure", berth: "Berth (optional)",
}
const empty = { "vessel/name": "", "vessel/length": "", arrival: "", departure: "", berth: "", terms: false }

function problem(name, value) {
  if (name === "terms") return value ? "" : "Tick this box to go on."
  if (name === "berth") return /^([A-D][0-9]{1,2})?$/.test(value) ? "" : "A berth is a letter and a number, such as B12."
  if (value === "") return "This is missing."
  if (name === "vessel/length") return value > 0 && value <= 24 ? "" : "Our longest berth takes 24 m."
  if (name === "arrival" || name === "departure") return /^\d{4}-\d\d-\d\d$/.test(value) ? "" : "A date is written 2031-05-02."
  return ""
}

function Permit() {
  const [values, setValues] = useState(empty)
  const [left, setLeft] = useState({})
  const [refused, setRefused] = useState({})
  const [message, setMessage] = useState("")
  const [sending, setSending] = useState(false)
  const edited = useRef({})
  const unsaved = Object.keys(values).some(name => edited.current[name])

  useEffect(() => {
    fetch("/registry/vessel").then(r => r.json()).then(record => {
      setValues(now => ({
        ...now,
        "vessel/name": edited.current["vessel/name"] ? now["vessel/name"] : record.vessel.name,
        "vessel/length": edited.current["vessel/length"] ? now["vessel/length"] : String(record.vessel.length),
      }))
    }).catch(() => setMessage("Your vessel could not be loaded."))
  }, [])

  useEffect(() => {
    if (!unsaved) return
    const asks = e => e.preventDefault()
    addEventListener("beforeunload", asks)
    return () => removeEventListener("beforeunload", asks)
  }, [unsaved])

  const issue = name => left[name] ? refused[name] || problem(name, values[name]) : ""
  const change = (name, value) => {
    edited.current[name] = true
    setRefused(now => ({ ...now, [name]: "" }))
    setValues(now => ({ ...now, [name]: value }))
  }

  async function submit(e) {
    e.preventDefault()
    setLeft(Object.fromEntries(Object.keys(values).map(name => [name, true])))
    const wrong = Object.keys(values).filter(name => problem(name, values[name]))
    if (wrong.length) return document.getElementsByName(wrong[0])[0].focus()
    setSending(true)
    try {
      const response = await fetch("/permits", {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({
          vessel: { name: values["vessel/name"], length: Number(values["vessel/length"]) },
          arrival: values.arrival, departure: values.departure, berth: values.berth || undefined, terms: true,
        }),
      })
      if (response.ok) {
        edited.current = {}
        setLeft({})
        setValues(empty)
        setMessage("Your application has been received.")
      } else {
        const body = await response.json()
        setRefused(Object.fromEntries((body.errors || []).map(error => [error.pointer.slice(2), error.detail])))
        setMessage(body.title)
      }
    } catch {
      setMessage("There is no connection. Please try again.")
    }
    setSending(false)
  }

  const attributes = name => ({
    id: name, name, "aria-invalid": issue(name) ? true : undefined, "aria-describedby": issue(name) ? name + "-issue" : undefined,
    onBlur: () => edited.current[name] && setLeft(now => ({ ...now, [name]: true })),
  })
  const text = name => <p key={name}>
    <label htmlFor={name}>{labels[name]}</label>
    <input {...attributes(name)} value={values[name]} onChange={e => change(name, e.target.value)} />
    {issue(name) && <em id={name + "-issue"}>{issue(name)}</em>}
  </p>
  return <>
    <p><a href="/tides.html">Tides</a></p>
    <h1>Mooring permit</h1>
    <form noValidate onSubmit={submit}>
      {Object.keys(labels).map(text)}
      <p>
        <input type="checkbox" {...attributes("terms")} value="true" checked={values.terms} onChange={e => change("terms", e.target.checked)} />
        <label htmlFor="terms">I accept the harbour rules</label>
        {issue("terms") && <em id="terms-issue">{issue("terms")}</em>}
      </p>
      <p><button type="submit" disabled={sending}>{sending ? "Sending…" : "Apply"}</button> <button type="button">Berth map</button></p>
      <p role="status">{message}</p>
    </form>
  </>
}

createRoot(document.getElementById("root")).render(<Permit />)
