package try_test

import (
	"encoding/json"
	"encoding/pem"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/try"
)

const gardenForm = `form: garden
schema: {properties: {keeper: {type: string, minLength: 3}, plot: {type: string, oneOf: [{const: a, title: By the wall}, {const: b, title: By the pond}]}}, required: [keeper, plot]}
fields: {keeper: {label: Keeper, samples: [Ada, Bruno, Clara]}, plot: {label: Plot, samples: [a, b]}}
prefill: {url: /graph}
submit: {url: /graph, timeout: 3s}
refused: {inBody: /errors}
accepted: {then: keep}
`

// A page of an application behind a sign-in, with a certificate of its own, basic
// authentication, a header, and one address for everything that it asks.
const gardenPage = `<!doctype html><meta charset=utf-8><title>Garden</title>
<form novalidate><p><label>Keeper <input id=who aria-describedby=e1></label> <span id=e1></span></p>
<p>Plot <button type=button id=plot>Choose</button> <span id=menu hidden><a>By the wall</a> <a>By the pond</a></span> <span id=e2></span></p>
<button>Send</button> <p role=status></p></form>
<script>
const graph = (name, query, variables) => fetch("/graph", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ query: query + " " + name + " { x }", variables }), signal: AbortSignal.timeout(3000) }).then(r => { if (!r.ok) throw r; return r.json() })
const who = document.getElementById("who"), plot = document.getElementById("plot"), menu = document.getElementById("menu"), said = document.querySelector("[role=status]"), button = document.querySelector("form > button")
let value = "", key = crypto.randomUUID(), sending = false, typed = false
fetch("/api/account").then(r => r.json()).then(a => { document.title = "Garden of " + a.name })
graph("Plot", "query").then(b => { if (!typed) who.value = b.data.plot.keeper }).catch(() => {})
plot.onclick = () => { menu.hidden = false }
menu.onclick = e => { value = e.target.textContent === "By the wall" ? "a" : "b"; plot.textContent = e.target.textContent; menu.hidden = true; document.getElementById("e2").textContent = "" }
who.oninput = () => { typed = true; document.getElementById("e1").textContent = ""; who.ariaInvalid = "false" }
document.forms[0].onsubmit = async e => {
  e.preventDefault()
  if (sending) return
  if (who.value.length < 3) { document.getElementById("e1").textContent = "Who keeps it?"; who.focus(); return }
  if (!value) { document.getElementById("e2").textContent = "Which plot?"; plot.focus(); return }
  sending = true; button.ariaDisabled = "true"
  try {
    const answer = await graph("Keep", "mutation", { key, keeper: who.value, plot: value })
    if (answer.errors) { document.getElementById("e1").textContent = answer.errors[0].message; who.ariaInvalid = "true"; who.focus(); key = crypto.randomUUID() }
    else { said.textContent = "It is yours, " + answer.data.keep.number + "."; key = crypto.randomUUID() }
  } catch { said.textContent = "It is not known whether this arrived." }
  sending = false; button.ariaDisabled = "false"
}
</script>`

func TestAnApplicationBehindASignIn(t *testing.T) {
	chromiumtest.Find(t)
	var changed, signedIn atomic.Int32
	mux := http.NewServeMux()
	mux.HandleFunc("GET /sign-in", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, `<!doctype html><form method=post action=/session><input id=user name=user><input id=word name=word type=password><button id=go>Go</button></form>`)
	})
	mux.HandleFunc("POST /session", func(w http.ResponseWriter, r *http.Request) {
		if r.FormValue("user") == "egret" && r.FormValue("word") == "reeds" {
			signedIn.Add(1)
			http.SetCookie(w, &http.Cookie{Name: "session", Value: "open", HttpOnly: true, Secure: true, Path: "/"})
		}
		http.Redirect(w, r, "/welcome", http.StatusSeeOther)
	})
	mux.HandleFunc("GET /welcome", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, `<!doctype html><p id=welcome>Welcome.</p><script>localStorage.token = "reeds"</script>`)
	})
	mux.HandleFunc("GET /garden", func(w http.ResponseWriter, r *http.Request) {
		session, _ := r.Cookie("session")
		theme, _ := r.Cookie("theme")
		if session == nil || theme == nil {
			http.Error(w, "Sign in.", http.StatusForbidden)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, strings.Replace(gardenPage, "<form", `<script>if (localStorage.token !== "reeds") document.write("Sign in first.")</script><form`, 1))
	})
	mux.HandleFunc("POST /graph", func(http.ResponseWriter, *http.Request) { changed.Add(1) })
	server := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, word, _ := r.BasicAuth()
		if user != "office" || word != "quay" || r.Header.Get("X-Harbour") != "saltmarsh" {
			http.Error(w, "Who are you?", http.StatusUnauthorized)
			return
		}
		mux.ServeHTTP(w, r)
	}))
	defer server.Close()
	dir, source := beside(t, gardenForm, "")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "office.pem"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw}), 0o644))
	t.Setenv("QUAY_WORD", "quay")
	text := `page: ` + server.URL + `/garden
certificate: office.pem
user: office
password: ${QUAY_WORD}
headers: {X-Harbour: saltmarsh}
cookies: {theme: dark}
signIn:
  page: /sign-in
  steps: [{type: egret, into: "#user"}, {type: reeds, into: "#word"}, {click: "#go"}, {until: "#welcome"}]
  sends: [POST /session]
fields:
  plot: {control: "#plot", steps: [{click: "#plot"}, {click: "#menu a", reading: "{label}"}]}
submit: {operation: Keep}
load: {operation: Plot}
key: {body: /variables/key}
record: {body: {data: {plot: {keeper: Wren}}}, at: /data/plot}
refusal: {errors: [{path: [keeper], message: Wren keeps it already.}]}
accepted: {status: 200, body: {data: {keep: {number: 7}}}}
answers: [{url: /api/account, body: {name: Egret}}]
excused: {asks-at-reload: The garden keeps drafts.}
`
	only := []string{"load-over-typing", "load-fails", "invalid-by-button", "two-clicks-40", "body-as-declared", "pending-ends", "refusal-shown", "refusal-at-its-field", "lost-reply", "key-after-refusal", "key-after-success", "success-told", "asks-at-reload"}
	answer, err := try.Run(t.Context(), source, try.Options{Declared: declared(t, source, text, nil), Only: only})
	require.NoError(t, err)
	require.Equal(t, int32(1), signedIn.Load())
	for _, r := range answer.Results {
		switch want := try.Kept; r.Trial {
		case "asks-at-reload":
			require.Equal(t, try.Excused, r.Verdict)
			require.Equal(t, "The garden keeps drafts.", r.Why)
		case "lost-reply":
			require.Equal(t, want, r.Verdict, "%s: %s", r.Trial, r.Why)
			require.NotEmpty(t, r.Requests[len(r.Requests)-1].Key)
		default:
			require.Equal(t, want, r.Verdict, "%s: %s", r.Trial, r.Why)
		}
	}
	require.Zero(t, changed.Load(), "nothing reached the real server")
	var junit strings.Builder
	require.NoError(t, answer.WriteJUnit(&junit))
	require.Contains(t, junit.String(), `<skipped message="excused: The garden keeps drafts."></skipped>`)

	for old, new := range map[string]string{"certificate: office.pem\n": "", "reeds, into": "weeds, into", "user: office\n": ""} {
		_, err := try.Run(t.Context(), source, try.Options{Declared: declared(t, source, strings.Replace(text, old, new, 1), nil), Only: only[:1]})
		require.Error(t, err, old)
		if new == "" && strings.HasPrefix(old, "certificate") {
			require.ErrorContains(t, err, "certificate")
		}
	}
}

// What is written wrongly is told with its place; what is right is right by the schema too.
func TestTryFiles(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "garden.form.yaml"), []byte(gardenForm), 0o644))
	source, err := declare.Open(filepath.Join(dir, "garden.form.yaml"))
	require.NoError(t, err)
	name := try.DeclarationsBeside(source.File)
	require.Equal(t, filepath.Join(dir, "garden.try.yaml"), name)
	var schema any
	require.NoError(t, json.Unmarshal(try.FileSchema, &schema))
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("try", schema))
	compiled := compiler.MustCompile("try")
	for text, wrong := range map[string]string{
		"page: site\nstart: /new\nfallback: index.html\n":          "",
		"fields: {plot: {steps: [{click: li, reading: x}]}}":       "",
		"record: {keeper: Wren}\nrefusal: {errors: {keeper: No.}}": "",
		"key: {header: X-Key}\nignore: ['#clock']":                 "",
		"pages: x":                                  ":1:1: found the unknown key pages; right would be page",
		"fields: {pond: {control: x}}":              ":1:10: found the unknown key pond; right would be keeper or plot",
		"fields: {keeper: {typed: x}}":              ":1:19: found the unknown key typed; right would be control, before or steps",
		"steps: [{click: a, until: b}]":             ":1:10: found a step that is not one thing; right would be {click: ",
		"steps: [{type: a}]":                        "found a step that is not one thing",
		"key: {}":                                   "found a mapping; right would be {header: NAME} or {body: /POINTER}",
		"key: {body: a}":                            `found "a"; right would be a JSON pointer`,
		"answers: [{status: 200}]":                  "found an answer without a url",
		"excused: {two-clicks: Because.}":           `found "two-clicks"; right would be `,
		"excused: {two-clicks-40: ''}":              "found no reason; right would be why two-clicks-40 is not made",
		"refusal: nothing.json":                     "a file that cannot be read",
		"refusal: garden.form.yaml":                 "found no JSON in garden.form.yaml",
		"password: ${QUAY_NOBODY}":                  "found ${QUAY_NOBODY}, which the environment does not have",
		"page: http://127.0.0.1/\nstart: /x":        "found a start in an address",
		"signIn: {steps: []}":                       "found a sign-in without steps",
		"signIn: {steps: [{click: a}], sends: [x]}": `found "x"; right would be a method and a path`,
		"certificate: garden.form.yaml":             "found no certificate in garden.form.yaml",
	} {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		_, err := try.ReadDeclarations(name, source.Form)
		if wrong != "" {
			require.ErrorContains(t, err, wrong, text)
			continue
		}
		require.NoError(t, err, text)
		root, err := document.Read(name, []byte(text))
		require.NoError(t, err)
		require.NoError(t, compiled.Validate(root.Any()), text)
	}
}

// The try file of docs/try.md is one, for a form with its fields.
func TestTheDocsTryFile(t *testing.T) {
	docs, err := os.ReadFile(filepath.Join("..", "docs", "try.md"))
	require.NoError(t, err)
	_, rest, _ := strings.Cut(string(docs), "```yaml\n")
	text, _, found := strings.Cut(rest, "```")
	require.True(t, found)
	dir := t.TempDir()
	server := httptest.NewTLSServer(http.NotFoundHandler())
	defer server.Close()
	for name, data := range map[string]string{
		"permit.form.yaml": "form: permit\nschema: {properties: {vessel: {properties: {name: {type: string}}}, crew: {type: array, items: {properties: {name: {type: string}}}}, berth: {type: string}, arrival: {type: string, format: date}, notes: {type: string}}}\nsubmit: {url: /permits}\n",
		"permit.try.yaml":  text, "permit.json": "{}", "refusal.json": "{}",
		"office.pem": string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw})),
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(data), 0o644))
	}
	t.Setenv("OFFICE_PASSWORD", "quay")
	t.Setenv("REEDS", "reeds")
	source, err := declare.Open(filepath.Join(dir, "permit.form.yaml"))
	require.NoError(t, err)
	d, err := try.ReadDeclarations(try.DeclarationsBeside(source.File), source.Form)
	require.NoError(t, err)
	require.Equal(t, "quay", d.Password)
	require.Len(t, d.Controls, 6)
}

// A first try file names what was found, guesses what was not, and can be tried.
func TestAFirstTryFile(t *testing.T) {
	dir, source := beside(t, gardenForm, strings.Replace(gardenPage, "id=who", "id=keeper-name placeholder=Name", 1))
	text, err := try.First(t.Context(), source, try.Options{Page: dir})
	require.NoError(t, err)
	for _, says := range []string{"page: \".\"\n", "# These fields were found by their names or labels: keeper.\n", `# plot: {control: "…"}`, "#   - {method: GET, url: \"/api/account\", body: {}}\n"} {
		require.Contains(t, text, says)
	}
	markup, err := try.Markup(t.Context(), source, try.Options{Page: dir})
	require.NoError(t, err)
	require.Contains(t, markup, `<title>Garden</title>`)
	d := declared(t, source, text, nil)
	require.Equal(t, filepath.Clean(dir), d.Page)
}

func FuzzTryFile(f *testing.F) {
	source, err := declare.OpenFunc("garden.form.yaml", func(string) ([]byte, error) { return []byte(gardenForm), nil })
	require.NoError(f, err)
	f.Add("page: x\nfields: {plot: {before: [{click: a}]}}\nkey: {body: /a}\nexcused: {two-clicks-40: x}")
	f.Add("steps: [{type: a, into: b}, {until: c}]\nanswers: [{url: /a, status: 404, body: {}}]")
	dir := f.TempDir()
	f.Fuzz(func(t *testing.T, text string) {
		name := filepath.Join(dir, "garden.try.yaml")
		require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
		_, err := try.ReadDeclarations(name, source.Form)
		var problems form.Problems
		if err != nil {
			require.ErrorAs(t, err, &problems)
		}
	})
}
