package try

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	cdpemulation "github.com/chromedp/cdproto/emulation"
	cdpfetch "github.com/chromedp/cdproto/fetch"
	cdpnetwork "github.com/chromedp/cdproto/network"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"leanwicket.dev/replies"
)

// reply is the answer to a request.
type reply struct {
	never  bool // no answer comes before release
	broken bool
	status int
	kind   string // of the body; empty means JSON
	body   string
	to     string // where a redirect leads
}

// success is the answer to a submission that is accepted.
func (p *plan) success() reply {
	if p.declared.accepted.status != 0 {
		return p.declared.accepted
	}
	r := replies.Accepting(p.form, map[string]any{"id": "R-1"})
	body, _ := json.Marshal(r.Body) // it is texts
	return reply{status: 201, body: string(body)}
}

const problemJSON = "application/problem+json" // RFC 9457

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
	waiting  map[string][]waiting
	requests []Request
	loading  map[cdpnetwork.RequestID]bool // what the page is made of, and has not come yet
	stray    string                        // the newest submission to an address that the form does not declare
	goesOn   bool                          // accept the dialogs of beforeunload
	leaves   bool                          // the browser itself sends the form
	beside   []string                      // what the page's scripts ask beside the form's own requests
	prompts  int                           // of the browser, before a page goes
	confirms int                           // of the page
	alerts   []string                      // what the page has said with the browser's own dialogs
	moments  []Moment
	signIn   string              // where a submission was redirected to
	opened   look                // the page as it was opened
	typed    map[string][]string // what was typed, by path
	found    verdict
}

// waiting is a request that is not answered yet, and its number in the list of them.
type waiting struct {
	paused  *cdpfetch.EventRequestPaused
	request int
	address string
}

func (t *tab) now() Time { return Time(time.Since(t.begun).Milliseconds()) }

// verdict is what a trial found, and why.
type verdict struct {
	Verdict
	why string
}

// end ends the trial here, in the middle: as [testing.T.FailNow] does, it ends the trial's goroutine.
func (t *tab) end(v verdict) {
	t.found = v
	runtime.Goexit()
}

func (t *tab) cannot(format string, args ...any) {
	t.end(verdict{CannotTell, fmt.Sprintf(format, args...)})
}

func (t *tab) need(err error) {
	if err != nil {
		text, _, _ := strings.Cut(err.Error(), "\n") // no stack of a script
		t.cannot("the browser: %s", text)
	}
}

func (t *tab) did(who, format string, args ...any) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.moments = append(t.moments, Moment{t.now(), who, fmt.Sprintf(format, args...)})
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
	t := &tab{plan: p, ctx: ctx, typed: map[string][]string{}, page: page, begun: time.Now(), waiting: map[string][]waiting{}, loading: map[cdpnetwork.RequestID]bool{}, replies: map[string]reply{
		"load": {status: 200, body: string(p.record)}, "check": {status: 200, body: "{}"}, "submit": p.success(),
	}}
	defer func() {
		t.mu.Lock()
		result.Requests, result.Timeline = t.requests, t.moments
		t.mu.Unlock()
		t.cover(&result)
		if result.Verdict == Broken {
			limited, cancel := context.WithTimeout(ctx, 5*time.Second)
			defer cancel()
			_, _ = t.jsWithin(time.Second, "redact("+quoted(t.private())+")")
			result.Screenshot, _ = chromedp.Run(limited, chromedp.CaptureScreenshot()) // none while a prompt is open
		}
		if ctx.Err() != nil && browser.Err() != nil {
			err = browser.Err()
		}
	}()
	var trial sync.WaitGroup
	trial.Go(func() { // of its own, for it may end in the middle
		t.listen()
		t.dress()
		v, why := x.run(t)
		t.hears()
		t.found = verdict{v, why}
		t.did("verdict", "%s: %s", v, why)
	})
	trial.Wait()
	result.Verdict, result.Why = t.found.Verdict, t.found.why
	return result, nil
}

func (t *tab) listen() {
	t.need(chromedp.Listen(t.ctx, func(event any) {
		switch e := event.(type) {
		case *cdpfetch.EventRequestPaused:
			go t.paused(e)
		case *cdpnetwork.EventRequestWillBeSent:
			if address, err := url.Parse(e.Request.URL); err == nil && t.kindOf(e.Request.Method, address, nil) == "" {
				t.comes(e.RequestID, true)
			}
		case *cdpnetwork.EventLoadingFinished:
			t.comes(e.RequestID, false)
		case *cdpnetwork.EventLoadingFailed:
			t.comes(e.RequestID, false)
		case *cdppage.EventJavascriptDialogOpening:
			asks := e.Type == cdppage.DialogTypeBeforeunload
			t.mu.Lock()
			switch {
			case asks:
				t.prompts++
			case e.Type == cdppage.DialogTypeConfirm:
				t.confirms++
			}
			if !asks {
				t.alerts = append(t.alerts, e.Message)
			}
			accept := !asks || t.goesOn
			t.mu.Unlock()
			go func() {
				_, _ = chromedp.Call(t.ctx, cdppage.HandleJavaScriptDialog, cdppage.HandleJavaScriptDialogParams{Accept: accept})
			}()
		}
	}))
	_, err := chromedp.Call(t.ctx, cdpnetwork.Enable, cdpnetwork.EnableParams{})
	t.need(err)
	_, err = chromedp.Call(t.ctx, cdpfetch.Enable, cdpfetch.EnableParams{})
	t.need(err)
	_, err = chromedp.Call(t.ctx, cdpemulation.SetFocusEmulationEnabled, cdpemulation.SetFocusEmulationEnabledParams{Enabled: true})
	t.need(err)
}

// leadsTo reports whether a submission was redirected to a path.
func (t *tab) leadsTo(path string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.signIn != "" && path == t.signIn
}

func (t *tab) comes(id cdpnetwork.RequestID, loading bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if loading {
		t.loading[id] = true
	} else {
		delete(t.loading, id)
	}
}

// strayed ends a trial of a page that sends elsewhere.
func (t *tab) strayed() {
	t.mu.Lock()
	stray := t.stray
	t.mu.Unlock()
	if stray != "" {
		t.cannot("the page sends %s, and the form declares submit.url %s", stray, t.form.Submit.URL)
	}
}

// come reports whether every part of the page has been loaded.
func (t *tab) come() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return len(t.loading) == 0
}

// paused answers a request that the page makes, or lets it through.
func (t *tab) paused(e *cdpfetch.EventRequestPaused) {
	address, err := url.Parse(e.Request.URL)
	body := []byte{} // it is known, if it is empty
	for _, part := range e.Request.PostDataEntries {
		body = append(body, part.Bytes...)
	}
	kind := ""
	if err == nil && t.leadsTo(address.Path) {
		t.did("backend", "the page to sign in")
		t.answer(e, reply{status: 200, kind: "text/html; charset=utf-8", body: signInPage})
		return
	}
	if err == nil {
		if kind = t.kindOf(e.Request.Method, address, body); kind == "" {
			if other := t.other(e.Request.Method, address); other != nil {
				t.answer(e, other.reply)
				return
			}
		}
	}
	if e.Request.Method == "OPTIONS" && err == nil && (kind != "" || t.kindOf("GET", address, nil) != "" || t.kindOf("POST", address, nil) != "") { // a backend of another origin is asked first
		t.answer(e, reply{status: 204})
		return
	}
	if kind == "" {
		if of := e.ResourceType; err == nil && (of == cdpnetwork.ResourceTypeXHR || of == cdpnetwork.ResourceTypeFetch) {
			t.mu.Lock()
			if request := e.Request.Method + " " + address.RequestURI(); !slices.Contains(t.beside, request) {
				t.beside = append(t.beside, request)
			}
			t.mu.Unlock()
		}
		if method := e.Request.Method; !safe(method) && e.ResourceType != cdpnetwork.ResourceTypePing && err == nil {
			t.mu.Lock()
			t.stray = method + " " + address.Path
			t.mu.Unlock()
		}
		_, _ = chromedp.Call(t.ctx, cdpfetch.ContinueRequest, cdpfetch.ContinueRequestParams{RequestID: e.RequestID})
		return
	}
	key := t.keyOf(e.Request, body)
	t.mu.Lock()
	r := t.replies[kind]
	if r.to != "" {
		t.signIn = r.to
	}
	t.leaves = t.leaves || kind == "submit" && e.ResourceType == cdpnetwork.ResourceTypeDocument
	t.requests = append(t.requests, Request{t.now(), kind, e.Request.Method, address.RequestURI(), key, string(body), r.String(), r.body})
	if r.never {
		t.waiting[kind] = append(t.waiting[kind], waiting{e, len(t.requests) - 1, address.RequestURI()})
	}
	t.mu.Unlock()
	t.did("page", "%s %s", e.Request.Method, address.RequestURI())
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
	kind, body := cmp.Or(r.kind, "application/json"), r.body
	if e.ResourceType == cdpnetwork.ResourceTypeDocument { // a form that the browser sends itself
		kind, body = "text/html", fmt.Sprintf("<!doctype html><title>%d</title><p>The office answers with %d.", r.status, r.status)
	}
	headers := []*cdpfetch.HeaderEntry{{Name: "Content-Type", Value: kind}}
	if r.to != "" {
		headers = append(headers, &cdpfetch.HeaderEntry{Name: "Location", Value: r.to})
	}
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

// release answers the requests that have waited, and those that come from now on. It does so for
// some kinds of requests, or for all.
func (t *tab) release(kind string, r reply, only ...func(address string) bool) {
	t.mu.Lock()
	t.replies[kind] = r
	var come, stay []waiting
	for _, w := range t.waiting[kind] {
		if len(only) > 0 && !only[0](w.address) {
			stay = append(stay, w)
			continue
		}
		come = append(come, w)
		t.requests[w.request].Answer, t.requests[w.request].Reply = "late: "+r.String(), r.body
	}
	t.waiting[kind] = stay
	t.mu.Unlock()
	for _, w := range come {
		t.did("backend", "%s, late, for %s", r, w.address)
		t.answer(w.paused, r)
	}
}

// asked are the requests of a kind so far.
func (t *tab) asked(kind string) []Request {
	t.mu.Lock()
	defer t.mu.Unlock()
	return slices.DeleteFunc(slices.Clone(t.requests), func(r Request) bool { return r.Kind != kind })
}

// sent are the submissions so far.
func (t *tab) sent() []Request { return t.asked("submit") }

// accepting decides whether the dialogs of beforeunload are accepted, so that the page goes.
func (t *tab) accepting(goesOn bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.goesOn = goesOn
}

// goes reports whether the browser itself sends the form, so that the page goes.
func (t *tab) goes() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.leaves
}

// prompted counts how often the browser has asked somebody before the page went, and how often the
// page has asked with one of the browser's dialogs.
func (t *tab) prompted() (prompts, confirms int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.prompts, t.confirms
}
