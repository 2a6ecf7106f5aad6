package formhttp_test

import (
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/formhttp"
)

const recordForm = `form: record
schema: {properties: {name: {type: string}, depth: {type: number}}}
prefill: {url: /record, needed: true}
submit: {url: /record, method: PATCH}
accepted: {then: navigate, to: "/records/{id}"}
`

// A saved record is shown, only what was changed is sent, with its version; and
// the redirect stays in this origin.
func TestSavedRecords(t *testing.T) {
	to := "/records/7"
	s := newSite(t, recordForm, func(got formhttp.Submission) (formhttp.Answer, error) {
		if got.Version != `"4"` {
			return formhttp.Answer{Status: 412}, nil
		}
		return formhttp.Answer{Status: 200, Header: http.Header{"Location": {to}}}, nil
	}, func(o *formhttp.Options) {
		o.Load = func(*http.Request) (map[string]any, string, error) {
			return map[string]any{"name": "Buoy 7", "depth": 4.5}, `"4"`, nil
		}
	})
	p := s.get()
	require.Equal(t, "Buoy 7", p.controls["name"])
	require.Equal(t, `"4"`, p.controls["leanwicket-version"])
	p = s.post(url.Values{"name": {"Buoy 7"}, "depth": {"5"}, "leanwicket-version": {`"4"`}})
	require.Equal(t, "/records/7", p.header.Get("Location"))
	require.JSONEq(t, `{"depth": 5}`, string(s.sent[0].Body))
	to = "//elsewhere.example/"
	s.get()
	p = s.post(url.Values{"name": {"Buoy 8"}, "depth": {"5"}, "leanwicket-version": {`"4"`}})
	require.Regexp(t, received, p.header.Get("Location"))
	s.get()
	p = s.post(url.Values{"name": {"Buoy 9"}, "depth": {"5"}, "leanwicket-version": {`"3"`}})
	require.Equal(t, 412, p.status)
}

// A record that is not there is answered with 404, and one that was removed after it had been
// saved still answers a repeat.
func TestRecordsThatAreNotThere(t *testing.T) {
	there := true
	s := newSite(t, recordForm, func(formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 200}, nil
	}, func(o *formhttp.Options) {
		o.Load = func(*http.Request) (map[string]any, string, error) {
			if !there {
				return nil, "", fmt.Errorf("the buoy: %w", fs.ErrNotExist)
			}
			return map[string]any{"name": "Buoy 7", "depth": 4.5}, `"4"`, nil
		}
	})
	s.get()
	sent := url.Values{"name": {"Buoy 7"}, "depth": {"5"}, "leanwicket-version": {`"4"`}, "leanwicket-key": {s.key}}
	require.Equal(t, 303, s.post(sent).status)
	there = false
	require.Equal(t, 303, s.post(sent).status, "the same once more")
	p := s.get()
	require.Equal(t, 404, p.status)
	require.Contains(t, p.text, "There is no such record.")
	r, err := http.NewRequest(http.MethodGet, s.server.URL+"/stay", nil)
	require.NoError(t, err)
	r.Header.Set("Accept", "application/json")
	require.Equal(t, 404, s.do(r).status)
	sent.Set("leanwicket-key", "another")
	p = s.post(sent)
	require.Equal(t, 404, p.status)
	require.Contains(t, p.text, "There is no such record. Nothing was stored.")
	require.Equal(t, "5", p.controls["depth"])
	require.Len(t, s.sent, 1)
}

// A number that a script has written as a form has a point, whatever the form's language, and is no
// thousand times what it was. What a person types is read in their language.
func TestANumberOfAScript(t *testing.T) {
	s := newSite(t, "form: plot\nlang: de\nschema: {properties: {depth: {type: number}}}\nsubmit: {url: /plot, as: form}\n", accept, nil)
	for k, c := range []struct{ button, sent string }{{"submit", `{"depth":1.234}`}, {"", `{"depth":1234}`}} {
		r, err := http.NewRequest("POST", s.server.URL, strings.NewReader("depth=1.234"))
		require.NoError(t, err)
		for name, value := range map[string]string{"Content-Type": "application/x-www-form-urlencoded", "Idempotency-Key": "key-" + c.button, "Leanwicket-Button": c.button} {
			r.Header.Set(name, value)
		}
		s.do(r)
		require.Equal(t, c.sent, string(s.sent[k].Body))
	}
}
