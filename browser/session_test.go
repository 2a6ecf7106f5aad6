//go:build !js

package browser_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromiumtest"
)

// crewForm has everything that a session for scripts tells of: a load, a check, rows,
// choices, and fields that are asked only sometimes.
const crewForm = `form: crossing
title: A crossing
schema:
  properties:
    name: {type: string, maxLength: 20}
    seats: {type: integer, maximum: 12}
    fast: {type: boolean}
    reason: {type: string}
    days: {type: array, uniqueItems: true, items: {enum: [mon, tue, wed]}}
    crew: {type: array, maxItems: 12, items: {properties: {name: {type: string}, age: {type: integer}}, required: [name]}}
  required: [name]
fields:
  name: {label: Name, help: As painted on the bow}
  reason: {when: {fast: true}}
prefill: {url: /saved, ifEdited: ask}
submit: {url: /crossings, resend: {times: 1, wait: 1ms}}
`

// compiled is a form file as the script reads it.
func compiled(t *testing.T, text string) []byte {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(text)}}, "f.form.yaml")
	require.NoError(t, err)
	data, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	return data
}

// site serves a form as /f.form, the bundle below /leanwicket/, and the rest as a test says.
func site(t *testing.T, form func() []byte, rest http.HandlerFunc) (address string) {
	mux := http.NewServeMux()
	mux.HandleFunc("/f.form", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(form()) })
	mux.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	mux.Handle("/", rest)
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	return server.URL
}

// scriptPage serves the module, a form, and what else a page asks for.
func scriptPage(t *testing.T, form string, more http.HandlerFunc) *tab {
	b := &tab{t: t, ctx: chromiumtest.Open(t)}
	data := compiled(t, form)
	b.site = site(t, func() []byte { return data }, func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, `<!doctype html><title>Work</title><script type="module">import { openForm } from "/leanwicket/leanwicket.mjs"; globalThis.openForm = openForm</script>`)
		case strings.HasPrefix(r.URL.Path, "/testdata/"):
			http.ServeFile(w, r, "."+r.URL.Path)
		default:
			more(w, r)
		}
	})
	b.listen()
	b.do(chromedp.Navigate(b.site + "/"))
	b.becomes("function", "typeof openForm")
	return b
}

// Parts of a snapshot keep their identity while they are as they were, and never change.
func TestSnapshotsKeepTheirParts(t *testing.T) {
	b := scriptPage(t, crewForm, http.NotFound)
	walks := 6
	if os.Getenv("LONG") != "" {
		walks = 400
	}
	outcomes := map[string]bool{}
	missing := func() []string {
		return slices.DeleteFunc([]string{"accepted", "refused", "sending", "unsettled", "waiting"}, func(o string) bool { return outcomes[o] })
	}
	for seed := 0; seed < walks || len(missing()) > 0 && seed < 5*walks; seed++ { // what a walk meets depends on its time as well
		var found struct {
			Trouble, Outcomes []string
			Calls             int
		}
		text := b.js(fmt.Sprintf(`import("/testdata/session_laws.js").then(m => m.walk(openForm, "/f.form", %d, 150, 9)).then(JSON.stringify)`, seed+1))
		require.NoError(t, json.Unmarshal([]byte(text), &found))
		require.Empty(t, found.Trouble, "seed %d", seed+1)
		require.Greater(t, found.Calls, 100)
		for _, o := range found.Outcomes {
			outcomes[o] = true
		}
	}
	require.Empty(t, missing())
}

// On a form of a thousand fields a change of one makes a new part for it, and for what
// holds it.
func TestAChangeMakesOnePart(t *testing.T) {
	var fields []string
	for k := range 1000 {
		fields = append(fields, fmt.Sprintf("f%d: {type: string}", k))
	}
	b := scriptPage(t, "form: long\nschema: {properties: {"+strings.Join(fields, ", ")+"}}\nsubmit: {url: /x}\n", http.NotFound)
	require.Equal(t, "1000 1 f500", b.js(`openForm("/f.form", { keep: { hours: 0 } }).then(s => {
		const before = s.snapshot
		let told = []
		s.observeField("f500", f => told.push(f.path))
		s.observeField("f501", f => told.push(f.path))
		s.edit("f500", "x")
		return [s.snapshot.fields.length, s.snapshot.fields.filter((f, k) => f !== before.fields[k]).length, told].join(" ")
	})`))
}

// A form of one record has its name in its urls: what is given is escaped, and what is not
// given is an error where the form is opened.
func TestARecordOfItsOwn(t *testing.T) {
	addresses := make(chan string, 9)
	b := scriptPage(t, "form: plot\ngiven: [id, part]\nschema: {properties: {keeper: {type: string}}}\nfields: {keeper: {check: {url: '/plots/{id}/keepers?name={value}', delay: 0s}}}\nprefill: {url: '/plots/{id}/{part}'}\nsubmit: {url: '/plots/{id}', method: PUT}\n", func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/plots/") {
			addresses <- r.Method + " " + r.RequestURI
			fmt.Fprint(w, "{}")
		}
	})
	require.Contains(t, b.js(`openForm("/f.form", { given: { id: "7" } }).catch(e => e.message)`), "found no value for part, which the form declares as given")
	b.js(`openForm("/f.form", { given: { part: "a", id: "7/../8?{part}" } }).then(s => { globalThis.s = s })`)
	require.Equal(t, "GET /plots/7%2F..%2F8%3F%7Bpart%7D/a", <-addresses)
	b.becomes("ready", "s.snapshot.prefill")
	b.js(`s.edit("keeper", "{id} & {part}")`)
	require.Equal(t, "GET /plots/7%2F..%2F8%3F%7Bpart%7D/keepers?name=%7Bid%7D%20%26%20%7Bpart%7D", <-addresses)
	b.becomes("false", `s.field("keeper").checking`)
	b.js(`s.submit()`)
	require.Equal(t, "PUT /plots/7%2F..%2F8%3F%7Bpart%7D", <-addresses)
}

// A script drives a whole application: what was saved, what is held, what the server says,
// the question at leaving, and every request with headers of its own.
func TestAScriptDrivesASession(t *testing.T) {
	var mu sync.Mutex
	var requests []string
	b := scriptPage(t, strings.Replace(crewForm, ", ifEdited: ask", "", 1), func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.URL.Path, "/api/") {
			http.NotFound(w, r)
			return
		}
		mu.Lock()
		defer mu.Unlock()
		requests = append(requests, r.Method+" "+r.URL.Path+" "+r.Header.Get("X-Token"))
		if r.Method == "GET" {
			fmt.Fprint(w, `{"name": "Heron", "seats": 4, "days": ["mon"], "crew": [{"name": "Ada"}, {"name": "Bo"}]}`)
			return
		}
		if len(requests) < 3 {
			w.WriteHeader(422)
			fmt.Fprint(w, `{"errors": {"crew/1/name": ["Bo is on another ferry."]}}`)
			return
		}
		w.Header().Set("Location", "/crossings/7")
		w.WriteHeader(201)
	})
	b.js(`openForm("/f.form", { base: location.origin + "/api", account: "ada", headers: async ({ kind }) => ({ "X-Token": kind + "-1" }) }).then(s => {
		globalThis.s = s
		globalThis.told = []
		for (const type of ["outcome", "held", "question", "focus", "announced", "left"]) s.addEventListener(type, e => told.push(type + " " + (typeof e.detail === "string" ? e.detail : e.detail.submission || e.detail.reason || e.detail.holds || "")))
	})`)
	b.becomes("ready", `s.snapshot.prefill`)
	field := func(path, what string) string { return b.js(`JSON.stringify(s.field("` + path + `").` + what + `)`) }
	require.Equal(t, `"Heron"`, field("name", "value"))
	require.Equal(t, `"As painted on the bow"`, field("name", "help"))
	require.Equal(t, `4`, field("seats", "value"))
	require.Equal(t, `["mon"]`, field("days", "value"))
	require.Equal(t, `["mon","tue","wed"]`, field("days", "options.map(o => o.value)"))
	require.Equal(t, `"Bo"`, field("crew", "rows[1].fields[0].value"))
	require.Equal(t, `true`, field("name", "required"))
	require.Equal(t, `false`, field("reason", "asked"))
	b.js(`s.edit("seats", "many"), s.submit()`)
	require.Equal(t, `held invalid|focus seats`, b.js(`told.splice(0).join("|")`))
	require.Equal(t, `["badInput"]`, field("seats", "issues.filter(i => i.shown).map(i => i.code)"))
	require.Equal(t, "undefined", b.js(`s.field("seats").value`))
	b.js(`s.edit("seats", "6"), s.edit("fast", "true"), s.edit("reason", "The tide"), s.submit()`)
	b.becomes("refused", `s.snapshot.submission`)
	require.Equal(t, `["Bo is on another ferry."]`, field("crew/1/name", "issues.map(i => i.text)"))
	b.js(`s.moveRow("crew/1", "crew/0")`)
	require.Equal(t, `["Bo is on another ferry."]`, field("crew/0/name", "issues.map(i => i.text)"))
	require.Equal(t, "true asking unsaved false", b.js(`(async () => {
		const stays = s.leave("/list"), { leaving, question, guarded } = s.snapshot
		s.decide("stay")
		return [guarded, leaving, question.reason, await stays].join(" ")
	})()`))
	b.js(`told.splice(0), s.edit("crew/0/name", "Cy"), s.submit()`)
	b.becomes("accepted /crossings/7 false", `s.snapshot.submission + " " + s.snapshot.receipt + " " + s.snapshot.unsaved`)
	require.Equal(t, "outcome sending|outcome accepted", b.js(`told.splice(0).join("|")`))
	require.Equal(t, "true", b.js(`s.leave("/list")`))
	require.Equal(t, "true", b.js(`s.trace().includes("crossing")`))
	mu.Lock()
	defer mu.Unlock()
	require.Equal(t, []string{"GET /api/saved load-1", "POST /api/crossings send-1", "POST /api/crossings send-1"}, requests)
}

// After a record was changed elsewhere it is said when its newest answers are there, and how
// many of the applicant's differ.
func TestTheNewestAnswersAreHere(t *testing.T) {
	var loads, sends atomic.Int64
	b := scriptPage(t, "form: buoy\nschema: {properties: {a: {type: string}, b: {type: string}, c: {type: string}}}\nprefill: {url: /buoy, ifEdited: keep}\nsubmit: {url: /buoy, method: PUT}\n", func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path != "/buoy":
			http.NotFound(w, r)
		case r.Method == "GET":
			n := loads.Add(1)
			w.Header().Set("ETag", fmt.Sprintf(`"%d"`, n))
			fmt.Fprint(w, []string{"", `{"a": "red", "b": "red", "c": "red"}`, `{"a": "white", "b": "red", "c": "red"}`, `{"a": "white", "b": "green", "c": "grey"}`, `{"a": "white", "b": "grey", "c": "grey"}`}[n])
		case sends.Add(1) < 4:
			w.WriteHeader(412)
		}
	})
	b.broken.Store(true) // the console names the 412
	b.js(`openForm("/f.form").then(s => { globalThis.s = s; return "" })`)
	b.becomes("ready", `s.snapshot.prefill`)
	for _, c := range [][2]string{
		{`s.submit()`, "The newest answers are here. Send yours again."},
		{`(s.edit("b", "blue"), s.edit("c", "blue"), s.submit())`, "The newest answers are here. 2 of yours differ: choose which ones to keep. Then send yours again."},
		{`(s.resolve("b", "mine"), s.resolve("c", "theirs"), s.submit())`, "The newest answers are here. One of yours differs: choose which one to keep. Then send yours again."},
	} {
		b.js(c[0])
		b.becomes(c[1], `s.snapshot.said.text`)
	}
}

// The blocks of docs/script.md and docs/record.md run, one after the other, and what their comments say
// of a value is so.
func TestTheDocsOfTheScriptRun(t *testing.T) {
	require.Equal(t, "draw|2031-05-02|invalid|focus vessel/length", docsRun(t, "script.md", 6, ""))
	require.Equal(t, "load", docsRun(t, "record.md", 5, `let signedIn = false
const api = async (url, { body }) => new Response(body, { status: 200, headers: { "Content-Type": "application/json", ETag: '"4"' } })
const settled = s => new Promise(done => { const look = () => s.snapshot.prefill === "ready" && !s.snapshot.busy && (ends(), done()); const ends = s.observe(look); look() })
`))
}

// docsRun runs the blocks of a page, with what they take for granted. It returns what they have logged.
func docsRun(t *testing.T, name string, checks int, granted string) string {
	docs, err := os.ReadFile(filepath.Join("..", "docs", name))
	require.NoError(t, err)
	blocks := regexp.MustCompile("(?s)```js\n(.*?)```").FindAllStringSubmatch(string(docs), -1)
	require.GreaterOrEqual(t, len(blocks), 4)
	said := regexp.MustCompile(`^(?:await )?[^ ].*?(;?)\s+// ("[^"]*"|\[[^\]]*\]|\{[^}]*\}|true|false)`)
	var script strings.Builder
	checked := 0
	for _, block := range blocks {
		for line := range strings.Lines(block[1]) {
			if found := said.FindStringSubmatchIndex(line); found != nil && !strings.HasPrefix(line, "const") && !strings.HasPrefix(line, "  ") {
				fmt.Fprintf(&script, "is(%q, %s, %s)\n", line, strings.TrimSpace(line[:found[2]]), line[found[4]:found[5]])
				checked++
				continue
			}
			script.WriteString(line)
		}
	}
	require.GreaterOrEqual(t, checked, checks)
	folder := t.TempDir()
	text, err := exec.Command("go", "run", "../cmd/leanwicket", "bundle", folder, "../harbour/demo/mooring.form.yaml", "../harbour/demo/vessel.form.yaml", "--package", "saltmarsh-forms").CombinedOutput()
	require.NoError(t, err, string(text))
	page := `<!doctype html><script type="importmap">{"imports": {"saltmarsh-forms": "/package/index.js"}}</script><script type="module">
globalThis.wrong = []; globalThis.logged = []
const log = what => logged.push(String(what)), draw = () => logged.push("draw"), drawOne = field => logged.push(field.raw)
const is = (line, value, want) => { if (JSON.stringify(value) !== JSON.stringify(want)) wrong.push(line + JSON.stringify(value)) }
` + granted + script.String() + "\nglobalThis.done = true</script>"
	b := scriptPage(t, crewForm, func(w http.ResponseWriter, r *http.Request) {
		if name, ok := strings.CutPrefix(r.URL.Path, "/package/"); ok {
			http.ServeFile(w, r, filepath.Join(folder, name))
			return
		}
		if r.URL.Path == "/docs" {
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, page)
			return
		}
		http.NotFound(w, r)
	})
	b.do(chromedp.Navigate(b.site + "/docs"))
	b.becomes("true", "globalThis.done")
	require.Equal(t, "", b.js(`wrong.join("")`))
	return b.js(`logged.filter((l, k) => l !== "draw" || k === 0).join("|")`)
}
