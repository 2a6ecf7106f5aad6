package formhttp_test

import (
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/formhttp"
)

// The server invents nothing where something is missing: no version, no key, no account, no row and no member.

// send sends a request as it is, with headers as names and values.
func (s *site) send(method, kind, body string, headers ...string) page {
	r, err := http.NewRequest(method, s.server.URL+"/stay", strings.NewReader(body))
	require.NoError(s.t, err)
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	for k := 0; k < len(headers); k += 2 {
		r.Header.Set(headers[k], headers[k+1])
	}
	return s.do(r)
}

const urlencoded, asJSON = "application/x-www-form-urlencoded", "application/json"

// What one account has typed is never stored in the name of another, however often that presses; and who signs in
// again as the same person goes on.
func TestASecondPressOfAnotherAccount(t *testing.T) {
	s := newSite(t, stayForm, accept, func(o *formhttp.Options) {
		byAccount(o)
		o.Secret = []byte("0123456789abcdef0123456789abcdef")
		o.Admit = func(r *http.Request) *formhttp.Answer {
			if r.Header.Get("Account") == "" {
				return &formhttp.Answer{Status: 401}
			}
			return nil
		}
	})
	press := func(p page, account string) page {
		values := url.Values{}
		for name, value := range p.controls {
			values.Set(name, value)
		}
		values.Set("vessel", "Heron")
		return s.as(account, values)
	}
	opened := s.send("GET", "", "", "Account", "ada")
	for range 3 { // each presses what the page before has shown
		opened = press(opened, "bo")
		require.Equal(t, 401, opened.status)
		require.Contains(t, opened.text, "Somebody else has signed in here")
		require.Equal(t, "Heron", opened.controls["vessel"])
	}
	require.Empty(t, s.sent)
	signedOut := press(opened, "")
	require.Equal(t, 401, signedOut.status)
	require.NotContains(t, signedOut.text, "Somebody else")
	require.Equal(t, 303, press(signedOut, "ada").status, "the same person again")
	require.Len(t, s.sent, 1)
	require.Equal(t, 401, s.send("POST", asJSON, `{"vessel": "Tern"}`, "Account", "bo", "Idempotency-Key", "k", "Leanwicket-Account", opened.controls["leanwicket-account"]).status)
}

const logForm = `form: log
title: Log of a buoy
schema:
  properties:
    name: {type: string}
    depth: {type: number}
    lit: {type: boolean}
    light: {type: string, enum: [red, green]}
    checks: {type: array, items: {properties: {by: {type: string}, on: {type: string, format: date}}}}
fields: {name: {label: Name}, depth: {label: Depth}, lit: {label: Lit}, light: {label: Light}, checks: {label: Checks}, checks/*/by: {label: By}, checks/*/on: {label: Day}}
prefill: {url: /log}
submit: {url: /log, method: PUT}
`

// buoy is a record that is saved by version, as an application keeps it.
type buoy struct {
	record  map[string]any
	version int
	quoted  bool
}

func (b *buoy) tag() string {
	if b.quoted {
		return fmt.Sprintf("%q", fmt.Sprint(b.version))
	}
	return fmt.Sprint(b.version)
}

func newBuoy(t *testing.T, quoted bool) (*buoy, *site) { return newBuoyOf(t, logForm, quoted) }

func newBuoyOf(t *testing.T, form string, quoted bool) (*buoy, *site) {
	b := &buoy{record: map[string]any{"name": "Buoy 7", "depth": 4.5, "light": "red", "keeper": map[string]any{"id": 12345678901}, "checks": []any{map[string]any{"by": "Ada", "id": "c1"}}}, version: 4, quoted: quoted}
	return b, newSite(t, form, func(got formhttp.Submission) (formhttp.Answer, error) {
		if got.Version != b.tag() {
			return formhttp.Answer{Status: 412}, nil
		}
		require.NoError(t, got.Decode(&b.record))
		b.version++
		return formhttp.Answer{Status: 200, Header: http.Header{"ETag": {b.tag()}}, Body: map[string]any{}}, nil
	}, func(o *formhttp.Options) {
		o.Load = func(*http.Request) (map[string]any, string, error) { return b.record, b.tag(), nil }
	})
}

// A version travels as an entity tag, and comes back as If-Match; without one nothing is replaced.
func TestVersionsAreEntityTags(t *testing.T) {
	for _, quoted := range []bool{true, false} {
		b, s := newBuoy(t, quoted)
		require.Equal(t, `"4"`, s.send("GET", "", "", "Accept", asJSON).header.Get("ETag"))
		for condition, status := range map[string]int{
			"": 428, `"3"`: 412, `W/"4"`: 412, `"3", "5"`: 412, "4": 400, `"4`: 400, `"`: 400,
		} {
			p := s.send("PUT", asJSON, `{"name": "Buoy 8"}`, "Idempotency-Key", fmt.Sprintf("k%d-%d", len(condition), status), "If-Match", condition)
			require.Equal(t, status, p.status, condition)
			require.Equal(t, 4, b.version)
		}
		for k, condition := range []string{`"4"`, `"x", "5"`, "*"} {
			p := s.send("PUT", asJSON, `{"name": "Buoy 8"}`, "Idempotency-Key", fmt.Sprintf("k%d", k), "If-Match", condition)
			require.Equal(t, 200, p.status, condition)
			require.Equal(t, fmt.Sprintf(`"%d"`, 5+k), p.header.Get("ETag"))
		}
		require.Equal(t, 7, b.version)
	}
}

// Without a key a repeat would be a second record.
func TestAKeyIsNotInvented(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	p := s.send("POST", urlencoded, "vessel=Heron")
	require.Equal(t, 400, p.status)
	require.Equal(t, "Heron", p.controls["vessel"])
	require.NotEmpty(t, p.controls["leanwicket-key"], "the page has one now")
	require.Equal(t, 400, s.send("POST", asJSON, `{"vessel": "Heron"}`).status)
	require.Empty(t, s.sent)
	require.Equal(t, 303, s.post(url.Values{"vessel": {"Heron"}}).status)
	s = newSite(t, stayForm, accept, func(o *formhttp.Options) { o.KeylessJSON = true })
	for range 2 {
		require.Equal(t, 201, s.send("POST", asJSON, `{"vessel": "Heron"}`).status)
	}
	require.Len(t, s.sent, 2)
}

// Nothing that was sent vanishes behind a success: no row, no second answer and no member.
func TestNothingThatWasSentVanishes(t *testing.T) {
	s := newSite(t, stayForm, accept, nil)
	s.get()
	for body, says := range map[string]string{
		"vessel=Heron&crew=1&crew/0/name=Ada&crew/1/name=Bo": "more rows than the 1",
		"vessel=Heron&crew/0/name=Ada":                       "without the number of its rows",
		"vessel=u&vessel=w":                                  "was sent 2 times",
		"vessel=Heron&nights=1&nights=2":                     "was sent 2 times",
		"vessel=Heron&crew=1&crew=2":                         "was sent 2 times",
	} {
		p := s.send("POST", urlencoded, body+"&leanwicket-key="+s.key)
		require.Equal(t, 422, p.status, body)
		require.Contains(t, p.text, says, body)
	}
	for body, pointer := range map[string]string{
		`{"vessel": "Heron", "colour": "red"}`:                          "#/colour",
		`{"vessel": "Heron", "crew": [{"name": "Ada", "id": 7}]}`:       "#/crew/0/id",
		`{"vessel": "Heron", "crew": [{"name": "Ada"}, {"a/b": null}]}`: "#/crew/1/a~1b",
	} {
		p := s.send("POST", asJSON, body, "Idempotency-Key", "k")
		require.Equal(t, 422, p.status, body)
		require.Contains(t, p.text, pointer)
	}
	require.Equal(t, 400, s.send("POST", asJSON, "{\"vessel\": \"H\xe9ron\"}", "Idempotency-Key", "k").status)
	require.Empty(t, s.sent)
	s = newSite(t, stayForm, accept, func(o *formhttp.Options) { o.UnknownMembers = formhttp.IgnoreUnknown })
	require.Equal(t, 201, s.send("POST", asJSON, `{"vessel": "Heron", "colour": "red"}`, "Idempotency-Key", "k").status)
}

// What a record has beyond the form may come back as it is, and is not stored from a request. A form that leaves it refuses
// what differs; one that sends it back, as it does unless the file says otherwise, goes by its own load.
func TestMembersThatTheRecordHas(t *testing.T) {
	_, s := newBuoy(t, true)
	p := s.send("PUT", asJSON, `{"name": "Buoy 8", "keeper": {"id": 5}, "checks": [{"by": "Ada", "id": "c1"}, {"by": "Bo", "id": "c9"}]}`, "Idempotency-Key", "k", "If-Match", `"4"`)
	require.Equal(t, 200, p.status, p.text)
	require.JSONEq(t, `{"name": "Buoy 8", "keeper": {"id": 12345678901}, "checks": [{"by": "Ada", "id": "c1"}, {"by": "Bo"}]}`, string(s.sent[0].Body))

	b, s := newBuoyOf(t, strings.Replace(logForm, "method: PUT", "method: PUT, undeclared: leave", 1), true)
	p = s.send("PUT", asJSON, `{"name": "Buoy 8", "keeper": {"id": 12345678902}, "checks": [{"by": "Ada", "id": "c1"}]}`, "Idempotency-Key", "k1", "If-Match", `"4"`)
	require.Equal(t, 422, p.status)
	require.Contains(t, p.text, "#/keeper")
	p = s.send("PUT", asJSON, `{"name": "Buoy 8", "keeper": {"id": 12345678901}, "checks": [{"by": "Bo", "id": "c1"}]}`, "Idempotency-Key", "k2", "If-Match", `"4"`)
	require.Equal(t, 200, p.status, p.text)
	require.JSONEq(t, `{"name": "Buoy 8", "checks": [{"by": "Bo"}]}`, string(s.sent[0].Body))
	require.Equal(t, 5, b.version)
}

// Without script, too, a record that was changed elsewhere is no dead end: the next page has both values of what
// differs, a button each, the new version, and what was typed.
func TestChangedElsewhereWithoutScript(t *testing.T) {
	b, s := newBuoy(t, false)
	p := s.get()
	require.Equal(t, `"4"`, p.controls["leanwicket-version"])
	typed := url.Values{"name": {"Buoy seven"}, "depth": {"4.5"}, "light": {"green"}, "checks": {"1"}, "checks/0/by": {"Bo"}, "leanwicket-version": {`"4"`}}
	b.record, b.version = map[string]any{"name": "Buoy VII", "depth": 6, "lit": true, "light": "red", "checks": []any{map[string]any{"by": "Ada"}}}, 5
	p = s.post(typed)
	require.Equal(t, 412, p.status)
	require.Equal(t, `"5"`, p.controls["leanwicket-version"])
	require.Equal(t, "Buoy seven", p.controls["name"])
	require.Contains(t, p.text, "5 answers were changed elsewhere")
	choices := func(p page) string {
		var list []string
		for _, m := range regexp.MustCompile(`(?s)<legend>([^<]*)</legend>\s*<input type="hidden" name="leanwicket-contested".*?<span>(.*?)</span>.*?<span>(.*?)</span>`).FindAllStringSubmatch(p.text, -1) {
			list = append(list, m[1]+": "+m[2]+" | "+m[3])
		}
		return strings.Join(list, "\n")
	}
	require.Equal(t, "Name: Buoy seven | Buoy VII\nDepth: 4.5 | 6\nLit: (nothing) | true\nLight: green | red\nChecks 1, By: Bo | Ada", choices(p))

	again := func(p page, change ...string) page {
		values := url.Values{"leanwicket-contested": regexp.MustCompile(`name="leanwicket-contested" value="([^"]*)"`).FindAllString(p.text, -1)}
		for k, found := range values["leanwicket-contested"] {
			values["leanwicket-contested"][k] = strings.TrimSuffix(strings.TrimPrefix(found, `name="leanwicket-contested" value="`), `"`)
		}
		for name, value := range p.controls {
			if name != "leanwicket-contested" {
				values.Set(name, value)
			}
		}
		for k := 0; k < len(change); k += 2 {
			values.Set(change[k], change[k+1])
		}
		return s.post(values)
	}
	held := again(p)
	require.Equal(t, 422, held.status, "nothing goes before each is chosen")
	require.Len(t, s.sent, 1)
	p = again(held, "leanwicket-theirs", "depth")
	require.Equal(t, 200, p.status)
	require.Equal(t, "6", p.controls["depth"])
	p = again(p, "leanwicket-mine", "name")
	p = again(p, "leanwicket-theirs", "lit")
	p = again(p, "leanwicket-mine", "light")
	require.Equal(t, "Checks 1, By: Bo | Ada", choices(p))
	b.record, b.version = map[string]any{"name": "Buoy VIII", "depth": 6, "lit": true, "light": "red", "checks": []any{map[string]any{"by": "Ada"}}}, 6
	p = again(p, "leanwicket-mine", "checks/0/by")
	require.Equal(t, "Name: Buoy seven | Buoy VIII\nLight: green | red\nChecks 1, By: Bo | Ada", choices(p), "changed once more: asked anew")
	require.Equal(t, `"6"`, p.controls["leanwicket-version"])
	for _, path := range []string{"name", "light", "checks/0/by"} {
		p = again(p, "leanwicket-mine", path)
	}
	require.Empty(t, choices(p))
	require.Equal(t, 303, again(p).status)
	require.JSONEq(t, `{"name": "Buoy seven", "depth": 6, "lit": true, "light": "green", "checks": [{"by": "Bo"}]}`, string(s.sent[len(s.sent)-1].Body))
	require.Equal(t, "6", s.sent[len(s.sent)-1].Version)
}

// Rows that were added, and rows that somebody else has added, are chosen as a whole.
func TestRowsChangedElsewhereWithoutScript(t *testing.T) {
	b, s := newBuoy(t, true)
	s.get()
	var rows []any
	for range 11 {
		rows = append(rows, map[string]any{"by": "Cy"})
	}
	b.record, b.version = map[string]any{"name": "Buoy 7", "depth": 4.5, "light": "red", "checks": rows}, 5
	typed := url.Values{"name": {"Buoy 7"}, "depth": {"4.5"}, "light": {"red"}, "checks": {"2"}, "checks/0/by": {"Ada"}, "checks/1/by": {"Bo"}, "leanwicket-version": {`"4"`}}
	p := s.post(typed)
	require.Equal(t, 412, p.status)
	require.Contains(t, p.text, "<span>2 rows</span>")
	require.Contains(t, p.text, "<span>11 rows</span>")
	require.Equal(t, "Bo", p.controls["checks/1/by"])
	typed.Set("leanwicket-version", `"5"`)
	typed.Set("leanwicket-contested", "checks")
	typed.Set("leanwicket-theirs", "checks")
	p = s.post(typed)
	require.Equal(t, "Cy", p.controls["checks/10/by"])
	require.NotContains(t, p.text, "leanwicket-contested\" value")
}

// A page without a version is no way over somebody else's work.
func TestAPageWithoutAVersion(t *testing.T) {
	_, s := newBuoy(t, true)
	s.get()
	p := s.post(url.Values{"name": {"Buoy 8"}, "depth": {"4.5"}, "light": {"red"}, "checks": {"1"}, "checks/0/by": {"Ada"}})
	require.Equal(t, 428, p.status)
	require.Equal(t, `"4"`, p.controls["leanwicket-version"])
	require.Equal(t, "Buoy 8", p.controls["name"])
	require.Contains(t, p.text, "<span>Buoy 7</span>")
	require.Empty(t, s.sent)
}

// The headers of the application's answer are passed on, several of one name too, also to a repeat.
func TestHeadersArePassedOn(t *testing.T) {
	s := newSite(t, stayForm, func(formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 201, Header: http.Header{
			"Set-Cookie": {"a=1; Path=/\nb=2"}, "x-quay": {"north"}, "Content-Length": {"7"}, "Content-Type": {"text/csv"}, "ETag": {"5"},
		}, Body: map[string]any{"id": 7}}, nil
	}, nil)
	for range 2 {
		p := s.send("POST", asJSON, `{"vessel": "Heron"}`, "Idempotency-Key", "k")
		require.Equal(t, 201, p.status)
		require.Equal(t, []string{"a=1; Path=/", "b=2"}, p.header.Values("Set-Cookie"))
		require.Equal(t, "north", p.header.Get("X-Quay"))
		require.Equal(t, `"5"`, p.header.Get("ETag"))
		require.Equal(t, asJSON, p.header.Get("Content-Type"))
	}
	require.Len(t, s.sent, 1)
	s.get()
	p := s.post(url.Values{"vessel": {"Tern"}})
	require.Equal(t, 303, p.status)
	require.Len(t, p.header.Values("Set-Cookie"), 2)
}
