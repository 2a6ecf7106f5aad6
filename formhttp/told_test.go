package formhttp_test

import (
	"context"
	"html/template"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
)

// forgets is a ledger that has forgotten a key when its work is done.
type forgets struct{ ledger.Store }

func (forgets) Settle(context.Context, ledger.Reservation, ledger.Response) error {
	return ledger.ErrLost
}

// Whatever goes wrong is told on the page, beside what was typed; a client that asks
// for JSON gets problem details. Nothing is said twice.
func TestWhatGoesWrongIsToldOnThePage(t *testing.T) {
	for _, c := range []struct {
		name    string
		answer  formhttp.Answer
		change  func(*formhttp.Options)
		request func(*http.Request)
		status  int
		said    string
		untyped bool // the request is turned away before it is read
	}{
		{name: "signed out", answer: formhttp.Answer{Status: 401}, status: 401, said: "signed out"},
		{name: "not allowed", answer: formhttp.Answer{Status: 403}, status: 403, said: "not allowed"},
		{name: "busy", answer: formhttp.Answer{Status: 503, Header: http.Header{"Retry-After": {"7"}}}, status: 503, said: "It is not known whether"},
		{name: "too often", answer: formhttp.Answer{Status: 429}, status: 429, said: "It is not known whether"},
		{name: "refused in the server's words", answer: formhttp.Answer{Status: 422, Body: map[string]any{"detail": "The quay is full."}}, status: 422, said: "The quay is full."},
		{name: "refused at a field", answer: formhttp.Answer{Status: 422, Body: map[string]any{"detail": "Look again.", "errors": map[string]any{"vessel": "Heron lies elsewhere."}}}, status: 422, said: "Heron lies elsewhere."},
		{name: "broken", answer: formhttp.Answer{Status: 500}, status: 500, said: "It is not known whether"},
		{name: "still worked on", change: func(o *formhttp.Options) { o.Ledger = told{o.Ledger, ledger.InFlight} }, status: 409, said: "still being worked on"},
		{name: "the key was lost meanwhile", answer: formhttp.Answer{Status: 201}, change: func(o *formhttp.Options) { o.Ledger = forgets{o.Ledger} }, status: 500, said: "It is not known whether your answers have been stored"},
		{name: "the key has other answers", change: func(o *formhttp.Options) { o.Ledger = told{o.Ledger, ledger.Different} }, status: 422, said: "was sent before with other answers"},
		{name: "a bad key", request: func(r *http.Request) { r.Header.Set("Idempotency-Key", "a b") }, status: 400, said: "submission key"},
		{name: "not readable", request: func(r *http.Request) { r.Header.Set("Content-Type", "text/csv") }, status: 400, said: "could not be read", untyped: true},
		{name: "from elsewhere", request: func(r *http.Request) { r.Header.Set("Sec-Fetch-Site", "cross-site") }, status: 403, said: "not sent from this site", untyped: true},
		{name: "too large", change: func(o *formhttp.Options) { o.MaxBody = 10 }, status: 413, said: "too large", untyped: true},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := newSite(t, stayForm, func(formhttp.Submission) (formhttp.Answer, error) { return c.answer, nil }, func(o *formhttp.Options) {
				o.Ledger = memory.New(0)
				if c.change != nil {
					c.change(o)
				}
			})
			ask := func(accept string) page {
				r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(url.Values{"vessel": {"Heron"}, "leanwicket-key": {"k"}}.Encode()))
				require.NoError(t, err)
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				r.Header.Set("Accept", accept)
				if c.request != nil {
					c.request(r)
				}
				return s.do(r)
			}
			p := ask("text/html,*/*;q=0.8")
			require.Equal(t, c.status, p.status)
			require.Contains(t, p.header.Get("Content-Type"), "text/html")
			require.Contains(t, p.text, `role="alert"`)
			require.Contains(t, p.text, c.said)
			if !c.untyped {
				require.Equal(t, "Heron", p.controls["vessel"])
			}
			_, body, _ := strings.Cut(p.text, "<body>")
			if c.answer.Body == nil {
				require.Equal(t, 1, strings.Count(body, c.said), "it is said once")
			}
			p = ask("application/json")
			require.Equal(t, c.status, p.status)
			require.Contains(t, p.header.Get("Content-Type"), "application/problem+json")
		})
	}
}

// told is a ledger that knows each key in one way.
type told struct {
	ledger.Store
	state ledger.State
}

func (l told) Reserve(context.Context, ledger.Reservation) (ledger.State, ledger.Response, error) {
	return l.state, ledger.Response{}, nil
}

// A page says that something was received only where the ledger knows it, of the
// account that sent it, and then where it is.
func TestASuccessIsNotClaimedByAnAddress(t *testing.T) {
	account := "ada"
	s := newSite(t, stayForm, func(formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 201, Header: http.Header{"Location": {"/stays/17"}}}, nil
	}, func(o *formhttp.Options) { o.Principal = func(*http.Request) string { return account } })
	get := func(query string) page {
		r, err := http.NewRequest(http.MethodGet, s.server.URL+"/stay"+query, nil)
		require.NoError(t, err)
		return s.do(r)
	}
	s.get()
	p := s.post(url.Values{"vessel": {"Heron"}})
	require.Regexp(t, received, p.header.Get("Location"))
	to, _, _ := strings.Cut(strings.TrimPrefix(p.header.Get("Location"), "/stay"), "#")
	p = get(to)
	require.Contains(t, p.text, "<title>Received – A stay</title>")
	require.Contains(t, p.text, `Your stay is booked. <a href="/stays/17">/stays/17</a>`)
	for _, query := range []string{"", "?received", "?leanwicket-received=", "?leanwicket-received=" + s.key, "?leanwicket-received=%0a"} {
		require.NotContains(t, get(query).text, "Your stay is booked", query)
	}
	account = "bo"
	require.NotContains(t, get(to).text, "Your stay is booked")
}

// What is private stands in no page, whatever happens to the rest.
func TestPrivateAnswersAreNotEchoed(t *testing.T) {
	form := strings.Replace(stayForm, "fields:\n", "fields:\n  note: {private: true}\n  quay: {private: true}\n  vessel: {private: true, autocomplete: new-password, lines: 4}\n", 1)
	s := newSite(t, form, accept, nil)
	s.get()
	p := s.post(url.Values{"vessel": {"SECRET-1-that-is-much-too-long"}, "note": {"SECRET-2"}, "quay": {"south"}, "nights": {"4"}})
	require.Equal(t, 422, p.status)
	require.NotContains(t, p.text, "SECRET")
	require.NotContains(t, p.text, "checked")
	require.Equal(t, "4", p.controls["nights"])
	require.Regexp(t, `<input type="password" id="leanwicket-vessel"[^>]* autocomplete="new-password"`, p.text)
	require.Regexp(t, `name="note"[^>]* autocomplete="off"`, p.text)
}

func TestLinesOfAText(t *testing.T) {
	form := strings.Replace(stayForm, "fields:\n", "fields:\n  vessel: {lines: 6}\n", 1)
	p := newSite(t, form, accept, nil).get()
	require.Contains(t, p.text, `<textarea id="leanwicket-vessel" name="vessel" rows="6"`)
	require.Contains(t, p.text, `<textarea id="leanwicket-note" name="note" rows="5"`, "it may be longer than 200")
}

// A page of the application that would lose something is an error when the handler is made, with the
// part and the remedy.
func TestPartsThatLoseSomething(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(stayForm)}}, "f.form.yaml")
	require.NoError(t, err)
	for part, says := range map[string]string{
		`{{define "feild"}}{{.Label}}{{end}}`: "found the template feild, which nothing calls",
		`{{define "form"}}<form method="post">{{template "choices" .}}{{range .Fields}}{{template "field" .}}{{end}}</form>{{end}}`: "the template form has no submission key",
		`{{define "rows"}}{{range .Rows}}{{template "row" .}}{{end}}{{end}}`:                                                        "the template rows does not say how many rows crew has",
		`{{define "control"}}<input id="{{.ID}}" value="{{.Value}}">{{end}}`:                                                        "the template control writes <input> without a name",
		`{{define "control"}}<input id="{{.ID}}" name="x-{{.Path}}" value="{{.Value}}">{{end}}`:                                     "a control named x-amperage, and no such field",
		`{{define "issues"}}{{end}}`: "the page does not show what is wrong with vessel at the field",
	} {
		_, err := formhttp.New(source.Form, source, formhttp.Options{Submit: done, Page: template.Must(template.New("").Funcs(template.FuncMap{
			"word": func(string) string { return "" }, "counted": func(string, int) string { return "" },
		}).Parse(part))})
		require.ErrorContains(t, err, says, part)
	}
}

// What cannot work is an error when the handler is made, and not when somebody sends.
func TestWhatCannotWork(t *testing.T) {
	_, err := formhttp.New(nil, nil, formhttp.Options{})
	require.ErrorContains(t, err, "found no form")
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(stayForm)}}, "f.form.yaml")
	require.NoError(t, err)
	_, err = formhttp.New(source.Form, source, formhttp.Options{})
	require.ErrorContains(t, err, "no Options.Submit for the form stay")
	_, err = formhttp.New(source.Form, source, formhttp.Options{Submit: done, Secret: []byte("tide")})
	require.ErrorContains(t, err, "an Options.Secret of 4 bytes")
	_, err = formhttp.New(source.Form, source, formhttp.Options{Submit: done, Load: func(*http.Request) (map[string]any, string, error) { return nil, "", nil }})
	require.ErrorContains(t, err, "has no prefill and would never load")
	papers, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: papers\nschema: {properties: {insurance: {type: string, format: binary}}}\nsubmit: {url: /papers}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	_, err = formhttp.New(papers.Form, papers, formhttp.Options{Submit: done, Script: "/leanwicket.js"})
	require.ErrorContains(t, err, "the browser itself sends the file")
	_, err = formhttp.New(papers.Form, papers, formhttp.Options{Submit: done})
	require.NoError(t, err)
	for text, ok := range map[string]bool{
		`{{define "page"}}{{template "form" .}}{{end}}`:                                                                   false,
		`{{define "page"}}{{template "summary" .}}{{template "form" .}}{{end}}`:                                           false,
		`{{define "notice"}}{{end}}`:                                                                                      false,
		`{{define "page"}}{{template "top" .}}{{template "form" .}}{{end}}{{define "top"}}{{.Heading}}{{.Notice}}{{end}}`: true,
		`{{define "page"}}{{index .Own.Roles 0}}{{template "form" .}}{{end}}`:                                             true, // that is known only with a request
	} {
		_, err := formhttp.New(source.Form, source, formhttp.Options{Submit: done, Page: template.Must(template.New("page").Parse(text))})
		require.Equal(t, ok, err == nil, "%s: %v", text, err)
		if !ok {
			require.ErrorContains(t, err, `right would be {{template "summary" .}}`)
		}
	}

	s := newSite(t, stayForm, func(formhttp.Submission) (formhttp.Answer, error) { return formhttp.Answer{}, nil }, nil)
	s.get()
	p := s.post(url.Values{"vessel": {"Heron"}})
	require.Equal(t, 500, p.status)
	require.Contains(t, p.text, "Nothing was stored")
}

// However a server writes its refusal, its words stand at the field on a page without
// script.
func TestFiveShapesOfRefusalAreAtTheirField(t *testing.T) {
	shapes := []any{
		map[string]any{"nights": []any{"Too many."}, "non_field_errors": []any{"Come in June."}},
		map[string]any{"detail": []any{map[string]any{"loc": []any{"body", "nights"}, "msg": "Too many."}}},
		map[string]any{"errors": map[string]any{"Nights": "Too many."}},
		map[string]any{"error": map[string]any{"details": []any{map[string]any{"fieldViolations": []any{map[string]any{"field": "nights", "description": "Too many."}}}}}},
		map[string]any{"errors": []any{map[string]any{"path": []any{"bookStay", "nights"}, "message": "Too many."}}},
	}
	for k, shape := range shapes {
		s := newSite(t, stayForm, func(formhttp.Submission) (formhttp.Answer, error) {
			return formhttp.Answer{Status: 422, Body: shape}, nil
		}, nil)
		p := s.post(url.Values{"vessel": {"Heron"}, "nights": {"9"}})
		require.Equal(t, 422, p.status, k)
		at := strings.Index(p.text, `name="nights"`)
		require.Positive(t, at)
		field := p.text[strings.LastIndex(p.text[:at], `class="leanwicket-field`):]
		field, _, _ = strings.Cut(field, `name="quay"`)
		require.Contains(t, field, "Too many.", k)
		require.Contains(t, field, `aria-invalid="true"`, k)
	}
}

// The page of one record tells its script which: what the path says of the names that the
// form declares as given.
func TestARecordOfItsOwn(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\ngiven: [id]\nschema: {properties: {keeper: {type: string}}}\nsubmit: {url: '/plots/{id}', method: PUT}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	page, err := formhttp.New(source.Form, source, formhttp.Options{Script: "/leanwicket.js", Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 200}, nil
	}})
	require.NoError(t, err)
	mux := http.NewServeMux()
	mux.Handle("/plots/{id}", page)
	w := httptest.NewRecorder()
	mux.ServeHTTP(w, httptest.NewRequest("GET", "/plots/a%26b%22", nil))
	require.Contains(t, w.Body.String(), `data-leanwicket-given="id=a%26b%22"`)
}

// A form below a prefix that was stripped is sent to where its page is, and comes back there.
func TestBelowAPrefix(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nsubmit: {url: /plots}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	page, err := formhttp.New(source.Form, source, formhttp.Options{Submit: done})
	require.NoError(t, err)
	mux := http.NewServeMux()
	mux.Handle("/garden/", http.StripPrefix("/garden", page))
	for _, path := range []string{"/garden/plots/7", "/garden/", "/garden/plots/a%2Fb"} {
		w := httptest.NewRecorder()
		mux.ServeHTTP(w, httptest.NewRequest("GET", path+"?x=1", nil))
		require.Contains(t, w.Body.String(), `action="`+path+`"`)
		r := httptest.NewRequest("POST", path, strings.NewReader("keeper=Ada&leanwicket-key="+strings.Repeat("k", len(path))))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		w = httptest.NewRecorder()
		mux.ServeHTTP(w, r)
		require.Equal(t, 303, w.Code)
		require.True(t, strings.HasPrefix(w.Header().Get("Location"), path+"?leanwicket-received="), w.Header().Get("Location"))
	}
}

// A page that one account opened and another sends is turned away, with what was typed; its
// own sends it. Nothing on the page tells the account.
func TestAPageOfAnotherAccount(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nsubmit: {url: /plots}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	done := 0
	o := formhttp.Options{
		Principal: func(r *http.Request) string { return r.Header.Get("X-Account") },
		Secret:    []byte("0123456789abcdef0123456789abcdef"),
		Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
			done++
			return formhttp.Answer{Status: 201}, nil
		},
	}
	page, err := formhttp.New(source.Form, source, o)
	require.NoError(t, err)
	send := func(method, account, body string, headers ...string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, "/plots", strings.NewReader(body))
		r.Header.Set("X-Account", account)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		for k := 0; k < len(headers); k += 2 {
			r.Header.Set(headers[k], headers[k+1])
		}
		w := httptest.NewRecorder()
		page.ServeHTTP(w, r)
		return w
	}
	opened := send("GET", "ada@quay.example", "").Body.String()
	require.NotContains(t, opened, "quay.example")
	_, digest, _ := strings.Cut(opened, `name="leanwicket-account" value="`)
	digest, _, _ = strings.Cut(digest, `"`)
	require.Len(t, digest, 22)
	posted := url.Values{"keeper": {"Cy"}, "leanwicket-key": {"k1"}, "leanwicket-account": {digest}}.Encode()
	w := send("POST", "bo@quay.example", posted)
	require.Equal(t, 401, w.Code)
	require.Contains(t, w.Body.String(), "Somebody else has signed in here")
	require.Contains(t, w.Body.String(), `value="Cy"`)
	require.Equal(t, 401, send("POST", "bo@quay.example", `{"keeper": "Cy"}`, "Content-Type", "application/json", "Leanwicket-Account", digest).Code)
	require.Zero(t, done)
	require.Equal(t, 303, send("POST", "ada@quay.example", posted).Code)
	require.Equal(t, 201, send("POST", "bo@quay.example", `{"keeper": "Cy"}`, "Content-Type", "application/json", "Idempotency-Key", "k9").Code, "a client that has no page")
	require.Equal(t, 2, done)

	// Without a secret of their own two processes make other digests, and refuse nobody.
	o.Secret = nil
	page, err = formhttp.New(source.Form, source, o)
	require.NoError(t, err)
	require.Equal(t, 303, send("POST", "bo@quay.example", url.Values{"keeper": {"Cy"}, "leanwicket-key": {"k2"}, "leanwicket-account": {digest}}.Encode()).Code)
}
