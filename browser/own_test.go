//go:build !js

package browser_test

import (
	"net/http"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

const plotForm = `form: plot
schema:
  properties:
    keeper: {type: string, maxLength: 12}
    beds: {type: integer}
    tools: {type: array, items: {properties: {name: {type: string}}}}
  required: [keeper]
fields: {keeper: {check: {url: "/keepers/{value}", delay: 0ms}}}
prefill: {url: /plot}
submit: {url: /plot, method: PUT, timeout: 2s, resend: {times: 0}}
`

// until waits in the page for a state of the session s.
const untilInPage = `const until = done => new Promise(ends => { const look = () => done(s.snapshot) && (stop(), ends()); const stop = s.observe(look); look() });`

// A record in hand, and requests by functions of the application: the network is asked nothing, the
// functions get what a request would carry, and the outcome tells what they answered.
func TestTheApplicationsOwnRequests(t *testing.T) {
	var asked atomic.Int32
	b := scriptPage(t, plotForm, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/plot" || strings.HasPrefix(r.URL.Path, "/keepers") {
			asked.Add(1)
		}
		http.NotFound(w, r)
	})
	told := b.js(`(async () => {
		const told = [], say = what => told.push(typeof what === "string" ? what : JSON.stringify(what))
		const answers = [
			() => { throw new Error("the network is away") },
			() => new Response('{"keeper":"Bo","beds":4,"id":7}', { status: 200, headers: { "Content-Type": "application/json", ETag: '"2"', Location: "/plots/7" } }),
			() => ({ status: 422, body: { errors: { keeper: ["Is away."] } } }),
			() => ({}),
			() => ({ status: 200, body: { keeper: "Bo" }, headers: { ETag: '"3"' }, from: location.origin + "/elsewhere" }),
		]
		const before = console.error
		console.error = (...what) => say("error " + String(what[1]).replace(/^TypeError: found.*/, "found no answer"))
		const s = await openForm("/f.form", {
			keep: { hours: 0 }, record: { values: { keeper: "Ada", beds: 3, tools: [{ name: "spade" }] }, version: '"1"' },
			check: ({ path, value, values }) => (say(["check", path, value, values.beds]), { status: 204 }),
			send: ({ method, url, button, key, version, body, values, signal }) => {
				say(["send", method, url, button, key.length, version, body === JSON.stringify(values), values, signal.aborted])
				return answers.shift()()
			},
		})
		` + untilInPage + `
		s.addEventListener("outcome", ({ detail: d }) => say([d.submission, d.button, d.key?.length, d.values?.keeper, d.status, d.location, d.body, s.snapshot.sent === d.values]))
		await until(s => s.prefill === "ready")
		const first = s.values
		s.blur("beds")
		say(["values", first, s.values === first, Object.isFrozen(first.tools)])
		s.edit("keeper", "Bo")
		s.edit("beds", "4")
		s.submit()
		say(["typed", s.values.keeper, s.values.tools === first.tools])
		await until(s => s.submission === "unsettled")
		say(["sent", s.snapshot.sent])
		s.retry()
		await until(s => s.submission === "accepted")
		say(["sent", s.snapshot.sent ?? "nothing"])
		for (const beds of ["5", "6"]) {
			s.edit("beds", beds)
			s.submit()
			await until(s => !s.busy)
			if (s.snapshot.submission === "unsettled") { s.retry(); await until(s => !s.busy) }
		}
		console.error = before
		return told.join("\n")
	})()`)
	require.Equal(t, strings.TrimSpace(`
["values",{"keeper":"Ada","beds":3,"tools":[{"name":"spade"}]},true,true]
["check","keeper","Bo",3]
["checking",null,null,null,null,null,null,true]
["typed","Bo",true]
["sending","submit",32,"Bo",null,null,null,true]
["send","PUT","/plot","submit",32,"\"1\"",true,{"keeper":"Bo","beds":4,"tools":[{"name":"spade"}]},false]
error Error: the network is away
["unsettled","submit",32,"Bo",0,"",null,true]
["sent",{"keeper":"Bo","beds":4,"tools":[{"name":"spade"}]}]
["sending","submit",32,"Bo",null,null,null,true]
["send","PUT","/plot","submit",32,"\"1\"",true,{"keeper":"Bo","beds":4,"tools":[{"name":"spade"}]},false]
["accepted","submit",32,"Bo",200,"/plots/7",{"keeper":"Bo","beds":4,"id":7},false]
["sent","nothing"]
["idle",null,null,null,null,null,null,true]
["sending","submit",32,"Bo",null,null,null,true]
["send","PUT","/plot","submit",32,"\"2\"",true,{"keeper":"Bo","beds":5,"tools":[{"name":"spade"}]},false]
["refused","submit",32,"Bo",422,"",{"errors":{"keeper":["Is away."]}},false]
["sending","submit",32,"Bo",null,null,null,true]
["send","PUT","/plot","submit",32,"\"2\"",true,{"keeper":"Bo","beds":6,"tools":[{"name":"spade"}]},false]
error found no answer
["unsettled","submit",32,"Bo",0,"",null,true]
["sending","submit",32,"Bo",null,null,null,true]
["send","PUT","/plot","submit",32,"\"2\"",true,{"keeper":"Bo","beds":6,"tools":[{"name":"spade"}]},false]
["accepted","submit",32,"Bo",200,"",{"keeper":"Bo"},false]
`), told)
	require.Zero(t, asked.Load())
}

// Saved answers that the application supplies answer the loads of a form that has no url for them, meet what is typed,
// wait for a save, and are turned down where they were read before it. The network is asked nothing.
func TestWhatIsSupplied(t *testing.T) {
	var asked atomic.Int32
	b := scriptPage(t, strings.NewReplacer("{url: /plot}", "{own: true}", "fields:", "# fields:").Replace(plotForm), func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/favicon.ico" {
			asked.Add(1)
		}
		http.NotFound(w, r)
	})
	asked.Store(0)
	told := b.js(`(async () => {
		const told = [], say = (...what) => told.push(JSON.stringify(what)), before = console.warn
		console.warn = (...text) => told.push(text.join(" "))
		let answer, sends
		const sending = new Promise(is => { sends = is })
		const s = await openForm("/f.form", { keep: { hours: 0 }, send: () => new Promise(done => { answer = done; sends() }) })
		` + untilInPage + `
		const shows = () => [s.snapshot.prefill, s.field("keeper").raw, s.field("beds").raw, s.snapshot.unsaved]
		say(...shows())
		say(s.reading()({ keeper: "Ada", beds: 3, tools: [{ name: "spade" }] }, '"1"'), ...shows())
		s.edit("keeper", "Bo")
		say(s.reading()({ keeper: "Cy", beds: 4 }, '"2"'), ...shows(), s.field("keeper").contested)
		say(s.reading()("no record"), s.reading()({ other: 1 }))
		s.submit()
		await sending
		const early = s.reading()
		say(s.reading()({ keeper: "Cy", beds: 5 }, '"3"'), ...shows())
		answer({ status: 200, headers: { ETag: '"4"' } })
		await until(s => s.submission === "accepted")
		say(...shows())
		say(early({ keeper: "Cy", beds: 5 }, '"3"'), ...shows())
		say(s.reading()({ keeper: "Bo", beds: 6 }, '"5"'), ...shows())
		s.close()
		say(s.reading()({ keeper: "Bo" }))
		console.warn = before
		return told.join("\n")
	})()`)
	require.Equal(t, strings.TrimSpace(`
["loading","","",false]
[true,"ready","Ada","3",false]
[true,"ready","Bo","4",true,false]
leanwicket: the record that was supplied is not taken: the record cannot be taken: the body is no JSON object
leanwicket: the record that was supplied is not taken: the record cannot be taken: the body has no field of the form
[false,false]
[true,"ready","Bo","4",true]
["loading","Bo","4",false]
[false,"loading","Bo","4",false]
[true,"ready","Bo","6",false]
[false]
`), told)
	require.Zero(t, asked.Load())
}

// A record for a form that loads nothing is told in the console.
func TestARecordWithoutPrefill(t *testing.T) {
	b := scriptPage(t, "form: plot\nschema: {properties: {keeper: {type: string}}}\nsubmit: {url: /plot}\n", http.NotFound)
	require.Equal(t, "1 the form plot has no prefill", b.js(`(async () => {
		const said = [], before = console.warn
		console.warn = text => said.push(text)
		const s = await openForm("/f.form", { keep: { hours: 0 }, record: { values: { keeper: "Ada" } } })
		console.warn = before
		return said.length + " " + said.join().match(/the form plot has no prefill/)
	})()`))
}

// Who is signed out signs in where they are: it is asked once for all that was denied, and what was denied
// is asked once more. Where that is denied as well, or nobody signs in, the form stays as it is.
func TestSigningInAgain(t *testing.T) {
	var signed atomic.Bool
	var keys, loads atomic.Int32
	b := scriptPage(t, strings.Replace(plotForm, "fields:", "# fields:", 1), func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path != "/plot":
			http.NotFound(w, r)
		case !signed.Load():
			if r.Method == http.MethodPut {
				keys.Add(1)
			}
			w.WriteHeader(http.StatusUnauthorized)
		case r.Method == http.MethodPut:
			w.Header().Set("Content-Type", "application/json")
			_, _ = w.Write([]byte(`{"keeper":"Bo"}`))
		default:
			loads.Add(1)
			w.Header().Set("Content-Type", "application/json")
			_, _ = w.Write([]byte(`{"keeper":"Ada","beds":3}`))
		}
	})
	open := func(answers string) string {
		return b.js(`(async () => {
			const asked = [], answers = ` + answers + `
			const s = window.s = await openForm("/f.form", {
				account: "ada", keep: { hours: 0 },
				signIn: async ({ kind, account }) => { asked.push(kind + " " + account); await new Promise(r => setTimeout(r, 30)); return answers.shift()() },
			})
			` + untilInPage + `
			const settled = () => new Promise(r => setTimeout(r, 150))
			window.asked = asked; window.until = until; window.settled = settled
			await until(s => s.prefill !== "loading")
			await settled()
			return [...asked, s.snapshot.prefill, s.field("keeper").raw].join()
		})()`)
	}
	// Nobody signs in.
	require.Equal(t, "load ada,failed,", open(`[() => false, () => { throw new Error("closed") }]`))
	// They do, but at another server: what is denied again is asked no second time.
	require.Equal(t, "load ada,failed,", open(`[() => true, () => true]`))
	require.Zero(t, loads.Load())
	signed.Store(true)
	require.Equal(t, "ready,Ada", open(`[() => false, () => (fetch("/sign-in"), true), () => true]`))
	signed.Store(false)
	require.Equal(t, "send ada,denied,Bo", b.js(`(async () => { s.edit("keeper", "Bo"); s.submit(); await until(s => !s.busy); await settled(); return [...asked, s.snapshot.submission, s.field("keeper").raw].join() })()`))
	require.EqualValues(t, 1, keys.Load())
	// The next press is asked again, and is denied again: that makes two more requests, and one question.
	require.Equal(t, "send ada,send ada,denied", b.js(`(async () => { s.submit(); await settled(); await until(s => !s.busy); await settled(); return [...asked, s.snapshot.submission].join() })()`))
	require.EqualValues(t, 3, keys.Load())
	// And once more: this time the sign-in counts.
	signed.Store(false)
	require.Equal(t, "3 denied", b.js(`(async () => { s.submit(); await until(s => !s.busy); return asked.length + " " + s.snapshot.submission })()`))
	signed.Store(true)
	require.Equal(t, "accepted", b.js(`(async () => { await until(s => s.submission === "accepted"); return s.snapshot.submission })()`))
}

// A form in somebody's markup names its sign-in and its functions: where something is denied, the notice
// leads to the sign-in and asks once more.
func TestSigningInBesideAForm(t *testing.T) {
	var signed atomic.Bool
	const page = `<!doctype html><html lang="en"><title>Plot</title><link rel="icon" href="data:,"><script src="/leanwicket/leanwicket.js" defer></script>
<script>const asked = []; function stored({ key, values }) { asked.push(key.length + " " + JSON.stringify(values)); return { status: 200, body: values, headers: { ETag: '"9"' } } }
function inHand() { return { values: { keeper: "Ada", beds: 3 }, version: '"8"' } }</script>
<form data-leanwicket-form="/f.form" data-leanwicket-keep="off" method="post" ATTRIBUTES><label>Keeper <input name="keeper"></label> <label>Beds <input name="beds"></label> <button>Send</button></form>`
	b := scriptPage(t, strings.Replace(plotForm, "fields:", "# fields:", 1), func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasPrefix(r.URL.Path, "/page"):
			w.Header().Set("Content-Type", "text/html")
			attributes := `data-leanwicket-sign-in="/sign-in"`
			if r.URL.Path == "/page/own" {
				attributes = `data-leanwicket-record="inHand" data-leanwicket-send="stored"`
			}
			_, _ = w.Write([]byte(strings.Replace(page, "ATTRIBUTES", attributes, 1)))
		case r.URL.Path != "/plot":
			http.NotFound(w, r)
		case !signed.Load():
			w.WriteHeader(http.StatusUnauthorized)
		default:
			w.Header().Set("Content-Type", "application/json")
			w.Header().Set("ETag", `"7"`)
			_, _ = w.Write([]byte(`{"keeper":"Ada","beds":3}`))
		}
	})
	b.broken.Store(true) // a browser's console tells of each 401
	b.do(chromedp.Navigate(b.site + "/page"))
	const shown = `(n => n && !n.hidden && !n.querySelector("a")?.parentNode.hidden ? [...n.querySelectorAll("a, button")].map(e => e.textContent + " " + (e.getAttribute("href") || "") + " " + e.target).join("|") : "")(document.querySelector(".leanwicket-notice"))`
	const both = "Sign in, in another tab /sign-in _blank|Try again  undefined"
	const again = `document.querySelector(".leanwicket-notice button").click()`
	typed := func(name, text string) string {
		return `(form => { form[` + strconv.Quote(name) + `].value = ` + strconv.Quote(text) + `; form[` + strconv.Quote(name) + `].dispatchEvent(new Event("input", { bubbles: true })); form.querySelector("button").click() })(document.forms[0])`
	}
	b.becomes(both, shown)
	require.Equal(t, "true", b.js(`document.querySelector(".leanwicket-notice").textContent.includes("You are signed out")`))
	signed.Store(true)
	b.js(again)
	b.becomes("Ada", `document.forms[0].keeper.value`)
	b.becomes("", shown)
	signed.Store(false)
	b.js(typed("keeper", "Bo"))
	b.becomes("denied", `document.forms[0].dataset.leanwicketState`)
	b.becomes(both, shown)
	signed.Store(true)
	b.js(again)
	b.becomes("accepted", `document.forms[0].dataset.leanwicketState`)
	b.becomes("", shown)

	b.do(chromedp.Navigate(b.site + "/page/own"))
	b.becomes("Ada", `document.forms[0].keeper.value`)
	b.js(typed("beds", "11"))
	b.becomes("accepted", `document.forms[0].dataset.leanwicketState`)
	require.Equal(t, `32 {"keeper":"Ada","beds":11}`, b.js(`asked.join()`))
}

// A submission as a form is what a server reads of a browser without a script, with the key, the version
// and the button.
func TestSentAsAForm(t *testing.T) {
	came := make(chan string, 9)
	b := scriptPage(t, strings.NewReplacer("fields:", "# fields:", "method: PUT", "method: PUT, as: form").Replace(plotForm), func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("ETag", `"1"`)
		if r.Method == http.MethodPut && r.ParseForm() == nil {
			came <- r.PostForm.Encode() + " " + r.Header.Get("If-Match") + " " + r.Header.Get("Leanwicket-Button") + " " + strconv.Itoa(len(r.Header.Get("Idempotency-Key")))
		}
		_, _ = w.Write([]byte(`{"keeper":"Ada","beds":3,"tools":[{"name":"a & b"}]}`))
	})
	b.js(`(async () => {
		const s = await openForm("/f.form", { keep: { hours: 0 } })
		` + untilInPage + `
		await until(s => s.prefill === "ready")
		s.edit("keeper", "Bo=1")
		s.submit()
		await until(s => s.submission === "accepted")
	})()`)
	require.Equal(t, `beds=3&keeper=Bo%3D1&leanwicket-button=submit&tools=1&tools%2F0%2Fname=a+%26+b "1" submit 32`, <-came)
}
