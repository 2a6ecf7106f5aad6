package formhttp_test

import (
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

const gaugesForm = `form: gauges
title: Gauges of a lock
schema:
  properties:
    lock: {type: string}
    at: {type: object, properties: {mark: {type: string}}}
    gauges: {type: array, items: {properties: {name: {type: string}, read: {type: number}}}}
fields: {lock: {label: Lock}, at/mark: {label: Mark}, gauges: {label: Gauges}, gauges/*/name: {label: Name}, gauges/*/read: {label: Reading}}
prefill: {url: /stay}
submit: {url: /stay, method: PUT}
`

// gauge is a row as the office keeps it. The serial number is none of the form's fields, and the office gives it.
type gauge struct {
	Name   string  `json:"name,omitempty"`
	Read   float64 `json:"read,omitempty"`
	Serial int     `json:"serial"`
}

// lockRecord is a record in types of Go, as a program keeps it.
type lockRecord struct {
	rows    []gauge
	version int
	given   int // serial numbers
}

func (o *lockRecord) load(*http.Request) (map[string]any, string, error) {
	return map[string]any{
		"lock": "Heron Lock", "at": map[string]string{"mark": "north", "keeper": "<Ada & Bo>"}, "gauges": o.rows,
		"built": 1887, "long": json.RawMessage("123456789012345678901234567890"), "tags": []string{"old"},
	}, fmt.Sprint(o.version), nil
}

// take stores a submission as a whole, and gives each new row its number.
func (o *lockRecord) take(t require.TestingT) func(formhttp.Submission) (formhttp.Answer, error) {
	return func(got formhttp.Submission) (formhttp.Answer, error) {
		if got.Version != fmt.Sprint(o.version) {
			return formhttp.Answer{Status: 412}, nil
		}
		var record struct {
			At     map[string]any  `json:"at"`
			Gauges []gauge         `json:"gauges"`
			Built  int             `json:"built"`
			Long   json.RawMessage `json:"long"`
			Tags   []string        `json:"tags"`
		}
		require.NoError(t, json.Unmarshal(got.Body, &record))
		require.Equal(t, 1887, record.Built)
		require.Equal(t, "123456789012345678901234567890", string(record.Long))
		require.Equal(t, []string{"old"}, record.Tags)
		require.Equal(t, "<Ada & Bo>", record.At["keeper"])
		o.rows, o.version = record.Gauges, o.version+1
		for k := range o.rows {
			if o.rows[k].Serial == 0 {
				o.given++
				o.rows[k].Serial = o.given
			}
		}
		return formhttp.Answer{Status: 200, Header: http.Header{"ETag": {fmt.Sprint(o.version)}}, Body: map[string]any{}}, nil
	}
}

// A page without script moves, adds, removes and edits rows, and a client that speaks JSON sends what it has read. What the
// record has beyond the form goes back as it was loaded, and each row keeps its own.
func TestWhatTheFormDoesNotKnowGoesBackWithoutScript(t *testing.T) {
	o := &lockRecord{}
	s := newSite(t, gaugesForm, o.take(t), func(options *formhttp.Options) { options.Load = o.load })
	keys := 0
	rapid.Check(t, func(r *rapid.T) {
		*o = lockRecord{version: 1}
		for k := range rapid.IntRange(0, 11).Draw(r, "rows") {
			o.given++
			o.rows = append(o.rows, gauge{Name: fmt.Sprint("g", k%3), Serial: o.given}) // several have the same answers
		}
		want := slices.Clone(o.rows)
		for range rapid.IntRange(1, 3).Draw(r, "submissions") {
			values := s.get().values()
			for range rapid.IntRange(0, 6).Draw(r, "changes") {
				row := func(name string) int { return rapid.IntRange(0, len(want)-1).Draw(r, name) }
				change := rapid.SampledFrom([]string{"add", "remove", "move", "edit"}).Draw(r, "change")
				switch {
				case change == "add" || len(want) == 0:
					values.Set("leanwicket-add", "gauges")
					want = append(want, gauge{})
				case change == "remove":
					k := row("row")
					values.Set("leanwicket-remove", fmt.Sprint("gauges/", k))
					want = slices.Delete(want, k, k+1)
				case change == "move":
					from, to := row("from"), row("to")
					values.Set("leanwicket-move", fmt.Sprintf("gauges/%d gauges/%d", from, to))
					moved := want[from]
					want = slices.Insert(slices.Delete(want, from, from+1), to, moved)
				default: // it is sent with the next press
					k := row("row")
					want[k].Name = rapid.SampledFrom([]string{"g0", "g1", "weir"}).Draw(r, "name")
					values.Set(fmt.Sprintf("gauges/%d/name", k), want[k].Name)
					continue
				}
				p := s.post(values)
				require.Equal(r, 200, p.status)
				values = p.values()
			}
			if keys++; rapid.Bool().Draw(r, "as JSON") {
				body, err := json.Marshal(map[string]any{"lock": "Heron Lock", "at": map[string]any{"mark": "south", "keeper": "nobody"}, "gauges": want, "built": 1999})
				require.NoError(r, err)
				require.Equal(r, 200, s.send("PUT", asJSON, string(body), "Idempotency-Key", fmt.Sprint("k", keys), "If-Match", fmt.Sprintf(`"%d"`, o.version)).status)
			} else {
				require.Equal(r, 303, s.post(values).status)
			}
			require.Len(r, o.rows, len(want))
			for k := range want {
				if want[k].Serial == 0 {
					want[k].Serial = o.rows[k].Serial // the office has given it
				}
			}
			require.Equal(r, fmt.Sprint(want), fmt.Sprint(o.rows))
		}
	})
}

// values are the controls of a page as a browser sends them.
func (p page) values() url.Values {
	values := url.Values{}
	for name, value := range p.controls {
		values.Set(name, value)
	}
	values["leanwicket-row"] = p.marks
	return values
}

// Rows that were chosen over another version's keep what the record has beyond them, and so do those of a page that was turned
// away before anything was read.
func TestRowsThatWereChosenKeepTheirOwn(t *testing.T) {
	o := &lockRecord{version: 1, given: 3, rows: []gauge{{"upper", 1, 1}, {"middle", 2, 2}, {"lower", 3, 3}}}
	signedIn := true
	s := newSite(t, gaugesForm, o.take(t), func(options *formhttp.Options) {
		options.Load = o.load
		options.Admit = func(*http.Request) *formhttp.Answer {
			if signedIn {
				return nil
			}
			return &formhttp.Answer{Status: 401}
		}
	})
	press := func(p page, pairs ...string) page {
		values := p.values()
		for k := 0; k < len(pairs); k += 2 {
			values.Set(pairs[k], pairs[k+1])
		}
		return s.post(values)
	}
	p := press(s.get(), "leanwicket-remove", "gauges/1")
	p = press(p, "leanwicket-move", "gauges/1 gauges/0")
	p = press(p, "leanwicket-add", "gauges")
	o.rows[0].Read, o.version = 1.5, 2 // somebody else has read the upper gauge
	signedIn = false
	p = press(p, "gauges/2/name", "weir")
	require.Equal(t, 401, p.status)
	signedIn = true
	p = press(p)
	require.Equal(t, 412, p.status)
	require.Contains(t, p.text, "<legend>Gauges</legend>")
	p = press(p, "leanwicket-mine", "gauges")
	require.Equal(t, 303, press(p).status)
	require.Equal(t, []gauge{{"lower", 3, 3}, {"upper", 1, 1}, {"weir", 0, 4}}, o.rows)
}

// A part of one's own that does not tell which of the saved rows a row is would lose what they have.
func TestAPartWithoutTheMarksOfRows(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(gaugesForm)}}, "f.form.yaml")
	require.NoError(t, err)
	rows := template.Must(template.New("").Parse(`{{define "rows"}}<input type="hidden" name="{{.Path}}" value="{{len .Rows}}">{{range .Rows}}{{template "row" .}}{{end}}{{end}}{{define "row"}}{{range .Fields}}{{template "field" .}}{{end}}{{end}}{{define "field"}}<input name="{{.Path}}" value="{{.Value}}">{{end}}`))
	_, err = formhttp.New(source.Form, source, formhttp.Options{Page: rows, Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: 200}, nil
	}})
	require.ErrorContains(t, err, "the template rows does not say which of the saved rows each row of gauges is")
}

// As many rows as a request can have are told apart by what they have, and a client that speaks of none of that keeps those that it
// has left as they are.
func TestAThousandRowsKeepTheirOwn(t *testing.T) {
	o := &lockRecord{version: 1}
	for k := range 1000 {
		o.given++
		o.rows = append(o.rows, gauge{Name: fmt.Sprint("g", k), Serial: o.given})
	}
	s := newSite(t, gaugesForm, o.take(t), func(options *formhttp.Options) { options.Load = o.load })
	var body struct {
		Gauges []map[string]any `json:"gauges"`
	}
	for k := range 1000 { // the other way round, without the numbers, and the first one has another name
		body.Gauges = append(body.Gauges, map[string]any{"name": fmt.Sprint("g", 999-k)})
	}
	body.Gauges[0]["name"] = "weir"
	text, err := json.Marshal(body)
	require.NoError(t, err)
	require.Equal(t, 200, s.send("PUT", asJSON, string(text), "Idempotency-Key", "k", "If-Match", `"1"`).status)
	require.Equal(t, gauge{"weir", 0, 1001}, o.rows[0])
	for k, row := range o.rows[1:] {
		require.Equal(t, gauge{fmt.Sprint("g", 998-k), 0, 999 - k}, row)
	}
}
