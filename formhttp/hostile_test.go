package formhttp_test

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

// as sends a form as an account, and gives the page.
func (s *site) as(account string, values url.Values) page {
	if !values.Has("leanwicket-key") {
		values.Set("leanwicket-key", "of-"+account)
	}
	r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(values.Encode()))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Account", account)
	return s.do(r)
}

func byAccount(o *formhttp.Options) {
	o.Principal = func(r *http.Request) string { return r.Header.Get("Account") }
}

// A key that another account has used says nothing of what that account sent.
func TestKeysOfOthers(t *testing.T) {
	s := newSite(t, stayForm, func(got formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 422, Body: map[string]any{"title": "Refused to " + got.Request.Header.Get("Account")}}, nil
	}, byAccount)
	values := url.Values{"vessel": {"Heron"}, "leanwicket-key": {"guessed"}}
	require.Contains(t, s.as("ada", values).text, "Refused to ada")
	require.Contains(t, s.as("ada", values).text, "Refused to ada")
	require.Len(t, s.sent, 1)
	p := s.as("bo", values)
	require.Contains(t, p.text, "Refused to bo")
	require.Empty(t, p.header.Get("Leanwicket-Repeat"))
	require.NotContains(t, s.as("bo", url.Values{"vessel": {"Tern"}, "leanwicket-key": {"guessed"}}).text, "ada")
}

// Markup in any value is text on the page, and nothing but text.
func TestMarkupInValues(t *testing.T) {
	const mark = `"'><script>alert(1)</script>&lt;{{.}}` + "\u202e"
	s := newSite(t, stayForm, func(formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 422, Body: map[string]any{"title": mark, "errors": map[string]any{"vessel": mark, mark: mark}}}, nil
	}, nil)
	values := url.Values{"crew": {"1"}, "leanwicket-version": {mark}}
	for _, name := range []string{"vessel", "nights", "quay", "power", "amperage", "crew/0/name", "crew/0/cook", "note", mark} {
		values.Set(name, mark)
	}
	p := s.post(values)
	require.Equal(t, 422, p.status)
	for _, name := range []string{"vessel", "nights", "crew/0/name", "note", "leanwicket-version"} {
		require.Equal(t, mark, p.controls[name], name)
	}
	require.Equal(t, 422, s.post(url.Values{"vessel": {"Heron"}}).status) // the application's words
	for _, text := range []string{p.text, s.post(url.Values{"vessel": {"Heron"}}).text} {
		require.NotContains(t, text, "<script")
	}
}

// Keys, versions and destinations that would add a header, or lead elsewhere.
func TestHeadersAndDestinations(t *testing.T) {
	to := ""
	s := newSite(t, recordForm, func(formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 200, Header: http.Header{"Location": {to}, "ETag": {"\"1\"\r\nSet-Cookie: a=b"}}}, nil
	}, func(o *formhttp.Options) {
		o.Load = func(*http.Request) (map[string]any, string, error) { return map[string]any{"name": "Buoy 7"}, "", nil }
	})
	for _, key := range []string{"a\r\nSet-Cookie: a=b", "a b", strings.Repeat("k", 256), "ключ"} {
		require.Equal(t, 400, s.post(url.Values{"name": {"Heron"}, "leanwicket-key": {key}}).status, key)
	}
	for k, elsewhere := range []string{"https://elsewhere.example/", "//elsewhere.example", `/\elsewhere.example`, "/a\r\nSet-Cookie: a=b", "javascript:alert(1)", "/\t/elsewhere.example"} {
		to = elsewhere
		p := s.post(url.Values{"name": {"Heron " + strconv.Itoa(k)}, "leanwicket-key": {"to-" + strconv.Itoa(k)}})
		require.Equal(t, 303, p.status)
		require.Regexp(t, received, p.header.Get("Location"), elsewhere)
		require.Empty(t, p.header.Get("Set-Cookie"))
	}
}

// Names of controls that look like paths elsewhere are no fields, and ten
// thousand and one are too many.
func TestNamesOfControls(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	values := url.Values{"vessel": {"Heron"}}
	for _, name := range []string{"../vessel", "crew/../vessel", "crew/-1/name", "crew/01/name", "crew/99999999999999999999/name", "crew/0", "crew/0/name/x", "/vessel", "vessel/", "leanwicket-nothing", "%2e%2e", "__proto__", "\x00"} {
		values.Set(name, "5")
	}
	require.Equal(t, 303, s.post(values).status)
	require.JSONEq(t, `{"vessel": "Heron"}`, string(s.sent[0].Body))
	for k := range 10_000 {
		values.Set("x"+strconv.Itoa(k), "")
	}
	require.Equal(t, 413, s.post(values).status)
	require.Equal(t, 413, s.json(`{"vessel": "Heron", "crew": [`+strings.TrimSuffix(strings.Repeat(`{"name": "Ada"},`, 10_001), ",")+`]}`))
}

func (s *site) json(body string) int {
	response, err := s.postJSON(body)
	require.NoError(s.t, err)
	defer response.Body.Close()
	return response.StatusCode
}

func (s *site) postJSON(body string) (*http.Response, error) {
	r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(body))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", strconv.Itoa(len(body)))
	return s.server.Client().Do(r)
}

// One who opens a thousand keys at once, or sends very slowly, keeps nobody else
// waiting.
func TestGreedyAndSlowClients(t *testing.T) {
	end := make(chan bool)
	s := newSite(t, stayForm, func(got formhttp.Submission) (formhttp.Answer, error) {
		if got.Request.Header.Get("Account") == "ada" {
			<-end
		}
		return accept(got)
	}, func(o *formhttp.Options) { byAccount(o); o.MaxOpen = 7 })
	for range 50 { // headers, and then nothing more of the body
		connection, err := net.Dial("tcp", s.server.Listener.Addr().String())
		require.NoError(t, err)
		defer connection.Close()
		_, err = fmt.Fprintf(connection, "POST /stay HTTP/1.1\r\nHost: x\r\nAccount: bo\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 100\r\n\r\nvessel=")
		require.NoError(t, err)
	}
	var mu sync.Mutex
	got := map[int]int{}
	var all sync.WaitGroup
	for k := range 1000 {
		all.Go(func() {
			r, _ := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader("vessel=Heron&leanwicket-key="+strconv.Itoa(k)))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Account", "ada")
			response, err := s.server.Client().Do(r)
			if err != nil {
				t.Error(err)
				return
			}
			response.Body.Close()
			mu.Lock()
			defer mu.Unlock()
			got[response.StatusCode]++
		})
	}
	require.Eventually(t, func() bool { mu.Lock(); defer mu.Unlock(); return got[429] == 993 }, 30*time.Second, 10*time.Millisecond)
	require.Equal(t, 303, s.as("bo", url.Values{"vessel": {"Tern"}}).status)
	close(end)
	all.Wait()
	require.Equal(t, map[int]int{303: 7, 429: 993}, got)
	require.Equal(t, 303, s.as("ada", url.Values{"vessel": {"Egret"}}).status)
}

// A path that begins with two slashes is no other host, neither in an address to go to
// nor in that of the form.
func TestTwoSlashesAreNoHost(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	r, err := http.NewRequest(http.MethodPost, s.server.URL+"//elsewhere.example/x", strings.NewReader("vessel=Heron&leanwicket-key=k"))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	p := s.do(r)
	require.Equal(t, 303, p.status)
	require.Regexp(t, `^/elsewhere.example/x\?`, p.header.Get("Location"))
	r, err = http.NewRequest(http.MethodGet, s.server.URL+"//elsewhere.example/x", nil)
	require.NoError(t, err)
	require.Contains(t, s.do(r).text, `action="/elsewhere.example/x"`)
}

// Who is turned away costs little: the application is not asked for the record, a short
// request gets a short page, and what was typed is on it.
func TestWhoIsTurnedAwayCostsLittle(t *testing.T) {
	loads := 0
	s := newSite(t, stayForm+"prefill: {url: /stays}\n", accept, func(o *formhttp.Options) {
		o.Admit = func(*http.Request) *formhttp.Answer { return &formhttp.Answer{Status: 401} }
		o.Load = func(*http.Request) (map[string]any, string, error) { loads++; return nil, "", nil }
	})
	p := s.post(url.Values{"crew": {"1000"}, "vessel": {"Heron"}, "crew/2/name": {"Ada"}})
	require.Equal(t, 401, p.status)
	require.Equal(t, "Heron", p.controls["vessel"])
	require.Equal(t, "Ada", p.controls["crew/2/name"])
	require.NotEmpty(t, p.controls["leanwicket-key"], "a page that had no key has one now")
	require.Less(t, len(p.text), 40_000)
	require.Equal(t, 401, s.json(`{"vessel": {}}`), "before anything is looked at")
	require.Zero(t, loads)
	require.Empty(t, s.sent)
}

// A body that cannot be read costs no load. Its page shows no form, whose empty controls would be
// taken for the record, and leads to one.
func TestWhatCannotBeReadCostsNoLoad(t *testing.T) {
	loads := 0
	s := newSite(t, stayForm+"prefill: {url: /stays}\n", accept, func(o *formhttp.Options) {
		o.MaxBody = 100
		o.Load = func(*http.Request) (map[string]any, string, error) { loads++; return nil, "", nil }
	})
	for body, status := range map[string]int{"%zz": 400, "vessel=" + strings.Repeat("x", 200): 413} {
		r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		p := s.do(r)
		require.Equal(t, status, p.status)
		require.Contains(t, p.text, "othing was stored")
		require.Contains(t, p.text, `<a href="/stay">Open the form</a>`)
		require.NotContains(t, p.text, "<form")
	}
	require.Zero(t, loads)
}

// Who is not admitted reads nothing that is saved: not as a page, as JSON, as a part of another page,
// nor with a request that no form takes.
func TestWhoIsNotAdmittedReadsNothing(t *testing.T) {
	const secret = "Heron of the marshes"
	loads := 0
	admit := func(r *http.Request) *formhttp.Answer {
		switch r.Header.Get("X-Account") {
		case "":
			return &formhttp.Answer{Status: 401, Header: http.Header{"WWW-Authenticate": {"Basic"}}, Body: map[string]any{"title": "Sign in first."}}
		case "new":
			return &formhttp.Answer{Status: 303, Header: http.Header{"Location": {"/sign-in"}}}
		}
		return nil
	}
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nprefill: {url: /plots/7, needed: true}\nsubmit: {url: /plots/7, method: PUT}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	h, err := formhttp.New(source.Form, source, formhttp.Options{
		Admit: admit, MaxBody: 100,
		Load: func(*http.Request) (map[string]any, string, error) {
			loads++
			return map[string]any{"keeper": secret}, "v1", nil
		},
		Submit: done,
	})
	require.NoError(t, err)
	ask := func(method, account, accept, body string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, "/plots/7", strings.NewReader(body))
		r.Header.Set("X-Account", account)
		r.Header.Set("Accept", accept)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	for _, refused := range []struct {
		method, accept, body string
		status               int
	}{
		{"GET", "text/html", "", 401},
		{"HEAD", "text/html", "", 401},
		{"GET", "application/json", "", 401},
		{"DELETE", "text/html", "", 405},
		{"POST", "text/html", "keeper=" + strings.Repeat("x", 200), 413},
		{"POST", "text/html", "%zz", 400},
		{"POST", "text/html", "keeper=Cy", 401},
	} {
		w := ask(refused.method, "", refused.accept, refused.body)
		require.Equal(t, refused.status, w.Code, refused)
		require.NotContains(t, w.Body.String(), secret, refused)
		if refused.status == 401 {
			require.Equal(t, "Basic", w.Header().Get("WWW-Authenticate"), refused)
			require.Contains(t, w.Body.String()+refused.method, map[bool]string{true: "HEAD", false: "Sign in first."}[refused.method == "HEAD"])
		}
	}
	part, err := h.Fragment(httptest.NewRequest("GET", "/", nil), "/plots/7")
	require.NoError(t, err)
	require.NotContains(t, string(part), secret)
	require.Zero(t, loads)

	sent := ask("GET", "new", "text/html", "")
	require.Equal(t, 303, sent.Code)
	require.Equal(t, "/sign-in", sent.Header().Get("Location"))
	require.Equal(t, 303, ask("GET", "new", "application/json", "").Code)
	kept := ask("POST", "new", "text/html", "keeper=Cy&leanwicket-key=k")
	require.Equal(t, 401, kept.Code, "who is redirected loses what was typed")
	require.Contains(t, kept.Body.String(), `value="Cy"`)
	require.Contains(t, kept.Body.String(), "signed out or not allowed")
	require.Zero(t, loads)
	for _, accept := range []string{"text/html", "application/json"} {
		w := ask("GET", "ada", accept, "")
		require.Equal(t, 200, w.Code)
		require.Contains(t, w.Body.String(), secret)
	}
}

func done(context.Context, formhttp.Submission) (formhttp.Answer, error) {
	return formhttp.Answer{Status: 200}, nil
}

// A panic is logged with its place and without its words, which may be somebody's. A
// handler that aborts its connection still does.
func TestPanicsAreLoggedWithoutTheirWords(t *testing.T) {
	var log strings.Builder
	s := newSite(t, stayForm, func(got formhttp.Submission) (formhttp.Answer, error) {
		if strings.Contains(string(got.Body), "Abort") {
			panic(http.ErrAbortHandler)
		}
		panic("cannot store " + string(got.Body))
	}, func(o *formhttp.Options) { o.Log = slog.New(slog.NewTextHandler(&log, nil)) })
	require.Equal(t, 500, s.json(`{"vessel": "Secret Heron"}`))
	require.NotContains(t, log.String(), "Secret")
	require.Contains(t, log.String(), "TestPanicsAreLoggedWithoutTheirWords")
	_, err := s.postJSON(`{"vessel": "Abort"}`)
	require.Error(t, err)
}
