//go:build !js

package browser_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
	"leanwicket.dev/scenario"
	"leanwicket.dev/trace"
)

// virtualTime stands in for the page's clock and its random bits, which the test
// sets.
const virtualTime = `(() => {
  let now = 0, next = 1
  const timers = new Map()
  const first = until => [...timers].filter(([, t]) => t.at <= until).sort((a, b) => a[1].at - b[1].at || a[0] - b[0])[0]
  const fire = ([id, t]) => { timers.delete(id); now = Math.max(now, t.at); t.f() }
  globalThis.setTimeout = (f, ms = 0) => { timers.set(next, { at: now + ms, f }); return next++ }
  globalThis.clearTimeout = id => timers.delete(id)
  performance.now = () => now
  crypto.getRandomValues = a => a.fill(7)
  globalThis.clock = {
    to(ms) { for (let t; t = first(ms - 1);) fire(t); now = ms }, // what is due at ms itself is still to come
    ring(ms) { const t = first(ms); if (t) fire(t); return Boolean(t) },
  }
})()`

// step is an event of the virtual playing, and the request that it answers.
type step struct {
	at     time.Duration
	event  lifecycle.Event
	answer string // names the request; empty means that it answers none
}

// backend answers the requests of a page when it is told to.
type backend struct {
	form     *form.Form
	mu       sync.Mutex
	answers  map[string][]scenario.Reply // by kind of request
	arrived  map[string]int
	held     map[string]chan struct{}
	sent     []string // what came with each submission
	wentTo   []string
	broken   int // replies that broke: for each the page looks whether the address of the load redirects
	finished chan struct{}
}

// held names the n-th request of a kind.
func held(kind string, n int) string { return kind + " " + strconv.Itoa(n) }

func (b *backend) gate(name string) chan struct{} {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.held[name] == nil {
		b.held[name] = make(chan struct{})
	}
	return b.held[name]
}

// answer waits until it may, and answers as the scenario does.
func (b *backend) answer(w http.ResponseWriter, r *http.Request, kind string) {
	b.mu.Lock()
	n := b.arrived[kind]
	b.arrived[kind]++
	b.mu.Unlock()
	select {
	case <-b.gate(held(kind, n)):
	case <-r.Context().Done():
		return
	case <-b.finished:
		return
	}
	if n >= len(b.answers[kind]) {
		w.WriteHeader(http.StatusInternalServerError)
		return
	}
	a := b.answers[kind][n]
	if a.Broken {
		b.mu.Lock()
		b.broken++
		b.mu.Unlock()
		panic(http.ErrAbortHandler)
	}
	for name, value := range a.Header {
		w.Header().Set(name, value)
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(a.Status)
	if a.Body != nil {
		_ = json.NewEncoder(w).Encode(a.Body)
	}
}

// matches reports whether an address is the one that a form declares, which has
// perhaps a value in it.
func matches(declared, address string) bool {
	before, after, holds := strings.Cut(declared, "{value}")
	return declared == address || holds && strings.HasPrefix(address, before) && strings.HasSuffix(address, after)
}

func (b *backend) site(form *form.Form, page http.Handler) http.Handler {
	mux := http.NewServeMux()
	mux.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	mux.Handle("/page", page)
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Sec-Fetch-Dest") == "document" { // a page that nobody leaves for good
			b.mu.Lock()
			b.wentTo = append(b.wentTo, r.URL.Path)
			b.mu.Unlock()
			w.WriteHeader(http.StatusNoContent)
			return
		}
		address := r.URL.RequestURI()
		switch {
		case r.Method != http.MethodGet && matches(form.Submit.URL, address):
			body, _ := io.ReadAll(r.Body)
			b.mu.Lock()
			b.sent = append(b.sent, fmt.Sprint(r.Method, " ", address, " ", r.Header.Get("Idempotency-Key"), " ", r.Header.Get("If-Match"), " ", string(body)))
			b.mu.Unlock()
			b.answer(w, r, "submit")
		case matches(form.Prefill.URL, address):
			b.mu.Lock()
			looks := b.broken > 0
			b.broken = max(0, b.broken-1)
			b.mu.Unlock()
			if !looks {
				b.answer(w, r, "load")
			}
		default:
			for f := range form.Fields {
				if field := &form.Fields[f]; field.Check.URL != "" && matches(field.Check.URL, address) {
					b.answer(w, r, "check "+field.Path)
					return
				}
			}
			http.NotFound(w, r)
		}
	})
	return mux
}

// played is a scenario in virtual time: what happened, what was sent, and the
// session at its end.
func played(t *testing.T, s *scenario.Scenario) (steps []step, sent []string, session *lifecycle.Session) {
	form := s.Form()
	session, effects := lifecycle.Open(form, lifecycle.Seed(bytes.Repeat([]byte{7}, 16))) // as virtualTime has it
	names, made, aborted := map[string]string{}, map[string]int{}, map[string]bool{}
	asked := func(effects []lifecycle.Effect) {
		for _, e := range effects {
			kind := ""
			switch e.Kind {
			case lifecycle.EffectLoad:
				kind = "load"
			case lifecycle.EffectCheck:
				kind = "check " + form.Fields[e.Place.Field].Path
			case lifecycle.EffectSend:
				kind = "submit"
				r := runner.RequestOf(form, e)
				sent = append(sent, fmt.Sprint(r.Method, " ", r.URL, " ", r.Key, " ", r.Version, " ", string(r.Body)))
			case lifecycle.EffectAbort: // whose answer reaches no page any more
				aborted[names[fmt.Sprint(e.Request, e.Attempt, e.Try)]] = e.Request != 0
				continue
			default:
				continue
			}
			names[fmt.Sprint(e.Request, e.Attempt, e.Try)] = held(kind, made[kind])
			made[kind]++
		}
	}
	asked(effects)
	result := scenario.Play(s, scenario.Options{Each: func(at time.Duration, e lifecycle.Event) {
		x := step{at: at, event: e}
		if e.Request != 0 || e.Reply != nil {
			x.answer = names[fmt.Sprint(e.Request, e.Attempt, e.Try)]
		}
		if !aborted[x.answer] {
			steps = append(steps, x)
		}
		effects, _ := session.Apply(e)
		asked(effects)
	}})
	require.Empty(t, result.Failures)
	return steps, sent, session
}

// Every scenario of the harbour runs in a real browser as it does in virtual time:
// by clicks and keys, against a server that answers when and what the scenario
// says. The page ends in the same state, and the server has got the same.
func TestScenariosInTheBrowser(t *testing.T) {
	b := openTab(t)
	b.accept.Store(true)
	_, err := chromedp.Call(b.ctx, cdppage.AddScriptToEvaluateOnNewDocument, cdppage.AddScriptToEvaluateOnNewDocumentParams{Source: virtualTime})
	require.NoError(t, err)
	names, err := fs.Glob(harbour.Files(), "*.scenario.yaml")
	require.NoError(t, err)
	for _, name := range names {
		t.Run(strings.TrimSuffix(name, ".scenario.yaml"), func(t *testing.T) {
			s, err := scenario.NewReader(harbour.Files()).File(name)
			require.NoError(t, err)
			b.t = t
			b.scenario(s)
		})
	}
}

func (b *tab) scenario(s *scenario.Scenario) {
	t, form := b.t, s.Form()
	steps, sent, session := played(t, s)
	server := &backend{
		form:    form,
		answers: map[string][]scenario.Reply{"load": s.Backend.Prefill, "submit": s.Backend.Submit},
		arrived: map[string]int{}, held: map[string]chan struct{}{}, finished: make(chan struct{}),
	}
	for _, c := range s.Backend.Checks {
		server.answers["check "+c.Path] = c.Replies
	}
	web := httptest.NewUnstartedServer(server.site(form, handler(t, s.Source)))
	web.Config.SetKeepAlivesEnabled(false) // a browser sends once more what breaks on a connection that was used before
	web.Start()
	defer func() { close(server.finished); web.CloseClientConnections(); web.Close() }()
	b.site = web.URL
	if s.Draft != nil {
		b.do(chromedp.Navigate(b.site + "/leanwicket/leanwicket.d.ts"))
		kept, err := json.Marshal(string(trace.AppendDraft(nil, form, s.Draft)))
		require.NoError(t, err)
		b.js(`sessionStorage.setItem("leanwicket tab", "1")`)
		b.js(`localStorage.setItem("leanwicket  /page ` + form.Name + ` @1", Date.now() + " " + (Date.now() + 86400000) + "  " + ` + string(kept) + `)`)
	}
	b.open("/page")
	b.js(`globalThis.early = leanwicket.session(document.forms[0]).reading()`)
	defer func() {
		if t.Failed() {
			text, _ := b.ask(`leanwicket.trace(document.forms[0])`)
			t.Log(text)
		}
	}()
	for _, x := range steps {
		b.js(fmt.Sprintf(`clock.to(%d)`, x.at.Milliseconds()))
		b.happens(server, x)
	}
	for path, want := range finally(session) {
		require.Equal(t, want, b.now(path), path)
	}
	server.mu.Lock()
	defer server.mu.Unlock()
	require.Equal(t, sent, server.sent)
}

// happens makes one event of a session happen in the page.
func (b *tab) happens(server *backend, x step) {
	e := x.event
	click := func(selector string) {
		found := b.js(`(() => { const all = [...document.querySelectorAll(` + quote(selector) + `)].filter(e => e.checkVisibility()); return all.length })()`)
		require.NotEqual(b.t, "0", found, selector)
		b.do(chromedp.Click(chromedp.CSS(selector)))
	}
	switch e.Kind {
	case lifecycle.EventRestored:
	case lifecycle.EventElapsed:
		require.Equal(b.t, "true", b.js(fmt.Sprintf(`clock.ring(%d)`, x.at.Milliseconds())), "no timer is due")
	case lifecycle.EventEdit:
		if b.now("leave") == "gone" { // there is no page to type in
			return
		}
		b.edit(e.Path, e.Raw)
	case lifecycle.EventBlur:
		b.js(`document.activeElement.blur()`)
	case lifecycle.EventSubmit:
		button := e.Button
		if button == "" {
			button = b.js(`document.querySelector(".leanwicket-form > .leanwicket-buttons button").value`)
		}
		click(`.leanwicket-form > .leanwicket-buttons button[value="` + button + `"]`)
	case lifecycle.EventAddRow:
		click(`button[name=leanwicket-add][value="` + e.Path + `"]`)
	case lifecycle.EventRemoveRow:
		if selector := `button[name=leanwicket-remove][value="` + e.Path + `"]`; b.js(`Boolean(document.querySelector(`+quote(selector)+`))`) == "true" {
			click(selector)
		}
	case lifecycle.EventResolve:
		click(`button[name=leanwicket-` + e.Choice.String() + `][value="` + e.Path + `"]`)
	case lifecycle.EventLeaveDecided:
		click(`dialog button[value=` + e.Decision.String() + `]`)
	case lifecycle.EventLeaveAsked:
		b.leave(e)
	case lifecycle.EventSupplied:
		supply := `leanwicket.session(document.forms[0]).reading()`
		if e.After == 0 {
			supply = `early`
		}
		b.js(supply + `(` + string(server.form.AppendBody(nil, e.Values)) + `, ` + quote(e.Version) + `)`)
	case lifecycle.EventReturned:
		b.js(`window.dispatchEvent(new PageTransitionEvent("pageshow", {persisted: true}))`)
	case lifecycle.EventCancel, lifecycle.EventRetry, lifecycle.EventReset, lifecycle.EventRefresh:
		b.js(`leanwicket.tell(document.forms[0], "` + e.Kind.String() + `")`)
	case lifecycle.EventMoveRow:
		if _, up := markup.MoveOf(e.Path); up == e.To {
			click(`button[name=leanwicket-move][value="` + e.Path + `"]`)
			return
		}
		b.js(`leanwicket.tell(document.forms[0], "move row", "` + e.Path + `", "` + e.To + `")`)
	default:
		require.NotEmpty(b.t, x.answer, e.Kind.String())
		before := b.js(`leanwicket.trace(document.forms[0]).split("\n").length`)
		gate := server.gate(x.answer)
		select {
		case <-gate: // it arrives a second time, which no browser lets through
			return
		default:
			close(gate)
		}
		b.becomes("true", `leanwicket.trace(document.forms[0]).split("\n").length > `+before)
	}
}

// leave follows a link, or closes the page as far as it can tell.
func (b *tab) leave(e lifecycle.Event) {
	if e.LeaveKind == lifecycle.LeaveUnload || b.now("unsaved") == "false" && b.js(state) != "sending" { // nothing is asked: the browser follows the link
		b.js(`window.dispatchEvent(new PageTransitionEvent("pagehide", {persisted: true}))`)
		return
	}
	to, _ := json.Marshal(e.To)
	b.js(`(() => { const a = document.createElement("a"); a.href = ` + string(to) + `; a.id = "away"; a.textContent = "away"; document.body.prepend(a) })()`)
	b.do(chromedp.Click(chromedp.CSS("#away")))
	b.js(`document.getElementById("away").remove()`)
}

// edit types, ticks or chooses.
func (b *tab) edit(path, raw string) {
	quoted, _ := json.Marshal(path)
	kind := b.js(`(() => { const c = document.forms[0].querySelector("[name=" + CSS.escape(` + string(quoted) + `) + "]"); return !c || c.closest("[hidden]") ? "none" : c.type })()`)
	switch kind {
	case "none":
		value, _ := json.Marshal(raw)
		b.js(`leanwicket.tell(document.forms[0], "edit", ` + string(quoted) + `, ` + string(value) + `)`)
	case "checkbox", "radio":
		values := strings.Split(raw, "\n")
		for _, id := range strings.Fields(b.js(`[...document.forms[0].querySelectorAll("[name=" + CSS.escape(` + string(quoted) + `) + "]")].filter(c => { const want = (` + list(values) + `).includes(c.value); return c.checked !== want && (want || c.type === "checkbox") }).map(c => c.id).join(" ")`)) {
			b.do(chromedp.Click(chromedp.CSS(`[id="` + id + `"]`)))
		}
	default:
		b.js(`(() => { const c = document.forms[0].elements[` + string(quoted) + `]; c.focus(); c.select?.() })()`)
		if raw == "" {
			raw = "\b"
		}
		b.do(chromedp.KeyEvent(strings.ReplaceAll(raw, "\n", "\r")))
	}
}

func quote(text string) string {
	data, _ := json.Marshal(text)
	return string(data)
}

func list(texts []string) string {
	data, _ := json.Marshal(texts)
	return string(data)
}

// finally is what a session's page shows at its end.
func finally(s *lifecycle.Session) map[string]string {
	shown := map[string]string{"submission": s.Submission().String(), "prefill": s.Prefill().String(), "leave": s.Leaving().String(), "unsaved": strconv.FormatBool(s.Unsaved())}
	for f := range s.Fields() {
		if d := f.Declared(); d.Kind == form.KindRows {
			shown[f.Path()] = strconv.Itoa(f.Rows())
		} else if f.Asked() && d.Kind != form.KindFile {
			values := strings.Split(f.Raw(), "\n")
			slices.Sort(values)
			shown[f.Path()] = strings.Join(values, "\n")
			if d.Kind == form.KindBoolean && f.Raw() == "false" {
				shown[f.Path()] = ""
			}
		}
	}
	return shown
}

// now is the same, as the page has it.
func (b *tab) now(what string) string {
	switch what {
	case "submission":
		return b.js(state)
	case "prefill", "leave":
		return b.js(`document.forms[0].dataset.leanwicket` + strings.ToUpper(what[:1]) + what[1:])
	case "unsaved":
		return b.js(`document.forms[0].hasAttribute("data-leanwicket-unsaved")`)
	}
	name, _ := json.Marshal(what)
	return b.js(`[...document.forms[0].querySelectorAll("[name=" + CSS.escape(` + string(name) + `) + "]")].filter(c => c.type !== "checkbox" && c.type !== "radio" || c.checked).map(c => c.value).sort().join("\n")`)
}
