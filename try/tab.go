package try

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	cdpemulation "github.com/chromedp/cdproto/emulation"
	cdpfetch "github.com/chromedp/cdproto/fetch"
	cdpinput "github.com/chromedp/cdproto/input"
	cdpnetwork "github.com/chromedp/cdproto/network"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

//go:embed look.js
var lookScript string

// reply is what a request is answered with.
type reply struct {
	never  bool // not before release
	broken bool
	status int
	body   string
}

func (r reply) String() string {
	switch {
	case r.never:
		return "none"
	case r.broken:
		return "the connection breaks"
	}
	return fmt.Sprint(r.status)
}

// tab is a page that was opened for one trial.
type tab struct {
	*plan
	ctx   context.Context
	page  string
	begun time.Time

	mu       sync.Mutex
	replies  map[string]reply // by kind of request
	waiting  map[string][]*cdpfetch.EventRequestPaused
	requests []Request
	prompts  int
	moments  []Moment
}

// cannot is why a trial ends without a verdict.
type cannot struct{ why string }

func (t *tab) cannot(format string, args ...any) { panic(cannot{fmt.Sprintf(format, args...)}) }

func (t *tab) need(err error) {
	if err != nil {
		t.cannot("the browser: %v", err)
	}
}

func (t *tab) did(who, format string, args ...any) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.moments = append(t.moments, Moment{time.Since(t.begun), who, fmt.Sprintf(format, args...)})
}

// make makes a trial on a page of its own.
func (x trial) make(browser context.Context, page string, p *plan) (result Result, err error) {
	result = Result{Trial: x.name, Asks: x.asks}
	if x.without != nil {
		if why := x.without(p); why != "" {
			result.Verdict, result.Why = NotApplicable, why
			return result, nil
		}
	}
	ctx, cancel := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		return result, fmt.Errorf("the browser opens no page: %w", err)
	}
	t := &tab{plan: p, ctx: ctx, page: page, begun: time.Now(), waiting: map[string][]*cdpfetch.EventRequestPaused{}, replies: map[string]reply{
		"load": {status: 200, body: string(p.record)}, "check": {status: 200, body: "{}"}, "submit": {status: 201, body: `{"id": "R-1"}`},
	}}
	defer func() {
		if failed := recover(); failed != nil {
			why, ok := failed.(cannot)
			if !ok {
				panic(failed)
			}
			result.Verdict, result.Why = CannotTell, why.why
		}
		t.mu.Lock()
		result.Requests, result.Timeline = t.requests, t.moments
		t.mu.Unlock()
		if result.Verdict == Broken {
			limited, cancel := context.WithTimeout(ctx, 5*time.Second)
			defer cancel()
			result.Screenshot, _ = chromedp.Run(limited, chromedp.CaptureScreenshot()) // none while a prompt is open
		}
		if ctx.Err() != nil && browser.Err() != nil {
			err = browser.Err()
		}
	}()
	t.listen()
	result.Verdict, result.Why = x.run(t)
	t.did("verdict", "%s: %s", result.Verdict, result.Why)
	return result, nil
}

func (t *tab) listen() {
	t.need(chromedp.Listen(t.ctx, func(event any) {
		switch e := event.(type) {
		case *cdpfetch.EventRequestPaused:
			go t.paused(e)
		case *cdppage.EventJavascriptDialogOpening:
			t.mu.Lock()
			asks := e.Type == cdppage.DialogTypeBeforeunload
			if asks {
				t.prompts++
			}
			t.mu.Unlock()
			go func() {
				_, _ = chromedp.Call(t.ctx, cdppage.HandleJavaScriptDialog, cdppage.HandleJavaScriptDialogParams{Accept: !asks})
			}()
		}
	}))
	_, err := chromedp.Call(t.ctx, cdpfetch.Enable, cdpfetch.EnableParams{})
	t.need(err)
	_, err = chromedp.Call(t.ctx, cdpemulation.SetFocusEmulationEnabled, cdpemulation.SetFocusEmulationEnabledParams{Enabled: true})
	t.need(err)
}

// paused answers a request that the page makes, or lets it through.
func (t *tab) paused(e *cdpfetch.EventRequestPaused) {
	address, err := url.Parse(e.Request.URL)
	kind := ""
	if err == nil {
		kind = t.kindOf(e.Request.Method, address.Path)
	}
	if e.Request.Method == "OPTIONS" && (kind != "" || t.kindOf("GET", address.Path) != "") { // a backend of another origin is asked first
		t.answer(e, reply{status: 204})
		return
	}
	if kind == "" {
		_, _ = chromedp.Call(t.ctx, cdpfetch.ContinueRequest, cdpfetch.ContinueRequestParams{RequestID: e.RequestID})
		return
	}
	var body []byte
	for _, part := range e.Request.PostDataEntries {
		body = append(body, part.Bytes...)
	}
	key := header(e.Request, "Idempotency-Key")
	t.mu.Lock()
	r := t.replies[kind]
	t.requests = append(t.requests, Request{time.Since(t.begun), kind, e.Request.Method, address.Path, key, string(body), r.String()})
	if r.never {
		t.waiting[kind] = append(t.waiting[kind], e)
	}
	t.mu.Unlock()
	t.did("page", "%s %s", e.Request.Method, address.Path)
	if !r.never {
		t.did("backend", "%s", r)
		t.answer(e, r)
	}
}

func (t *tab) answer(e *cdpfetch.EventRequestPaused, r reply) {
	if r.broken {
		_, _ = chromedp.Call(t.ctx, cdpfetch.FailRequest, cdpfetch.FailRequestParams{RequestID: e.RequestID, ErrorReason: cdpnetwork.ErrorReasonConnectionReset})
		return
	}
	kind, body := "application/json", r.body
	if r.status >= 400 {
		kind = "application/problem+json"
	}
	if e.ResourceType == cdpnetwork.ResourceTypeDocument { // a form that the browser sends itself
		kind, body = "text/html", fmt.Sprintf("<!doctype html><title>%d</title><p>The office answers with %d.", r.status, r.status)
	}
	headers := []*cdpfetch.HeaderEntry{{Name: "Content-Type", Value: kind}}
	if origin := header(e.Request, "Origin"); origin != "" { // Fetch, section "CORS protocol"
		headers = append(headers,
			&cdpfetch.HeaderEntry{Name: "Access-Control-Allow-Origin", Value: origin},
			&cdpfetch.HeaderEntry{Name: "Access-Control-Allow-Credentials", Value: "true"},
			&cdpfetch.HeaderEntry{Name: "Access-Control-Allow-Methods", Value: "GET, POST, PUT, PATCH, DELETE"},
			&cdpfetch.HeaderEntry{Name: "Access-Control-Allow-Headers", Value: header(e.Request, "Access-Control-Request-Headers")},
		)
	}
	_, _ = chromedp.Call(t.ctx, cdpfetch.FulfillRequest, cdpfetch.FulfillRequestParams{
		RequestID: e.RequestID, ResponseCode: int64(r.status), Body: []byte(body), ResponseHeaders: headers,
	})
}

// header is one of a request's, or nothing.
func header(r *cdpnetwork.Request, name string) string {
	for n, value := range r.Headers {
		if strings.EqualFold(n, name) {
			return fmt.Sprint(value)
		}
	}
	return ""
}

// replying sets what requests of a kind are answered with from now on.
func (t *tab) replying(kind string, r reply) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.replies[kind] = r
}

// release answers what has waited.
func (t *tab) release(kind string, r reply) {
	t.mu.Lock()
	waiting := t.waiting[kind]
	t.waiting[kind] = nil
	t.replies[kind] = r
	t.mu.Unlock()
	for _, e := range waiting {
		t.did("backend", "%s", r)
		t.answer(e, r)
	}
}

// sent are the submissions so far.
func (t *tab) sent() []Request {
	t.mu.Lock()
	defer t.mu.Unlock()
	return slices.DeleteFunc(slices.Clone(t.requests), func(r Request) bool { return r.Kind != "submit" })
}

func (t *tab) asked(kind string) int {
	t.mu.Lock()
	defer t.mu.Unlock()
	n := 0
	for _, r := range t.requests {
		if r.Kind == kind {
			n++
		}
	}
	return n
}

func (t *tab) prompted() int {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.prompts
}

// field is how a control is.
type field struct {
	Value           string
	Invalid, Native bool
	Described       string
	Editable, Shown bool
	Type            string
}

// look is what can be seen of the page.
type look struct {
	URL              string
	Lines, Live      []string
	Busy, Dialog     bool
	Focus, FocusText string
	Buttons          []struct {
		Text string
		Held bool
	}
	Fields map[string]field
}

func (l look) has(text string) bool { return strings.Contains(strings.Join(l.Lines, "\n"), text) }

// news are the lines that were not there before.
func (l look) news(before look) []string {
	old := slices.Clone(before.Lines)
	var fresh []string
	for _, line := range l.Lines {
		if k := slices.Index(old, line); k >= 0 {
			old = slices.Delete(old, k, k+1)
		} else {
			fresh = append(fresh, line)
		}
	}
	return fresh
}

// waits reports whether a page shows that something is pending.
func (l look) waits(before look) bool {
	return l.Busy || l.held() || len(l.Buttons) > 0 && l.Buttons[0].Text != before.Buttons[0].Text
}

func (l look) held() bool { return len(l.Buttons) > 0 && l.Buttons[0].Held }

// js evaluates an expression beside the functions of look.js.
func (t *tab) js(expression string) (string, error) {
	fields, _ := json.Marshal(t.fields)
	submit, _ := json.Marshal(t.submit)
	ctx, cancel := context.WithTimeout(t.ctx, 10*time.Second)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[string](fmt.Sprintf("(async () => { const fields = %s, submit = %s;\n%s\nreturn JSON.stringify(await (%s)) ?? \"null\" })()", fields, submit, lookScript, expression), chromedp.EvalAwaitPromise))
}

// see looks at the page; while one document goes and the next comes there is
// nothing to see.
func (t *tab) see() look {
	var l look
	var err error
	for end := time.Now().Add(5 * time.Second); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		var text string
		if text, err = t.js("look()"); err == nil {
			if err = json.Unmarshal([]byte(text), &l); err == nil {
				return l
			}
		}
		if errors.Is(err, context.Canceled) {
			break
		}
	}
	t.cannot("the page cannot be looked at: %v", err)
	return l
}

// quiet waits until nothing changes in the page for a while, or it never rests.
func (t *tab) quiet() look {
	const rest = `new Promise(done => {
		let timer
		const ends = () => { watcher.disconnect(); done(true) }
		const again = () => { clearTimeout(timer); timer = setTimeout(ends, 250) }
		const watcher = new MutationObserver(again)
		watcher.observe(document, { subtree: true, childList: true, attributes: true, characterData: true })
		setTimeout(ends, 3000)
		again()
	})`
	for range 3 { // a document that goes takes the promise with it
		if _, err := t.js(rest); err == nil {
			break
		}
	}
	return t.see()
}

// until waits for something that can be seen.
func (t *tab) until(most time.Duration, so func(look) bool) (look, bool) {
	end := time.Now().Add(most)
	for {
		l := t.see()
		if so(l) {
			return l, true
		}
		if time.Now().After(end) {
			return l, false
		}
		time.Sleep(15 * time.Millisecond)
	}
}

// moment is how long a page may take to show what came.
const moment = 2 * time.Second

// open opens the page, and waits until what is loaded shows.
func (t *tab) open() look {
	l := t.arrive()
	if len(l.Fields) == 0 {
		t.cannot("none of the form's fields is on the page; right would be controls whose name is the field's path, or fields.PATH.control in the form file")
	}
	if len(l.Buttons) == 0 {
		t.cannot("no submit button is on the page; right would be a button of type submit, or submit.control in the form file")
	}
	return l
}

func (t *tab) arrive() look {
	t.did("applicant", "opens the page")
	ctx, cancel := context.WithTimeout(t.ctx, 20*time.Second)
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.Navigate(t.page)); err != nil {
		t.cannot("%s cannot be opened: %v", t.page, err)
	}
	return t.quiet()
}

func (t *tab) keys(keys string) {
	t.need(chromedp.Do(t.ctx, chromedp.KeyEvent(keys)))
}

// typeIn puts a text into a control: by keys where it is typed.
func (t *tab) typeIn(path, raw string) {
	t.did("applicant", "enters %q at %s", raw, path)
	f, there := t.see().Fields[path]
	if !there {
		t.cannot("%s is not on the page; right would be a control of that name, or fields.%s.control in the form file", path, path)
	}
	quoted, _ := json.Marshal([]string{path, raw})
	control := fmt.Sprintf("fields.filter(f => f[0] === %s[0]).flatMap(controls)", quoted)
	switch f.Type {
	case "checkbox", "radio":
		if text, err := t.js(fmt.Sprintf(`(() => { const all = %s, c = all.length === 1 ? all[0] : all.find(c => c.value === %s[1]); if (c && c.checked !== (%s[1] !== "" && %s[1] !== "false")) c.click(); return Boolean(c) })()`, control, quoted, quoted, quoted)); err != nil || text != "true" {
			t.cannot("%s takes no %q", path, raw)
		}
	case "text", "search", "email", "tel", "url", "password", "number", "textarea":
		_, err := t.js(fmt.Sprintf(`(() => { const c = %s[0]; c.scrollIntoView({block: "center"}); c.focus(); c.select?.() })()`, control))
		t.need(err)
		if raw == "" {
			raw = "\b"
		}
		t.keys(raw)
	default: // a date, a time, a choice: as the browser's own picker does
		_, err := t.js(fmt.Sprintf(`(() => {
			const c = %s[0]
			c.focus()
			Object.getOwnPropertyDescriptor(Object.getPrototypeOf(c), "value").set.call(c, %s[1])
			for (const type of ["input", "change"]) c.dispatchEvent(new Event(type, { bubbles: true }))
		})()`, control, quoted))
		t.need(err)
	}
}

// click presses and releases the pointer in the middle of what an expression finds.
func (t *tab) click(element string) {
	text, err := t.js(fmt.Sprintf(`(() => { const e = %s; if (!e) return null; e.scrollIntoView({block: "center"}); const r = e.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`, element))
	t.need(err)
	var at []float64
	if json.Unmarshal([]byte(text), &at) != nil || len(at) != 2 {
		t.cannot("there is nothing to click on: %s", element)
	}
	t.clickAt(at)
}

func (t *tab) clickAt(at []float64) {
	for _, kind := range []cdpinput.DispatchMouseEventType{"mouseMoved", "mousePressed", "mouseReleased"} {
		p := cdpinput.DispatchMouseEventParams{Type: kind, X: at[0], Y: at[1], Button: "left", ClickCount: 1}
		if kind == "mouseMoved" {
			p.Button, p.ClickCount = "none", 0
		}
		_, err := chromedp.Call(t.ctx, cdpinput.DispatchMouseEvent, p)
		t.need(err)
	}
}

// press clicks on the submit button.
func (t *tab) press() {
	t.did("applicant", "clicks on the submit button")
	t.click("buttons()[0]")
}

// fill enters everything that makes the form complete, but what is left out.
func (t *tab) fill(but ...string) {
	for _, path := range t.order {
		if f, there := t.see().Fields[path]; slices.Contains(but, path) || there && f.Value == t.valid[path] {
			continue
		}
		t.typeIn(path, t.valid[path])
	}
}
