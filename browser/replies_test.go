//go:build !js

package browser_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
	"leanwicket.dev/runner/overhttp"
)

// cameRow is a reply as a network gives it, and what each form takes it for: one that declares
// nothing but signInPaths, one that declares all, and one that loads from it.
type cameRow struct {
	name, raw             string
	plain, declared, load string
}

const saved = `{"keeper":"Ada","id":7}`

func http1(status, kind, body string) string {
	text := "HTTP/1.1 " + status + " X\r\nConnection: close\r\n"
	if kind != "" {
		text += "Content-Type: " + kind + "\r\n"
	}
	return text + fmt.Sprintf("Content-Length: %d\r\n\r\n%s", len(body), body)
}

func to(address string) string {
	return "HTTP/1.1 302 Found\r\nConnection: close\r\nContent-Length: 0\r\nLocation: " + address + "\r\n\r\n"
}

func open302(lines string) string { return "HTTP/1.1 " + lines + "\r\nConnection: close\r\n\r\n" }

func gzipped(text string) string {
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	_, _ = w.Write([]byte(text))
	_ = w.Close()
	return out.String()
}

// cameRows are the rows. What is short for "unsettled, and what was typed is still there" is empty; "denied" and
// "refused" keep it as well. A load that is empty has failed, and holds.
func cameRows(elsewhere string) []cameRow {
	const page = "<!doctype html><title>Harbour net</title><h1>Sign in to the harbour net</h1>"
	const asJSON = "application/json"
	compressed := gzipped(saved)
	deep := `{"keeper":"Ada","id":7,"x":` + strings.Repeat("[", 1000) + strings.Repeat("]", 1000) + "}"
	large := `{"keeper":"Ada","id":7,"x":"` + strings.Repeat("x", 5<<20) + `"}`
	return []cameRow{
		{"created, nothing", http1("201", "", ""), "accepted", "", ""},
		{"data", http1("200", asJSON, saved), "accepted", "accepted", "ready"},
		{"data, with its charset", http1("200", "application/json; charset=UTF-8", saved), "accepted", "accepted", "ready"},
		{"data of a dialect", http1("201", "application/vnd.harbour+json", saved), "accepted", "accepted", ""},
		{"data without a type", http1("200", "", saved), "accepted", "accepted", "ready"},
		{"data with a type that is none", http1("200", "nonsense", saved), "accepted", "accepted", "ready"},
		{"no content", "HTTP/1.1 204 X\r\nConnection: close\r\n\r\n", "accepted", "", ""},
		{"an empty object", http1("200", asJSON, "{}"), "accepted", "", "ready"},
		{"null", http1("200", asJSON, "null"), "accepted", "", ""},
		{"an empty list", http1("200", asJSON, "[]"), "accepted", "", ""},
		{"another record", http1("200", asJSON, `{"id":7,"berth":"B2"}`), "accepted", "accepted", ""},
		{"no id", http1("200", asJSON, `{"keeper":"Ada","id":""}`), "accepted", "", "ready"},
		{"a part", http1("206", asJSON, saved), "accepted", "accepted", ""},
		{"plain text", http1("200", "text/plain", "OK"), "accepted", "", ""},
		{"bytes", http1("200", "application/octet-stream", "\x00\xff"), "accepted", "", ""},
		{"compressed", http1("200", asJSON+"\r\nContent-Encoding: gzip", compressed), "accepted", "accepted", "ready"},
		{"a byte order mark", http1("200", asJSON, "\xef\xbb\xbf"+saved), "accepted", "accepted", "ready"},
		{"two types, data last", http1("200", "text/html\r\nContent-Type: application/json", saved), "accepted", "accepted", "ready"},
		{"two types, a page last", http1("200", "application/json\r\nContent-Type: text/html", saved), "", "", ""},
		{"a page", http1("200", "text/html; charset=utf-8", page), "", "", ""},
		{"a page, created", http1("201", "TEXT/HTML", page), "", "", ""},
		{"a page in XML", http1("200", "application/xhtml+xml", page), "", "", ""},
		{"data that says it is a page", http1("200", "text/html", saved), "", "", ""},
		{"a page that says it is data", http1("200", asJSON, page), "", "", ""},
		{"half a body", open302("200 X\r\nContent-Type: application/json\r\nContent-Length: 900") + saved, "", "", ""},
		{"half a body, in chunks", open302("200 X\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked") + "17\r\n" + saved + "\r\n40\r\n{", "", "", ""},
		{"half an object", http1("200", asJSON, saved[:15]), "", "", ""},
		{"an object and more", http1("200", asJSON, saved+"<!-- served by cache 7 -->"), "", "", ""},
		{"two objects", http1("200", asJSON, saved+saved), "", "", ""},
		{"an object with a comma too many", http1("200", asJSON, `{"keeper":"Ada","id":7,}`), "", "", ""},
		{"nothing, where data was said", open302("200 X\r\nContent-Type: application/json"), "", "", ""},
		{"nothing, and its length", http1("200", asJSON, ""), "accepted", "", ""},
		{"no UTF-8", http1("200", asJSON, "{\"keeper\":\"K\xe4the\",\"id\":7}"), "", "", ""},
		{"nested 1,000 deep", http1("200", asJSON, strings.Replace(deep, "[]", "", 1)), "accepted", "accepted", "ready"},
		{"nested 1,001 deep", http1("200", asJSON, deep), "", "", ""},
		{"200,000 values", http1("200", asJSON, `{"keeper":"Ada","id":7,"x":[`+strings.Repeat("{},", 199_995)+"1]}"), "accepted", "accepted", "ready"},
		{"more than 200,000 values", http1("200", asJSON, `{"keeper":"Ada","id":7,"x":[`+strings.Repeat("{},", 199_996)+"1]}"), "", "", ""},
		{"five megabytes", http1("200", asJSON, large), "", "", ""},
		{"compressed, without its end", http1("200", asJSON+"\r\nContent-Encoding: gzip", compressed[:len(compressed)-12]), "", "", ""},
		{"ok is false", http1("200", asJSON, `{"ok":false,"id":7,"keeper":"Ada"}`), "", "accepted", ""},
		{"success is false", http1("200", asJSON, `{"success":false,"keeper":"Ada"}`), "", "", ""},
		{"success is true", http1("200", asJSON, `{"success":true,"id":7,"keeper":"Ada","errors":[],"error":null}`), "accepted", "accepted", "ready"},
		{"an error", http1("200", asJSON, `{"error":"The quay is closed.","id":7,"keeper":"Ada"}`), "", "accepted", ""},
		{"errors", http1("200", asJSON, `{"errors":[{"message":"No."}],"data":null,"keeper":"Ada"}`), "", "", ""},
		{"a failure", http1("200", asJSON, `{"failure":{"keeper":"Is away."},"id":7,"keeper":"Ada"}`), "accepted", "refused", "ready"},
		{"errors below data", http1("200", asJSON, `{"data":{"errors":{"keeper":["Is away."]}},"id":7,"keeper":"Ada"}`), "accepted", "refused", "ready"},
		{"to a page to sign in", to("/sign-in?next=%2F"), "denied", "denied", "denied"},
		{"to a page to sign in, as data", to("/sign-in/data"), "denied", "denied", "denied"},
		{"to a page to sign in that fails", to("/sign-in/broken"), "denied", "denied", "denied"},
		{"to a page to sign in, in two steps", to("/hop"), "denied", "denied", "denied"},
		{"to another page", to("/start"), "", "", ""},
		{"to the receipt", to("/plots/7?fresh=1"), "", "accepted", ""},
		{"to below the receipt", to("/plots/7/edit"), "", "", ""},
		{"to a record", to("/records/7"), "accepted", "accepted", "ready"},
		{"to another site", to(elsewhere + "/sign-in"), "", "", ""},
		{"nowhere", open302("302 X\r\nContent-Length: 0"), "", "", ""},
		{"round and round", to("SELF"), "", "", ""},
		{"not modified", open302("304 X"), "", "", ""},
		{"signed out", http1("401", asJSON, `{"title":"Sign in."}`), "denied", "denied", "denied"},
		{"signed out, by the browser's own way", http1("401", "text/html\r\nWWW-Authenticate: Basic realm=\"quay\"", page), "denied", "denied", "denied"},
		{"not allowed, a page", http1("403", "text/html", page), "denied", "denied", "denied"},
		{"not found", http1("404", "text/html", page), "refused", "refused", ""},
		{"a proxy wants a name", http1("407", "text/html", page), "refused", "refused", ""},
		{"too slow", http1("408", "", ""), "", "", ""},
		{"conflict", http1("409", asJSON, `{"title":"The berth is taken."}`), "refused", "refused", ""},
		{"too large", http1("413", "text/html", page), "refused", "refused", ""},
		{"refused", http1("422", asJSON, `{"errors":{"keeper":["Is away."]}}`), "refused", "refused", ""},
		{"refused, half of it", open302("422 X\r\nContent-Type: application/json\r\nContent-Length: 900") + `{"errors":{"keep`, "refused", "refused", ""},
		{"refused, 50 megabytes", "HUGE", "refused", "refused", ""},
		{"underway", http1("409", "text/plain\r\nRetry-After: 1", "Wait."), "", "", ""},
		{"too many", http1("429", "text/plain\r\nRetry-After: 99999999999", "Wait."), "", "", ""},
		{"broken within", http1("500", asJSON, `{"title":"Oops"}`), "", "", ""},
		{"a proxy's page", http1("502", "text/html", page), "", "", ""},
		{"closed", http1("503", "text/html\r\nRetry-After: 3600", page), "", "", ""},
		{"a network wants a name", http1("511", "text/html", page), "", "", ""},
		{"nothing at all", "", "", "", ""},
		{"no HTTP", "220 mail.quay.example ESMTP\r\n", "", "", ""},
		{"no header", "HTTP/1.1 200 X\r\n\r\n" + saved, "", "", ""},
		{"a header and no more", "HTTP/1.1 200 X\r\nContent-Type: application/j", "", "", ""},
	}
}

// hides is where a browser hides what came: who tells what. docs/replies.md lists the rows.
var hides = map[string]string{
	"Go to another site load":                                "failed, held",
	"Chromium to another site load":                          "failed, denied, held",
	"Firefox to another site load":                           "failed, denied, held",
	"Chromium round and round load":                          "failed, denied, held",
	"Firefox round and round load":                           "failed, denied, held",
	"Chromium a proxy wants a name plain":                    "unsettled, Bo Tarn",
	"Chromium a proxy wants a name declared":                 "unsettled, Bo Tarn",
	"Chromium signed out, by the browser's own way plain":    "unsettled, Bo Tarn",
	"Chromium signed out, by the browser's own way declared": "unsettled, Bo Tarn",
	"Chromium signed out, by the browser's own way load":     "failed, held",
	"Chromium compressed, without its end plain":             "accepted, cleared",
	"Chromium compressed, without its end declared":          "accepted, cleared",
	"Chromium compressed, without its end load":              "ready, Bo Tarn",
	"Firefox compressed, without its end plain":              "accepted, cleared",
	"Firefox compressed, without its end declared":           "accepted, cleared",
	"Firefox compressed, without its end load":               "ready, Bo Tarn",
}

// wanted is what a row is to show.
func (r cameRow) wanted() map[string]string {
	full := func(short string) string {
		switch short {
		case "":
			return "unsettled, Bo Tarn"
		case "accepted":
			return "accepted, cleared"
		default:
			return short + ", Bo Tarn"
		}
	}
	load := map[string]string{"": "failed, held", "ready": "ready, Bo Tarn", "denied": "failed, denied, held"}[r.load]
	return map[string]string{r.name + " plain": full(r.plain), r.name + " declared": full(r.declared), r.name + " load": load}
}

const cameForm = `form: plot
given: [row]
schema: {properties: {keeper: {type: string}}, required: [keeper]}
signInPaths: [/sign-in, /sign-in/data, /sign-in/broken]
`

var cameForms = map[string]string{
	"plain":    "submit: {url: '/row/{row}', resend: {times: 0}}\naccepted: {then: clear}\n",
	"declared": "submit: {url: '/row/{row}', resend: {times: 0}}\naccepted: {then: clear, at: '/plots/{id}', has: /id}\nrefused: {inBody: [/failure, /data/errors]}\n",
	"record":   "prefill: {url: '/row/{row}', timeout: 30s}\nsubmit: {url: /row/none, method: PUT}\n",
}

// cameSite serves the rows, byte by byte, and the pages to which they lead.
func cameSite(t *testing.T, seen chan<- []byte) (address string, rows []cameRow) {
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<h1>Sign in</h1>")
	}))
	t.Cleanup(other.Close)
	rows = cameRows(other.URL)
	raw := func(w http.ResponseWriter, text string) {
		c, _, err := w.(http.Hijacker).Hijack()
		if err != nil {
			return
		}
		defer c.Close()
		_, _ = io.WriteString(c, text)
	}
	mux := http.NewServeMux()
	mux.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	mux.HandleFunc("/{$}", func(w http.ResponseWriter, r *http.Request) { http.ServeFile(w, r, "testdata/replies.html") })
	mux.HandleFunc("/forms/{form}", func(w http.ResponseWriter, r *http.Request) {
		_, _ = w.Write(compiled(t, cameForm+cameForms[r.PathValue("form")]))
	})
	mux.HandleFunc("/rows.json", func(w http.ResponseWriter, _ *http.Request) {
		var names []string
		for _, row := range rows {
			names = append(names, row.name)
		}
		_ = json.NewEncoder(w).Encode(names)
	})
	mux.HandleFunc("/seen", func(_ http.ResponseWriter, r *http.Request) {
		text, _ := io.ReadAll(r.Body)
		seen <- text
	})
	mux.HandleFunc("/row/{row}", func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body)
		at := slices.IndexFunc(rows, func(row cameRow) bool { return row.name == r.PathValue("row") })
		switch text := rows[at].raw; text {
		case "HUGE":
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(422)
			for range 50 {
				if _, err := fmt.Fprint(w, strings.Repeat(" ", 1<<20)); err != nil {
					return
				}
			}
		default:
			raw(w, strings.ReplaceAll(text, "SELF", r.URL.EscapedPath()))
		}
	})
	for path, text := range map[string]string{
		"/sign-in": http1("200", "text/html", "<h1>Sign in</h1>"), "/sign-in/data": http1("200", "application/json", saved), "/sign-in/broken": http1("500", "", ""),
		"/hop": to("/sign-in"), "/start": http1("200", "text/html", "<h1>Welcome</h1>"), "/plots/7": http1("200", "text/html", "<h1>Plot 7</h1>"),
		"/plots/7/edit": http1("200", "text/html", "<h1>Plot 7</h1>"), "/records/7": http1("200", "application/json", saved),
	} {
		mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) { raw(w, text) })
	}
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	return server.URL, rows
}

// A reply is taken for the same by Go and in two browsers, over a real network, whatever it is: none
// of these is a success that was none, none clears a form, and none leaves blanks that can be sent over a record.
func TestWhatAReplyIsTakenFor(t *testing.T) {
	require.GreaterOrEqual(t, len(cameRows("")), 60)
	expect := func(t *testing.T, who string, rows []cameRow, seen map[string]string) {
		other := map[string]string{}
		for _, row := range rows {
			for what, want := range row.wanted() {
				if hidden, differs := hides[who+" "+what]; differs {
					want = hidden
				}
				if seen[what] != want {
					other[what] = "wanted " + want + ", seen " + seen[what]
				}
			}
		}
		require.Empty(t, other)
	}
	t.Run("Go", func(t *testing.T) {
		address, rows := cameSite(t, nil)
		seen := map[string]string{}
		for _, row := range rows {
			seen[row.name+" plain"] = submitFromGo(t, address, "plain", row.name)
			seen[row.name+" declared"] = submitFromGo(t, address, "declared", row.name)
			seen[row.name+" load"] = loadFromGo(t, address, row.name)
		}
		expect(t, "Go", rows, seen)
	})
	for _, engine := range engines(t) {
		t.Run(engine.name, func(t *testing.T) {
			if _, err := exec.LookPath(engine.program); err != nil {
				t.Skipf("no %s is installed: apt-get install %s, or run ./test", engine.name, engine.program)
			}
			told := make(chan []byte, 1)
			address, rows := cameSite(t, told)
			visit(t, engine.program, engine.arguments, address)
			select {
			case text := <-told:
				seen := map[string]string{}
				require.NoError(t, json.Unmarshal(text, &seen))
				expect(t, engine.name, rows, seen)
			case <-time.After(6 * time.Minute):
				require.Fail(t, "the page has told nothing")
			}
		})
	}
}

// visit opens a page in a browser until the test ends.
func visit(t *testing.T, program string, arguments []string, page string) {
	profile := chromiumtest.Profile(t)
	// Firefox asks for a name and password by a dialog of its own, which stops the page.
	require.NoError(t, os.WriteFile(filepath.Join(profile, "user.js"), []byte(`user_pref("network.auth.subresource-http-auth-allow", 0);`), 0o600))
	arguments = slices.Clone(arguments)
	for k := range arguments {
		arguments[k] = strings.NewReplacer("PROFILE", profile, "PAGE", page).Replace(arguments[k])
	}
	running := exec.Command(program, arguments...)
	require.NoError(t, running.Start())
	t.Cleanup(func() { _ = running.Process.Kill(); _ = running.Wait() })
}

func fromGo(t *testing.T, address, name, row string, done func(*lifecycle.Session) bool, events ...lifecycle.Event) *lifecycle.Session {
	declared, err := form.Read(compiled(t, cameForm+cameForms[name]))
	require.NoError(t, err)
	steps := make(chan bool, 100)
	r := runner.New(declared, runner.Options{Transport: overhttp.New(nil, address), Given: map[string]string{"row": row}, Observe: func(lifecycle.Step) { steps <- true }})
	defer r.Close()
	for _, e := range events {
		_ = r.Apply(e) // a second one may be held
	}
	var session *lifecycle.Session
	for finished := false; !finished; {
		<-steps
		r.Read(func(s *lifecycle.Session) { session, finished = s, done(s) })
	}
	return session
}

func submitFromGo(t *testing.T, address, name, row string) string {
	s := fromGo(t, address, name, row, func(s *lifecycle.Session) bool {
		return s.Submission() != lifecycle.SubmissionIdle && s.Activity() == lifecycle.ActivityIdle
	},
		lifecycle.Edit("keeper", "Bo Tarn"), lifecycle.Submit(""))
	keeper, _ := s.Field("keeper")
	value := keeper.Raw()
	if value == "" {
		value = "cleared"
	}
	return s.Submission().String() + ", " + value
}

func loadFromGo(t *testing.T, address, row string) string {
	s := fromGo(t, address, "record", row, func(s *lifecycle.Session) bool { return s.Prefill() != lifecycle.PrefillLoading }, lifecycle.Edit("keeper", "Bo Tarn"))
	shown := []string{s.Prefill().String()}
	if notice, _, _ := s.Notice(); notice.ID == form.MessageLoadDenied {
		shown = append(shown, "denied")
	}
	if s.Holds("").Has(lifecycle.HoldPrefillMissing) {
		return strings.Join(append(shown, "held"), ", ")
	}
	keeper, _ := s.Field("keeper")
	return strings.Join(append(shown, keeper.Raw()), ", ")
}

// No driver reads a reply: what its bytes mean is decided in package replies alone.
func TestNoDriverReadsAReply(t *testing.T) {
	files, err := filepath.Glob("script/*.js")
	require.NoError(t, err)
	drivers, err := filepath.Glob("../runner/*/*.go")
	require.NoError(t, err)
	more, err := filepath.Glob("../runner/*.go")
	require.NoError(t, err)
	reads := regexp.MustCompile(`JSON\.parse|\.json\(\)|\.text\(\)|"encoding/json"|headers\.get\("Content-Type"|jsontext`)
	for _, name := range slices.Concat(files, drivers, more) {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		sent := strings.ReplaceAll(string(text), "JSON.parse(request.body)", "") // the body of a request is no reply
		for _, found := range reads.FindAllString(sent, -1) {
			known := found == ".text()" && strings.HasSuffix(name, "core.js") || // the list of the core's functions
				found == "JSON.parse" && strings.HasSuffix(name, "said.js") // what the core has read and says
			require.True(t, known, "%s: %s; right would be to hand over the bytes", name, found)
		}
	}
}

// Where the saved answers come from another site, which shows no version, the console says once what that has to expose.
func TestAHiddenVersionIsTold(t *testing.T) {
	exposes := ""
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Access-Control-Allow-Origin", "*")
		w.Header().Set("Access-Control-Expose-Headers", exposes)
		w.Header().Set("ETag", `"1"`)
		fmt.Fprint(w, saved)
	}))
	defer other.Close()
	const warned = `(async () => {
		const said = [], before = console.warn
		console.warn = text => said.push(text)
		for (let k = 0; k < 2; k++) {
			const s = await openForm("/f.form", { base: "BASE", keep: { hours: 0 } })
			await new Promise(done => { const look = () => s.snapshot.prefill === "ready" && done(); s.observe(look); look() })
			s.close()
		}
		console.warn = before
		return said.length + " " + said.join()
	})()`
	b := scriptPage(t, "form: plot\nschema: {properties: {keeper: {type: string}}}\nprefill: {url: /plot}\nsubmit: {url: /plot, method: PUT}\n", http.NotFound)
	told := b.js(strings.ReplaceAll(warned, "BASE", other.URL))
	require.True(t, strings.HasPrefix(told, "1 "), told)
	require.Contains(t, told, "Access-Control-Expose-Headers: ETag")
	exposes = "ETag"
	b.do(chromedp.Navigate(b.site + "/"))
	b.becomes("function", "typeof openForm")
	require.Equal(t, "0 ", b.js(strings.ReplaceAll(warned, "BASE", other.URL)))
}
