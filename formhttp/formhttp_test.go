package formhttp_test

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

const stayForm = `form: stay
title: A stay
schema:
  properties:
    vessel: {type: string, maxLength: 20}
    nights: {type: integer, minimum: 1, maximum: 30}
    quay: {type: string, enum: [north, south]}
    power: {type: boolean}
    amperage: {type: integer}
    crew: {type: array, maxItems: 3, items: {type: object, properties: {name: {type: string}, cook: {type: boolean}}, required: [name]}}
    note: {type: string, maxLength: 500}
  required: [vessel]
fields:
  amperage: {label: Amperage, when: {power: true}}
refused: {serverNames: {boat: vessel}}
submit: {url: /stays, buttons: [send, save]}
accepted: {say: Your stay is booked.}
`

// site is a form that is served, and a browser without script.
type site struct {
	t      *testing.T
	server *httptest.Server
	key    string
	sent   []formhttp.Submission
	mu     sync.Mutex
}

func newSite(t *testing.T, form string, answer func(formhttp.Submission) (formhttp.Answer, error), change func(*formhttp.Options)) *site {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(form)}}, "f.form.yaml")
	require.NoError(t, err)
	s := &site{t: t}
	o := formhttp.Options{Submit: func(_ context.Context, got formhttp.Submission) (formhttp.Answer, error) {
		s.mu.Lock()
		s.sent = append(s.sent, got)
		s.mu.Unlock()
		return answer(got)
	}}
	if change != nil {
		change(&o)
	}
	handler, err := formhttp.New(source.Form, source, o)
	require.NoError(t, err)
	s.server = httptest.NewServer(handler)
	t.Cleanup(s.server.Close)
	s.server.Client().CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	return s
}

func accept(formhttp.Submission) (formhttp.Answer, error) {
	return formhttp.Answer{Status: 201, Body: map[string]any{"id": "S-1"}}, nil
}

// page is what a response shows.
type page struct {
	status   int
	header   http.Header
	text     string
	controls map[string]string // by name; of boxes and radio buttons the checked one
	ids      map[string]bool
	marks    []string // of rows: several controls of one name
}

func (s *site) do(r *http.Request) page {
	response, err := s.server.Client().Do(r)
	require.NoError(s.t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(s.t, err)
	p := page{response.StatusCode, response.Header, string(text), map[string]string{}, map[string]bool{}, nil}
	root, err := html.Parse(strings.NewReader(p.text))
	require.NoError(s.t, err)
	p.walk(root)
	if key := p.controls["leanwicket-key"]; key != "" {
		s.key = key
	}
	return p
}

func (p *page) walk(n *html.Node) {
	attribute := map[string]string{}
	for _, a := range n.Attr {
		attribute[a.Key] = a.Val
	}
	if id := attribute["id"]; id != "" {
		p.ids[id] = true
	}
	_, checked := attribute["checked"]
	box := attribute["type"] == "checkbox" || attribute["type"] == "radio"
	switch {
	case n.Data == "input" && (!box || checked):
		p.controls[attribute["name"]] = attribute["value"]
		if attribute["name"] == "leanwicket-row" {
			p.marks = append(p.marks, attribute["value"])
		}
	case n.Data == "textarea" && n.FirstChild != nil:
		p.controls[attribute["name"]] = n.FirstChild.Data
	}
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		p.walk(child)
	}
}

func (s *site) get() page {
	r, err := http.NewRequest(http.MethodGet, s.server.URL+"/stay", nil)
	require.NoError(s.t, err)
	return s.do(r)
}

// post sends the form as a browser would, with the key of the page.
func (s *site) post(values url.Values) page {
	if !values.Has("leanwicket-key") {
		values.Set("leanwicket-key", cmp.Or(s.key, "of-no-page"))
	}
	r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(values.Encode()))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return s.do(r)
}

// Without script: opened, refused by the form, refused by the office, accepted.
func TestOneApplicationWithoutScript(t *testing.T) {
	s := newSite(t, stayForm, func(got formhttp.Submission) (formhttp.Answer, error) {
		var stay struct{ Vessel string }
		require.NoError(t, got.Decode(&stay))
		if stay.Vessel == "Egret" {
			return formhttp.Answer{Status: 422, Body: map[string]any{"errors": map[string]any{"boat": "Egret lies here already.", "season": "Too early."}}}, nil
		}
		return accept(got)
	}, nil)
	p := s.get()
	require.Equal(t, 200, p.status)
	require.Contains(t, p.header.Get("Content-Security-Policy"), "default-src 'none'")
	require.True(t, p.ids["leanwicket-crew"] && p.ids["leanwicket-note"])

	p = s.post(url.Values{"vessel": {""}, "nights": {"forty <b>"}, "quay": {"south"}, "note": {"first\r\nsecond"}})
	require.Equal(t, 422, p.status)
	require.Equal(t, "forty <b>", p.controls["nights"]) // nothing that was typed is thrown away
	require.Equal(t, "south", p.controls["quay"])
	require.Contains(t, p.text, `href="#leanwicket-vessel"`)
	require.Contains(t, p.text, `aria-describedby="leanwicket-nights-issues"`)
	require.Contains(t, p.text, "autofocus")
	require.NotContains(t, p.text, "<b>")
	require.Empty(t, s.sent)

	p = s.post(url.Values{"vessel": {"Egret"}, "nights": {"4"}})
	require.Equal(t, 422, p.status)
	require.Contains(t, p.text, "Egret lies here already.")
	require.Contains(t, p.text, "Too early.")
	require.True(t, p.ids["leanwicket-vessel-issues"])

	p = s.post(url.Values{"vessel": {"Heron"}, "nights": {"4"}, "leanwicket-button": {"save"}})
	require.Equal(t, 303, p.status)
	require.Regexp(t, received, p.header.Get("Location"))
	require.Equal(t, "save", s.sent[1].Button)
	require.JSONEq(t, `{"vessel": "Heron", "nights": 4}`, string(s.sent[1].Body))
}

// received is the page that a submission is redirected to.
const received = `^/stay\?leanwicket-received=[!-~]+#leanwicket-notice$`

func TestRowsWithoutScript(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	s.get()
	p := s.post(url.Values{"vessel": {"Heron"}, "crew": {"0"}, "leanwicket-add": {"crew"}})
	require.Equal(t, 200, p.status)
	require.Equal(t, "Heron", p.controls["vessel"])
	p = s.post(url.Values{"vessel": {"Heron"}, "crew": {"1"}, "crew/0/name": {"Ada"}, "leanwicket-add": {"crew"}})
	require.Equal(t, [2]string{"Ada", ""}, [2]string{p.controls["crew/0/name"], p.controls["crew/1/name"]})
	crew := url.Values{"vessel": {"Heron"}, "crew": {"2"}, "crew/0/name": {"Ada"}, "crew/1/name": {"Bo"}, "crew/1/cook": {"true"}}
	moving := maps.Clone(crew)
	moving.Set("leanwicket-move", "crew/1")
	p = s.post(moving)
	require.Equal(t, [3]string{"Bo", "Ada", "true"}, [3]string{p.controls["crew/0/name"], p.controls["crew/1/name"], p.controls["crew/0/cook"]})
	moving.Set("leanwicket-move", "crew/0") // there is nowhere to go
	require.Equal(t, "Ada", s.post(moving).controls["crew/0/name"])
	crew.Set("leanwicket-remove", "crew/0")
	p = s.post(crew)
	require.Equal(t, "Bo", p.controls["crew/0/name"])
	require.Equal(t, "true", p.controls["crew/0/cook"])
	require.Equal(t, "1", p.controls["crew"])
	p = s.post(url.Values{"vessel": {"Heron"}, "crew": {"1"}, "crew/0/name": {"Bo"}})
	require.Equal(t, 303, p.status)
	require.JSONEq(t, `{"vessel": "Heron", "crew": [{"name": "Bo"}]}`, string(s.sent[0].Body))
}

// A field that is not asked is neither required nor sent.
func TestAskedOnlySometimes(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	s.get()
	s.post(url.Values{"vessel": {"Heron"}, "amperage": {"16"}})
	s.get()
	s.post(url.Values{"vessel": {"Heron"}, "amperage": {"16"}, "power": {"true"}})
	require.JSONEq(t, `{"vessel": "Heron"}`, string(s.sent[0].Body))
	require.JSONEq(t, `{"vessel": "Heron", "power": true, "amperage": 16}`, string(s.sent[1].Body))
}

// Without a script the page says, in words, with which answers a field is asked.
func TestWhenAFieldIsAsked(t *testing.T) {
	const form = `form: plot
schema:
  properties:
    hut: {type: boolean, title: Hut}
    crop: {title: Crop, oneOf: [{const: l, title: Leeks}, {const: p, title: Peas}, {const: t, title: Thyme}]}
    note: {type: string, title: Note}
    open: {type: string}
    stakes: {type: integer}
    shade: {type: string}
  if: {properties: {hut: {const: true}}, required: [hut]}
  then: {properties: {key: {type: string}}}
submit: {url: /stay}
fields:
  open: {when: {hut: false}}
  stakes: {when: {crop: [l, p]}}
  shade: {when: {crop: t, hut: true}}
`
	text := newSite(t, form, accept, nil).get().text
	var told []string
	for _, after := range strings.Split(text, `<span class="leanwicket-sometimes">`)[1:] {
		words, _, _ := strings.Cut(after, "<")
		told = append(told, words)
	}
	require.Equal(t, []string{
		"Only if “Hut” is not ticked.", "Only if “Crop” is Leeks or Peas.", "Only if “Crop” is Thyme and “Hut” is ticked.", "Only if “Hut” is ticked.",
	}, told)
}

// Ten clicks with one key do the work once, and each gets the first one's
// answer; a failure gives the key back.
func TestWorkIsDoneOnce(t *testing.T) {
	var failing atomic.Bool
	failing.Store(true)
	s := newSite(t, stayForm, func(got formhttp.Submission) (formhttp.Answer, error) {
		if failing.Load() {
			if got.Button == "save" {
				panic("out of order")
			}
			return formhttp.Answer{}, errors.New("the office is closed")
		}
		return accept(got)
	}, nil)
	s.get()
	values := url.Values{"vessel": {"Heron"}, "leanwicket-key": {s.key}}
	require.Equal(t, 500, s.post(values).status)
	values.Set("leanwicket-button", "save")
	p := s.post(values)
	require.Equal(t, 500, p.status)
	require.Contains(t, p.text, "Something went wrong here. Nothing was stored")
	require.Equal(t, "Heron", p.controls["vessel"], "what was typed is there")
	failing.Store(false)
	before := len(s.sent)
	var all sync.WaitGroup
	for range 10 {
		all.Go(func() {
			r, _ := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(values.Encode()))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			response, err := s.server.Client().Do(r)
			if err == nil {
				response.Body.Close()
			}
			if err != nil || response.StatusCode != 303 {
				t.Error(err, response)
			}
		})
	}
	all.Wait()
	require.Len(t, s.sent, before+1)
	values.Set("vessel", "Tern") // the same key with other values
	require.Equal(t, 422, s.post(values).status)
	require.Len(t, s.sent, before+1)
}

func TestJSONClients(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	send := func(body string) (page, map[string]any) {
		r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Idempotency-Key", "of-this-test")
		p := s.do(r)
		var problem map[string]any
		require.NoError(t, json.Unmarshal([]byte(p.text), &problem))
		return p, problem
	}
	p, problem := send(`{"nights": 99, "crew": [{"cook": true}]}`)
	require.Equal(t, 422, p.status)
	require.Equal(t, "application/problem+json", p.header.Get("Content-Type"))
	pointers := []string{}
	for _, e := range problem["errors"].([]any) {
		pointers = append(pointers, e.(map[string]any)["pointer"].(string))
	}
	require.Equal(t, []string{"#/vessel", "#/nights", "#/crew/0/name"}, pointers)
	p, body := send(`{"vessel": "Heron"}`)
	require.Equal(t, 201, p.status)
	require.Equal(t, "S-1", body["id"])
}

// The page of docs/server.md is one that can be copied.
func TestThePageOfTheDocs(t *testing.T) {
	docs, err := os.ReadFile("../docs/server.md")
	require.NoError(t, err)
	block := regexp.MustCompile("(?s)```html\n(.*?)```").FindSubmatch(docs)
	require.NotNil(t, block)
	s := newSite(t, stayForm, accept, func(o *formhttp.Options) {
		o.Page = template.Must(template.New("").Parse(string(block[1])))
		o.Own = func(*http.Request) any { return "Ada <Fenwick>" }
	})
	require.Contains(t, s.get().text, "<header>Harbour office, signed in: Ada &lt;Fenwick&gt;</header>")
	p := s.post(url.Values{"vessel": {""}})
	require.Equal(t, 422, p.status)
	require.Contains(t, p.text, `<p role="alert">Not sent: one answer needs your attention.</p>`)
}

func TestHostileRequests(t *testing.T) {
	s := newSite(t, stayForm, accept, func(o *formhttp.Options) { o.MaxBody = 200_000; o.MaxFields = 100 })
	s.get()
	send := func(kind, body string, change func(*http.Request)) int {
		r, err := http.NewRequest(http.MethodPost, s.server.URL+"/stay", strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", kind)
		if change != nil {
			change(r)
		}
		return s.do(r).status
	}
	urlencoded := "application/x-www-form-urlencoded"
	require.Equal(t, 403, send(urlencoded, "vessel=Heron", func(r *http.Request) { r.Header.Set("Sec-Fetch-Site", "cross-site") }))
	require.Equal(t, 413, send(urlencoded, "vessel="+strings.Repeat("x", 300_000), nil))
	require.Equal(t, 413, send(urlencoded, strings.Repeat("a=1&", 200), nil))
	require.Equal(t, 413, send("application/json", strings.Repeat(`{"a":`, 100)+"1"+strings.Repeat("}", 100), nil))
	require.Equal(t, 400, send("application/json", "{", nil))
	require.Equal(t, 400, send("text/plain", "vessel=Heron", nil))
	require.Equal(t, 422, send(urlencoded, "crew=1000&crew/../x=1&__proto__=1&leanwicket-remove=", nil))
	r, err := http.NewRequest(http.MethodDelete, s.server.URL+"/stay", nil)
	require.NoError(t, err)
	require.Equal(t, 405, s.do(r).status)
	require.Empty(t, s.sent)
}

// One address serves the page, the record that the form's prefill asks for, and submissions,
// and tells which methods it knows. The policy of a page is the application's where it has
// one.
func TestOneAddressServesAll(t *testing.T) {
	const form = "form: allotment\nschema: {properties: {plot: {type: string}}}\nprefill: {url: /allotments/7}\nsubmit: {url: /allotments/7, method: PATCH}\n"
	fails := false
	s := newSite(t, form, accept, func(o *formhttp.Options) {
		o.Policy = "default-src 'none'; style-src 'self' " + formhttp.StyleHash()
		o.Load = func(*http.Request) (map[string]any, string, error) {
			if fails {
				return nil, "", errors.New("the archive is closed")
			}
			return map[string]any{"plot": "B 12"}, `"3"`, nil
		}
	})
	ask := func(method, accepts string) *http.Response {
		r, err := http.NewRequest(method, s.server.URL+"/stay", nil)
		require.NoError(t, err)
		r.Header.Set("Accept", accepts)
		response, err := s.server.Client().Do(r)
		require.NoError(t, err)
		t.Cleanup(func() { response.Body.Close() })
		return response
	}
	page := ask("GET", "text/html,application/xhtml+xml,application/json;q=0.9")
	require.Equal(t, "text/html; charset=utf-8", page.Header.Get("Content-Type"))
	require.Equal(t, "default-src 'none'; style-src 'self' "+formhttp.StyleHash(), page.Header.Get("Content-Security-Policy"))
	record := ask("GET", "application/json")
	body, err := io.ReadAll(record.Body)
	require.NoError(t, err)
	require.Equal(t, `200 "3" {"plot":"B 12"} Accept`, fmt.Sprint(record.StatusCode, " ", record.Header.Get("ETag"), " ", string(body), " ", record.Header.Get("Vary")))
	head := ask("HEAD", "application/json")
	require.Equal(t, `"3"`, head.Header.Get("ETag"))
	fails = true
	require.Equal(t, "500 application/problem+json", fmt.Sprint(ask("GET", "application/json").StatusCode, " ", ask("GET", "application/json").Header.Get("Content-Type")))
	for method, status := range map[string]int{"OPTIONS": 204, "DELETE": 405, "PUT": 405} {
		response := ask(method, "*/*")
		require.Equal(t, status, response.StatusCode, method)
		require.Equal(t, "GET, HEAD, OPTIONS, POST, PATCH", response.Header.Get("Allow"), method)
	}
	without := newSite(t, stayForm, accept, nil)
	r, err := http.NewRequest("GET", without.server.URL+"/stay", nil)
	require.NoError(t, err)
	r.Header.Set("Accept", "application/json")
	require.Equal(t, 404, without.do(r).status)
}

// Whatever is posted, the answer is a page, a redirect or a problem, and the
// server does not fail.
func FuzzPost(f *testing.F) {
	f.Add("vessel=Heron&nights=4&leanwicket-key=k", false, "")
	f.Add("crew=2&crew/0/name=Ada&crew/1/cook=true&leanwicket-add=crew", false, "*")
	f.Add("leanwicket-remove=crew/7&vessel=%00%ff&quay=north&quay=south", false, "W/\"1\", \"2")
	f.Add(`{"vessel": "Heron", "crew": [{"name": 7}, null], "nights": 1e99}`, true, "\"1\"")
	f.Add(`{"vessel": {"deep": [[[]]]}, "power": "yes"}`, true, ", ,")
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(stayForm + "prefill: {url: /stays}\n")}}, "f.form.yaml")
	require.NoError(f, err)
	handler, err := formhttp.New(source.Form, source, formhttp.Options{
		Submit: func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) { return accept(s) },
		Load:   func(*http.Request) (map[string]any, string, error) { return nil, "1", nil },
	})
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, body string, asJSON bool, match string) {
		r := httptest.NewRequest(http.MethodPost, "/stay", strings.NewReader(body))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("If-Match", match)
		if asJSON {
			r.Header.Set("Content-Type", "application/json")
			r.Header.Set("Idempotency-Key", "k")
		}
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		if w.Code >= 500 {
			t.Errorf("%d: %s", w.Code, w.Body)
		}
	})
}

// The policy of a page is made from what it uses: its own style, style sheets and scripts of
// here and of elsewhere.
func TestThePolicyIsMadeFromWhatIsUsed(t *testing.T) {
	const form = "form: kiln\nschema: {properties: {pot: {type: string}}}\nsubmit: {url: /firings}\n"
	s := newSite(t, form, accept, func(o *formhttp.Options) {
		o.Style = ".kiln { color: #822 }"
		o.Styles = []string{"/kiln.css", "https://fonts.example/clay.css?v=2", "/more.css"}
		o.Scripts = []string{"https://stats.example:8443/count.js"}
		o.Own = func(r *http.Request) any { return r.URL.Path }
		o.Page = template.Must(template.New("").Parse(`{{define "buttons"}}<p class="kiln">At {{$.Name}}</p><button>Fire</button>{{end}}{{define "notice"}}<p>{{.Notice}} Seen at {{.Own}}</p>{{end}}`))
	})
	p := s.get()
	style := regexp.MustCompile(`(?s)<style>(.*)</style>`).FindStringSubmatch(p.text)[1]
	require.Contains(t, style, ".kiln { color: #822 }")
	hash := sha256.Sum256([]byte(style))
	require.Equal(t, "default-src 'none'; style-src 'sha256-"+base64.StdEncoding.EncodeToString(hash[:])+"' 'self' https://fonts.example; font-src 'self' https://fonts.example; "+
		"img-src 'self' https://fonts.example; script-src https://stats.example:8443; form-action 'self'; base-uri 'none'; frame-ancestors 'none'", p.header.Get("Content-Security-Policy"))
	require.Contains(t, p.text, `<link rel="stylesheet" href="https://fonts.example/clay.css?v=2">`)
	require.Contains(t, p.text, `<script src="https://stats.example:8443/count.js" defer></script>`)
	require.Contains(t, p.text, "Seen at /stay")
}
