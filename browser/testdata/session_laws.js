// Random work on a session, with a network that answers as it likes. After each step every
// part of the snapshot that is as it was has to be the same object, no part may have
// changed, and the fields have to be those of a fresh reading.
export async function walk(openForm, form, seed, steps, most) {
  const random = n => {
    seed = seed + 0x6D2B79F5 | 0
    let t = Math.imul(seed ^ seed >>> 15, 1 | seed)
    t = t + Math.imul(t ^ t >>> 7, 61 | t) ^ t
    return ((t ^ t >>> 14) >>> 0) % n
  }
  const pick = list => list[random(list.length)]
  const answers = [
    () => new Response("{}", { status: 201, headers: { "Location": "/permits/7" } }),
    () => new Response(JSON.stringify({ errors: { name: ["Taken."], "crew/0/name": ["Who?"], nobody: ["No."] } }), { status: 422 }),
    () => new Response("{}", { status: 503, headers: { "Retry-After": "0" } }),
    () => { throw new TypeError("broken") },
    () => new Response("{}", { status: 401 }),
  ]
  const session = await openForm(form, {
    keep: { hours: 0 },
    fetch: async (url, { method }) => {
      await new Promise(done => setTimeout(done, random(3)))
      if (method === "GET") return new Response(JSON.stringify({ name: pick(["Heron", "Egret"]), crew: Array.from({ length: random(4) }, (_, k) => ({ name: "Ada" + k })) }), { status: 200 })
      return pick(answers)()
    },
  })
  const trouble = []
  const known = new Map() // each part, and how it was written when it was first seen
  const look = (now, before, path) => {
    if (typeof now !== "object" || now === null) return
    if (!Object.isFrozen(now)) trouble.push(path + " can be changed")
    const text = JSON.stringify(now)
    if (known.has(now) && known.get(now) !== text) trouble.push(path + " was changed")
    known.set(now, text)
    if (now === before) return
    if (before && typeof before === "object" && JSON.stringify(before) === text) trouble.push(path + " is another object, and the same")
    for (const name of Object.keys(now)) look(now[name], before?.[name], path + "/" + name)
  }
  let before, calls = 0, made = 0
  session.observe(change => {
    if (change.before !== before) trouble.push("a step was not told")
    const now = session.snapshot
    made = Math.max(made, now.fields.filter((f, k) => f !== before.fields[k]).length)
    look(now, before, "")
    before = now
    calls++
    for (const f of now.fields) {
      if (session.field(f.path) !== f) trouble.push(f.path + " is another one by its path")
      for (const row of f.rows || []) for (const member of row.fields) if (session.field(member.path) !== member || !member.path.startsWith(row.path + "/")) trouble.push(member.path + " is another one by its path")
    }
  })
  before = session.snapshot
  look(before, undefined, "")
  const outcomes = []
  session.addEventListener("outcome", e => outcomes.push(e.detail.submission))
  for (let k = 0; k < steps && session.alive; k++) {
    const fields = session.snapshot.fields.flatMap(f => [f, ...(f.rows || []).flatMap(row => row.fields)])
    const rows = session.field("crew")?.rows || []
    const f = pick(fields)
    switch (random(12)) {
      case 0: case 1: case 2: case 3: session.edit(f.path, pick(["", "Heron", "7", "true", f.raw])); break
      case 4: session.blur(f.path); break
      case 5: session.submit(); break
      case 6: if (rows.length < most) session.addRow("crew"); break
      case 7: if (rows.length) session.removeRow(pick(rows).path); break
      case 8: if (rows.length) session.moveRow(pick(rows).path, pick(rows).path); break
      case 9: pick([() => session.reset(), () => session.refresh(), () => session.cancel(), () => session.retry()])(); break
      case 10: if (f.contested) session.resolve(f.path, pick(["mine", "theirs"])); break
      case 11: {
        const gone = session.leave("/")
        if (session.snapshot.question) session.decide(pick(["stay", "discard", "submit"]))
        await Promise.race([gone, new Promise(done => setTimeout(done, 5))])
        session.returned()
      }
    }
    if (k % 7 === 0) await new Promise(done => setTimeout(done, 4))
  }
  session.close()
  return { trouble: trouble.slice(0, 5), calls, made, outcomes: [...new Set(outcomes)].sort() }
}
