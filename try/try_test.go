package try_test

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/harbour/office"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/try"
)

// The harbour office's pages, and what each breaks. The first is written as many
// are, the second with care, the third with the bundle, the last with a framework.
var pages = map[string][]string{
	"naive.html": {
		"load-over-typing", "load-over-choosing", "composing", "quiet-while-typing", "invalid-by-script", "plain-buttons",
		"two-clicks-5", "two-clicks-40", "two-clicks-150", "enter-and-click", "enter-twice", "enter-held", "pending-told", "pending-ends", "edit-while-sending",
		"refusal-at-its-field", "refusal-focus", "refusal-announced", "refusal-goes", "signed-out", "signed-out-by-redirect", "page-for-an-answer", "cut-answer", "lost-reply", "success-announced", "quiet-after-success",
	},
	"careful.html":     {"click-after-a-wrong-field", "edit-while-sending", "nothing-swallowed", "lost-reply", "key-after-error", "key-after-silence"},
	"readymade.html":   nil,
	"controlled/built": {"load-fails", "values-without-events", "pending-ends", "edit-while-sending", "refusal-focus", "nothing-swallowed", "signed-out-by-redirect", "page-for-an-answer", "cut-answer", "lost-reply"},
}

// copied copies the pages, with the bundle beside them.
func copied(t *testing.T) (dir string, source *declare.Source) {
	chromiumtest.Find(t)
	dir = t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(filepath.Join("..", "harbour", "pages"))))
	source, err := declare.Open(filepath.Join("..", "harbour", "demo", "mooring.form.yaml"))
	require.NoError(t, err)
	beside := filepath.Join(dir, "leanwicket")
	require.NoError(t, os.RemoveAll(beside))
	require.NoError(t, os.Mkdir(beside, 0o755))
	for _, name := range browser.Names() {
		data, err := browser.File(name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(beside, name), data, 0o644))
	}
	compiled, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(beside, "mooring.form"), compiled, 0o644))
	return dir, source
}

// declared are the declarations of a try file beside the form file, and a refusal.
func declared(t *testing.T, source *declare.Source, text string, refusal []byte) *try.Declarations {
	name := try.DeclarationsBeside(source.File)
	if text != "" {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	}
	d, err := try.ReadDeclarations(name, source.Form)
	if errors.Is(err, fs.ErrNotExist) {
		d, err = &try.Declarations{}, nil
	}
	require.NoError(t, err)
	if refusal != nil {
		d.Refusal = refusal
	}
	return d
}

func broken(t *testing.T, source *declare.Source, page string, only []string) []string {
	answer, err := try.Run(context.Background(), source, try.Options{Page: page, Declared: declared(t, source, "", nil), Only: only})
	require.NoError(t, err)
	for _, r := range answer.Results {
		require.NotEqual(t, try.CannotTell, r.Verdict, "%s: %s", r.Trial, r.Why)
		require.True(t, r.Verdict != try.Broken || len(r.Timeline) > 0, r.Trial)
		if r.Verdict == try.Broken {
			t.Logf("%s on %s: %s", r.Trial, page, r.Why)
		}
	}
	return breaks(answer)
}

func breaks(answer *try.Report) []string {
	var list []string
	for _, r := range answer.Results {
		if r.Verdict == try.Broken {
			list = append(list, r.Trial)
		}
	}
	return list
}

// Each page breaks what it is known to break, and nothing else, at every run: TRIES
// says how many, ./test --long makes ten. Without LONG=1 only every fourth trial is made of
// what a page that breaks something keeps.
func TestPages(t *testing.T) {
	dir, source := copied(t)
	runs := 1
	if n, err := strconv.Atoi(os.Getenv("TRIES")); err == nil {
		runs = n
	}
	for page, breaks := range pages {
		var only []string
		for k, name := range try.Names() {
			if os.Getenv("LONG") != "" || len(breaks) == 0 || k%4 == 0 || slices.Contains(breaks, name) {
				only = append(only, name)
			}
		}
		for range runs {
			require.Equal(t, breaks, broken(t, source, filepath.Join(dir, page), only), page)
		}
	}
}

// mistakes are those of the naive page: the trials that find each, what is written
// there, and what would be right.
var mistakes = []struct {
	found    []string
	old, new string
}{
	{[]string{"load-over-typing", "composing"}, `form.elements["vessel/name"].value = record`, `form.elements["vessel/name"].value ||= record`},
	{[]string{"load-over-choosing"}, `form.elements["vessel/length"].value = record`, `form.elements["vessel/length"].value ||= record`},
	{[]string{"quiet-while-typing"}, "form.addEventListener(\"input\", e => {\n    show(e.target)", "form.addEventListener(\"change\", e => show(e.target))\n  form.addEventListener(\"input\", e => {"},
	{[]string{"invalid-by-script"}, "e.preventDefault()\n    apply.textContent", "e.preventDefault()\n    if (e.submitter === null && controls.map(show).includes(false)) return\n    apply.textContent"},
	{[]string{"plain-buttons"}, "<button>Berth", `<button type="button">Berth`},
	{[]string{"two-clicks-5", "two-clicks-40", "two-clicks-150", "enter-and-click", "enter-twice", "enter-held"}, `apply.textContent = "Sending…"`, `if (apply.textContent !== "Apply") return; apply.textContent = "Sending…"`},
	{[]string{"pending-told"}, `apply.textContent = "Sending…"`, `const told = document.body.appendChild(document.createElement("output"))
    told.textContent = "Being sent."
    new MutationObserver(() => { if (apply.textContent === "Apply") told.remove() }).observe(apply, { childList: true })
    apply.textContent = "Sending…"`},
	{[]string{"pending-ends"}, `method: "POST",`, `method: "POST", signal: AbortSignal.timeout(8000),`},
	{[]string{"edit-while-sending"}, `apply.textContent = "Sending…"`, `apply.textContent = "Sending…"; controls.forEach(c => { c.readOnly = true })`},
	{[]string{"refusal-at-its-field"}, "const body = await response.json()", `const body = await response.json(), wrong = form.elements[body.errors[0].pointer.slice(2)]
        wrong?.setAttribute("aria-invalid", "true")
        wrong?.setAttribute("aria-describedby", "message")`},
	{[]string{"refusal-focus"}, "const body = await response.json()", "const body = await response.json()\n        form.elements[body.errors[0].pointer.slice(2)]?.focus()"},
	{[]string{"refusal-announced"}, "message.textContent = body", "message.ariaLive = \"assertive\"\n        message.textContent = body"},
	{[]string{"success-announced"}, "message.textContent = \"Your", "message.ariaLive = \"polite\"\n        message.textContent = \"Your"},
	{[]string{"refusal-goes"}, "window.onbeforeunload = () => true", "window.onbeforeunload = () => true\n    message.textContent = \"\""},
	{[]string{"signed-out"}, `location.href = "/signin.html"`, `message.textContent = "Sign in in another window, then apply again."`},
	{[]string{"signed-out-by-redirect"}, `else if (response.ok) {`, `else if (response.redirected) message.textContent = "Sign in in another window, then apply again."
      else if (response.ok) {`},
	{[]string{"page-for-an-answer"}, `else if (response.ok) {`, `else if (response.headers.get("Content-Type")?.includes("html")) message.textContent = "It is not known whether this has arrived."
      else if (response.ok) {`},
	{[]string{"cut-answer"}, `else if (response.ok) {`, `else if (response.ok) {
        await response.json()`},
	{[]string{"lost-reply"}, `headers: {`, `headers: { "Idempotency-Key": (window.key ||= crypto.randomUUID()),`},
	{[]string{"quiet-after-success"}, "form.reset()", "form.reset()\n        window.onbeforeunload = null"},
}

// Each mistake of the naive page that is mended turns its trials, and none else:
// with LONG=1 every trial is made, otherwise its own.
func TestMistakes(t *testing.T) {
	dir, source := copied(t)
	naive := filepath.Join(dir, "naive.html")
	text, err := os.ReadFile(naive)
	require.NoError(t, err)
	var known []string
	for _, m := range mistakes {
		known = append(known, m.found...)
		require.Equal(t, 1, strings.Count(string(text), m.old), m.old)
		require.NoError(t, os.WriteFile(naive, []byte(strings.Replace(string(text), m.old, m.new, 1)), 0o644))
		only := m.found
		want := []string(nil)
		if os.Getenv("LONG") != "" {
			only = nil
			want = slices.DeleteFunc(slices.Clone(pages["naive.html"]), func(trial string) bool { return slices.Contains(m.found, trial) })
		}
		require.Equal(t, want, broken(t, source, naive, only), m.new)
	}
	slices.Sort(known)
	breaks := slices.Clone(pages["naive.html"])
	slices.Sort(breaks)
	require.Equal(t, breaks, known, "each broken trial has its mistake")
}

// The docs say how many lines each page has, how many of them are script, and how
// many trials it breaks.
func TestLinesInTheDocs(t *testing.T) {
	docs, err := os.ReadFile(filepath.Join("..", "docs", "try.md"))
	require.NoError(t, err)
	for page, breaks := range pages {
		file, row := page, "`"+page+"`"
		if page == "controlled/built" {
			file, row = "controlled/src/main.jsx", "`controlled/`, with plain state"
		}
		text, err := os.ReadFile(filepath.Join("..", "harbour", "pages", file))
		require.NoError(t, err)
		lines, script := strings.Count(string(text), "\n"), 0
		if _, after, found := strings.Cut(string(text), "<script>\n"); found {
			inside, _, _ := strings.Cut(after, "</script>")
			script = strings.Count(inside, "\n")
		} else if strings.HasSuffix(file, ".jsx") {
			script = lines
		}
		_, rest, found := strings.Cut(string(docs), "\n| "+row)
		require.True(t, found, row)
		line, _, _ := strings.Cut(rest, "\n")
		cells := strings.Split(line, " | ")
		require.Equal(t, []string{strconv.Itoa(lines), strconv.Itoa(script), strconv.Itoa(len(breaks)) + " |"}, cells[1:], page)
	}
}

// beside writes the files of a page of the tests into a folder, and opens its form.
func beside(t *testing.T, form, page string) (dir string, source *declare.Source) {
	chromiumtest.Find(t)
	dir = t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "page.form.yaml"), []byte(form), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte(page), 0o644))
	source, err := declare.Open(filepath.Join(dir, "page.form.yaml"))
	require.NoError(t, err)
	return dir, source
}

// A page whose controls have names of their own is found by selectors; what is no
// page of the form is an error.
func TestSelectors(t *testing.T) {
	_, source := beside(t, `form: tour
schema: {properties: {name: {type: string}}, required: [name]}
submit: {url: "https://tours.example/api/tours"}
`, `<!doctype html>
<title>Tour</title>
<div><input id="guest"> <span id="go" role="button" tabindex="0">Go</span> <p role="status"></p></div>
<script>
  const guest = document.getElementById("guest"), said = document.querySelector("[role=status]")
  document.getElementById("go").onclick = async () => {
    if (guest.value === "") return said.textContent = "Who comes?"
    const response = await fetch("https://tours.example/api/tours", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ name: guest.value }) })
    said.textContent = response.ok ? "You are booked." : "No."
  }
</script>`)
	require.NoError(t, os.WriteFile(try.DeclarationsBeside(source.File), []byte("page: .\nfields: {name: {control: \"#guest\"}}\nsubmit: {control: \"#go\"}\n"), 0o644))
	require.Equal(t, []string{"two-clicks-40"}, broken(t, source, "", []string{"invalid-by-button", "two-clicks-40", "success-told"}))
	for page, says := range map[string]string{
		"http://127.0.0.1:1/": "http://127.0.0.1:1/ cannot be opened: ",
		t.TempDir():           "none of the form's fields is on the page; right would be controls whose name is the field's path",
	} {
		_, err := try.Run(t.Context(), source, try.Options{Page: page})
		require.ErrorContains(t, err, says)
	}
}

const crewForm = `form: crew
schema: {properties: {boat: {type: string}, crew: {type: array, maxItems: 3, items: {properties: {name: {type: string}}, required: [name]}}}, required: [boat]}
fields:
  boat:        {check: {url: "/boats?name={value}", timeout: 1s}, samples: [Heron, Plover]}
submit: {url: /crews}
accepted: {then: clear}
`

const crewTry = `fields: {crew: {control: "#more"}, crew/*/name: {control: "#row-{row}"}}`

// crewPage shows whatever answer to a check comes, waits for the newest before it
// sends, and leaves the rows where they are after success.
const crewPage = `<!doctype html>
<title>Crew</title>
<form><input name="boat"> <span id="problem"></span> <div id="rows"></div>
<button type="button" id="more">One more</button> <button>Send</button> <p role="status"></p></form>
<script>
  const form = document.forms[0], problem = document.getElementById("problem"), rows = document.getElementById("rows")
  const said = document.querySelector("[role=status]")
  let checking
  form.boat.onchange = () => {
    const mine = checking = fetch("/boats?name=" + encodeURIComponent(form.boat.value)).then(r => r.json()).then(body => { problem.textContent = body.detail ?? "" }).catch(() => {})
  }
  document.getElementById("more").onclick = () => rows.insertAdjacentHTML("beforeend", '<p><input id="row-' + rows.children.length + '">')
  form.onsubmit = async e => {
    e.preventDefault()
    await checking
    const response = await fetch("/crews", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ boat: form.boat.value, crew: [...rows.children].map(r => ({ name: r.firstChild.value })) }) })
    const body = await response.json()
    said.textContent = response.ok ? "The crew is in." : body.errors.map(e => (e.field === "boat" ? "Boat: " : "") + e.message).join()
    if (response.ok) form.reset()
  }
</script>`

// Checks, rows and a server's own refusals: what the page does wrong is broken, and
// is not once it is mended.
func TestChecksAndRows(t *testing.T) {
	all := []string{"late-check", "check-never-answers", "refusal-shown", "refusal-keeps-values", "nothing-swallowed", "reset-after"}
	for _, page := range []struct {
		old, new string
		only     []string
		breaks   []string
	}{
		{"", "", all, []string{"late-check", "check-never-answers", "reset-after"}},
		{"problem.textContent = body", "if (mine === checking) problem.textContent = body", all[:1], nil},
		{"value)).then", "value), { signal: AbortSignal.timeout(2000) }).then", all[:2], []string{"late-check"}},
		{"form.reset()", "form.reset(), rows.replaceChildren()", all[5:], nil},
		{"body.errors.map", "body.errors.filter(e => e.field === \"boat\").map", all[2:5], []string{"nothing-swallowed"}},
	} {
		dir, source := beside(t, crewForm, strings.Replace(crewPage, page.old, page.new, 1))
		answer, err := try.Run(t.Context(), source, try.Options{
			Page: dir, Only: page.only, Declared: declared(t, source, crewTry, []byte(`{"errors": [{"field": "boat", "message": "This boat is laid up."}]}`)),
		})
		require.NoError(t, err)
		require.Zero(t, answer.Count(try.CannotTell)+answer.Count(try.NotApplicable), "%+v", answer.Results)
		require.Equal(t, page.breaks, breaks(answer), page.new)
	}
}

// A page of another kind: the form comes with the load, controls are the browser's
// pickers, what is to be said is said by the browser's dialogs, the button goes while
// it is sent, a route of the page's own is left, an issue takes its time, and a clock ticks.
func TestPickersAndDialogs(t *testing.T) {
	dir, source := beside(t, `form: call
schema:
  properties:
    guest: {type: string, minLength: 3}
    day: {type: string, format: date}
    berth: {enum: [A1, B2]}
    papers: {type: string, contentMediaType: application/pdf}
  required: [guest, day, berth, papers]
prefill: {url: /guest}
submit: {url: /calls}
`, `<!doctype html>
<title>Call</title>
<a href="/tides">Tides</a>
<main></main> <p id="clock">
<script>
  setInterval(() => { document.getElementById("clock").textContent = "It is " + new Date().toISOString() }, 500)
  let unsaved = false
  addEventListener("click", e => {
    if (!e.target.matches("a")) return
    e.preventDefault()
    if (unsaved && !confirm("Leave what you typed?")) return
    history.pushState(null, "", e.target.href)
    document.querySelector("main").textContent = "High water at noon."
  })
  fetch("/guest").then(r => r.json()).then(guest => {
    document.querySelector("main").innerHTML = '<form id="call"></form><input form="call" name="guest" required><input type="date" form="call" name="day" required><select form="call" name="berth"><option><option>A1<option>B2</select>'
      + '<input type="file" form="call" name="papers" required><button type="button" form="call">Help</button><button form="call">Map</button><p id="send"><button type="submit" form="call">Send</button>'
    const form = document.forms[0], send = document.getElementById("send")
    form.guest.oninput = () => {
      unsaved = true
      setTimeout(() => { if (form.guest.value.length < 3) form.guest.ariaInvalid = "true" }, 700)
    }
    form.onsubmit = async e => {
      e.preventDefault()
      const button = send.firstChild
      button.remove()
      const response = await fetch("/calls", { method: "POST", headers: { "Idempotency-Key": "1" }, body: new FormData(form) })
      alert(response.ok ? "You are expected." : (await response.json()).errors[0].detail)
      unsaved &&= !response.ok
      send.append(button)
    }
  }).catch(() => {})
</script>`)
	answer, err := try.Run(t.Context(), source, try.Options{Page: dir})
	require.NoError(t, err)
	found := map[string]try.Result{}
	for _, r := range answer.Results {
		found[r.Trial] = r
		require.NotEqual(t, try.CannotTell, r.Verdict, "%s: %s", r.Trial, r.Why)
	}
	require.Equal(t, []string{
		"quiet-while-typing", "gone-when-mended", "plain-buttons", "pending-told", "pending-ends",
		"refusal-at-its-field", "refusal-focus", "signed-out", "signed-out-by-redirect", "page-for-an-answer", "cut-answer", "lost-reply", "key-after-refusal", "key-after-success",
		"asks-at-reload", "asks-at-close", "asks-at-back", "asks-after-choosing",
	}, breaks(answer))
	for trial, why := range map[string]string{
		"load-over-typing": "guest is not there before the load", "pending-shown": "the button is gone", "plain-buttons": `the button "Map" sends the form`,
		"success-told": `"You are expected."`, "asks-at-link": "the page asks", "refusal-goes": "what the server says does not stay on the page",
	} {
		require.Equal(t, why, found[trial].Why, trial)
	}
}

// What a server refuses with is read in each of its formats.
func TestRefusals(t *testing.T) {
	dir, source := beside(t, strings.ReplaceAll(crewForm, "boat", "hull"), "<form><input name=hull><button>Send</button></form><script>onsubmit = e => { e.preventDefault(); fetch('/crews', { method: 'POST', body: '{}' }).then(r => r.text()).then(text => document.body.append(text)) }</script>")
	for refused, strange := range map[string]string{
		`{"status": 400, "errors": [{"pointer": "#/hull", "detail": "No."}]}`:                   `"pointer":"leanwicketStranger"`,
		`{"errors": [{"source": {"pointer": "/hull"}, "detail": "No."}]}`:                       `"pointer":"leanwicketStranger"`,
		`{"errors": {"hull": ["No."], "crew": ["Too few."]}}`:                                   `"leanwicketStranger":["No."]`,
		`{"message": "Not this.", "errors": [{"path": ["crew", 0, "name"], "message": "No."}]}`: `["crew",0,"leanwicketStranger"]`,
		`{"errors": [{"name": "hull", "message": "No."}]}`:                                      `"name":"leanwicketStranger"`,
	} {
		answer, err := try.Run(t.Context(), source, try.Options{Page: dir, Only: []string{"refusal-shown", "nothing-swallowed"}, Declared: &try.Declarations{Refusal: []byte(refused)}})
		require.NoError(t, err)
		require.Equal(t, 2, answer.Count(try.Kept), "%s: %+v", refused, answer.Results)
		require.Contains(t, answer.Results[1].Requests[0].Reply, strange, refused)
	}
	for refused, says := range map[string]string{
		`{"errors": {"mast": ["No."]}}`: "found no entry for a field of the form",
		`{`:                             "found no JSON",
	} {
		_, err := try.Run(t.Context(), source, try.Options{Page: dir, Declared: &try.Declarations{Refusal: []byte(refused)}})
		require.ErrorContains(t, err, says)
	}
}

// The bodies of docs/replies.md are shown by the harbour's own page as they are read: at
// their field where they name one. LONG=1 sends them all, otherwise each sixteenth.
func TestBodiesOfOtherBackends(t *testing.T) {
	server := harbourServer(t)
	files, err := filepath.Glob(filepath.Join("..", "replies", "testdata", "bodies", "*.json"))
	require.NoError(t, err)
	tried := 0
	for k, name := range files {
		if k%16 != 0 && os.Getenv("LONG") == "" {
			continue
		}
		refused, err := os.ReadFile(name)
		require.NoError(t, err)
		for _, form := range []string{"mooring", "pilot"} {
			source, err := declare.OpenFS(harbour.Files(), form+".form.yaml")
			require.NoError(t, err)
			answer, err := try.Run(t.Context(), source, try.Options{Page: server + "/forms/" + form, Only: []string{"refusal-shown", "refusal-at-its-field", "nothing-swallowed"}, Declared: &try.Declarations{Refusal: refused}})
			if err != nil {
				require.ErrorContains(t, err, "found no entry for a field of the form", name)
				continue
			}
			tried++
			for _, r := range answer.Results {
				if r.Verdict == try.NotApplicable {
					require.Regexp(t, "no other can be named|the page has no crew", r.Why, name)
					continue
				}
				require.Equal(t, try.Kept, r.Verdict, "%s on %s: %s: %s", name, form, r.Trial, r.Why)
			}
		}
	}
	require.Positive(t, tried)
}

// A server that refuses in the body of an accepted reply is played as such, and the page
// that takes every 200 for success is found out.
func TestRefusedInTheBody(t *testing.T) {
	form := "form: plot\nschema: {properties: {keeper: {type: string}}, required: [keeper]}\nrefused: {inBody: /data/errors}\nsubmit: {url: /plots}\n"
	page := "<form><input name=keeper><button>Send</button><p role=alert></p></form><script>onsubmit = async e => { e.preventDefault(); const r = await fetch('/plots', { method: 'POST', body: '{}' }), p = document.querySelector('p'); READ }</script>"
	for read, verdict := range map[string]try.Verdict{
		"p.textContent = r.ok ? 'Thank you.' : await r.text()":                                        try.Broken,
		"p.textContent = (await r.json()).data?.errors?.map(e => e.detail).join(' ') || 'Thank you.'": try.Kept,
	} {
		dir, source := beside(t, form, strings.Replace(page, "READ", read, 1))
		for _, refused := range [][]byte{nil, []byte(`{"data": {"errors": [{"field": "keeper", "detail": "Not this."}]}}`)} {
			answer, err := try.Run(t.Context(), source, try.Options{Page: dir, Only: []string{"refusal-shown", "nothing-swallowed"}, Declared: &try.Declarations{Refusal: refused}})
			require.NoError(t, err)
			require.Equal(t, 2, answer.Count(verdict), "%s: %+v", read, answer.Results)
			require.Equal(t, "200", answer.Results[0].Requests[0].Answer)
		}
	}
}

// The evidence is one page that can be read alone: what was sent and said, and nothing that
// was typed at a private field or stands there in the record.
func TestTheReportHasNothingPrivate(t *testing.T) {
	form := "form: locker\nschema: {properties: {owner: {type: string}, pin: {type: string, pattern: '^[0-9]{6}$'}}, required: [owner, pin]}\nfields: {pin: {private: true, samples: ['774411']}}\nprefill: {url: /locker}\nsubmit: {url: /lockers}\n"
	page := `<form><label>Owner <input name=owner></label><label>Pin <input name=pin></label><button>Rent</button><p role=status></p></form><script>
fetch('/locker').then(r => r.json()).then(r => { for (const name in r) document.querySelector('[name=' + name + ']').value ||= r[name] })
onsubmit = async e => { e.preventDefault(); await fetch('/lockers', { method: 'POST', body: JSON.stringify(Object.fromEntries(new FormData(e.target))) }); document.querySelector('p').textContent = 'Rented to <b>' + document.forms[0].owner.value }</script>`
	dir, source := beside(t, form, page)
	answer, err := try.Run(t.Context(), source, try.Options{Page: dir, Only: []string{"two-clicks-40", "lost-reply"}, Declared: &try.Declarations{Record: []byte(`{"owner": "Wren", "pin": "661177"}`)}})
	require.NoError(t, err)
	require.Equal(t, try.Broken, answer.Results[0].Verdict, answer.Results[0].Why)
	out := t.TempDir()
	require.NoError(t, answer.WriteEvidence(out))
	report, err := os.ReadFile(filepath.Join(out, "report.html"))
	require.NoError(t, err)
	for _, shown := range []string{"two-clicks-40", "POST /lockers", "(private)", "says: Rented to &lt;b&gt;", "data:image/png;base64,", "<svg"} {
		require.Contains(t, string(report), shown)
	}
	everything, err := json.Marshal(answer)
	require.NoError(t, err)
	for _, private := range []string{"774411", "661177"} {
		require.NotContains(t, string(report), private)
		require.NotContains(t, string(everything), private)
	}
}

func harbourServer(t *testing.T) string {
	chromiumtest.Find(t)
	harbourOffice, err := office.Open(filepath.Join(t.TempDir(), "office.db"), office.Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, harbourOffice.Close()) })
	server := httptest.NewServer(harbourOffice)
	t.Cleanup(server.Close)
	return server.URL
}

// The harbour's own pages keep every guarantee, whatever the form: rows, checks, a
// record that is replaced. LONG=1 tries all of them, otherwise the one with the most.
func TestServedForms(t *testing.T) {
	server := harbourServer(t)
	for _, name := range harbour.Forms() {
		if name != "plan.form.yaml" && os.Getenv("LONG") == "" {
			continue
		}
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err)
		require.Empty(t, broken(t, source, server+"/forms/"+strings.TrimSuffix(name, ".form.yaml"), nil), name)
	}
}

// In go test each trial is a subtest. A page that keeps what is asked passes it.
func TestInGoTest(t *testing.T) {
	try.Test(t, "../harbour/demo/visit.form.yaml", try.Options{Page: harbourServer(t) + "/forms/visit", Only: []string{"two-clicks-40", "invalid-by-button", "load-fails"}})
}
