package replies_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

func openForm(t testing.TB, name string) *form.Form {
	source, err := declare.OpenFS(harbour.Files(), name)
	require.NoError(t, err)
	return source.Form
}

func body(t testing.TB, text string) any {
	var v any
	decoder := json.NewDecoder(strings.NewReader(text))
	decoder.UseNumber()
	require.NoError(t, decoder.Decode(&v), text)
	return v
}

func TestStatusAndHeadersDecideTheKind(t *testing.T) {
	retry := map[string]string{"retry-after": "2"}
	for _, c := range []struct {
		status int
		header map[string]string
		want   lifecycle.ReplyKind
	}{
		{200, nil, lifecycle.ReplyAccepted},
		{204, nil, lifecycle.ReplyAccepted},
		{303, nil, lifecycle.ReplyAccepted},
		{400, nil, lifecycle.ReplyRefused},
		{404, nil, lifecycle.ReplyRefused},
		{409, nil, lifecycle.ReplyRefused},
		{413, nil, lifecycle.ReplyRefused},
		{422, nil, lifecycle.ReplyRefused},
		{418, nil, lifecycle.ReplyRefused},
		{401, nil, lifecycle.ReplyDenied},
		{403, nil, lifecycle.ReplyDenied},
		{412, nil, lifecycle.ReplyOutdated},
		{409, retry, lifecycle.ReplyUnderway},
		{425, nil, lifecycle.ReplyUnderway},
		{429, nil, lifecycle.ReplyUnavailable},
		{503, nil, lifecycle.ReplyUnavailable},
		{408, nil, lifecycle.ReplyUnknown},
		{500, nil, lifecycle.ReplyUnknown},
		{502, nil, lifecycle.ReplyUnknown},
		{504, retry, lifecycle.ReplyUnknown},
		{302, nil, lifecycle.ReplyUnknown},
	} {
		require.Equal(t, c.want, replies.Response{Status: c.status, Header: c.header}.Kind(), c.status)
	}
	require.Equal(t, lifecycle.ReplyUnknown, replies.Response{Broken: true, Status: 200}.Kind())
}

func TestRetryAfter(t *testing.T) {
	now := time.Date(2031, 5, 2, 10, 0, 0, 0, time.UTC)
	f := openForm(t, "mooring.form.yaml")
	for text, want := range map[string]time.Duration{
		"3": 3 * time.Second, "0": 0, "": -1, "soon": -1, "-4": -1,
		"Fri, 02 May 2031 10:00:30 GMT": 30 * time.Second, "Fri, 02 May 2031 09:00:00 GMT": 0,
		"Friday, 02-May-31 10:01:00 GMT": time.Minute,
	} {
		reply := replies.Submit(f, replies.Response{Status: 503, Header: map[string]string{"Retry-After": text}, Now: now})
		require.Equal(t, want, reply.RetryAfter, text)
	}
}

// Every shape of files.md, and names in every style.
func TestEveryEntryIsPlaced(t *testing.T) {
	mooring, pilot := openForm(t, "mooring.form.yaml"), openForm(t, "pilot.form.yaml")
	for name, c := range map[string]struct {
		form *form.Form
		body string
		want string // path code text, one a line
	}{
		"problem details": {
			mooring, `{"type":"about:blank","title":"Invalid","errors":[{"pointer":"#/vessel/name","detail":"Taken."},{"pointer":"/arrival","detail":"Closed."}]}`,
			"vessel/name||Taken.\narrival||Closed.",
		},
		"JSON:API": {
			mooring, `{"errors":[{"source":{"pointer":"/vessel/length"},"code":"tooLong","title":"Too long"},{"source":{"parameter":"berth"},"detail":"Gone."}]}`,
			"vessel/length|tooLong|Too long\nberth||Gone.",
		},
		"by name":        {mooring, `{"errors":{"arrival":"Closed.","vessel.name":["Taken.","Too short."]}}`, "arrival||Closed.\nvessel/name||Taken.\nvessel/name||Too short."},
		"by name nested": {mooring, `{"errors":{"vessel":{"name":["Taken."]}}}`, "vessel/name||Taken."},
		"list of fields": {
			mooring, `{"errors":[{"field":"vessel.name","message":"Taken."},{"name":"berth","detail":"Gone.","code":"gone"},{"path":"email","message":"No."}]}`,
			"vessel/name||Taken.\nberth|gone|Gone.\nemail||No.",
		},
		"path as a list": {pilot, `{"errors":[{"path":["crew",0,"name"],"message":"Who?"}]}`, "crew/0/name||Who?"},
		"server names":   {mooring, `{"errors":[{"pointer":"/data/vesselName","detail":"Taken."}]}`, "vessel/name||Taken."},
		"rows":           {pilot, `{"errors":{"crew[1].licence":"Unknown.","crew.0.name":"Who?","crew/2":"One too many.","crew":"Nobody?"}}`, "crew||Nobody?\ncrew/0/name||Who?\ncrew/2||One too many.\ncrew/1/licence||Unknown."},
		"texts":          {mooring, `{"errors":["Closed.","Come back."]}`, "||Closed.\n||Come back."},
		"unknown names":  {mooring, `{"errors":{"season":"Over.","arrival":"Closed."}}`, "arrival||Closed.\n||Over."},
		"message alone":  {mooring, `{"message":"The office is closed."}`, "||The office is closed."},
		"detail alone":   {mooring, `{"detail":"Closed.","title":"Refused"}`, "||Closed."},
		"wrong types":    {mooring, `{"errors":[1,true,null,{"field":7},[["deep"]]]}`, "||1\n||true\n||not accepted\n||7\n||deep"},
		"no JSON":        {mooring, `null`, "||The office did not accept this and gave no reason. (422)"},
		"a text":         {mooring, `"no"`, "||no"},
		"a list":         {mooring, `[{"field":"arrival","message":"Closed."}]`, "arrival||Closed."},
		"empty":          {mooring, `{"errors":{}}`, "||The office did not accept this and gave no reason. (422)"},
	} {
		t.Run(name, func(t *testing.T) {
			reply := replies.Submit(c.form, replies.Response{Status: 422, Body: body(t, c.body)})
			var lines []string
			for _, e := range reply.Entries {
				lines = append(lines, e.Path+"|"+e.Code+"|"+e.Text)
			}
			require.Equal(t, c.want, strings.Join(lines, "\n"))
		})
	}
}

func TestAcceptedRepliesSayWhereToGoAndWhatChanged(t *testing.T) {
	visit, contact := openForm(t, "visit.form.yaml"), openForm(t, "contact.form.yaml")
	location := map[string]string{"Location": "/visits/9", "ETag": `"4"`}
	reply := replies.Submit(visit, replies.Response{Status: 201, Header: location, Body: body(t, `{"id": "V 1"}`)})
	require.Equal(t, "/visits/V%201", reply.To)
	require.Equal(t, `"4"`, reply.Version)
	reply = replies.Submit(visit, replies.Response{Status: 303, Header: location})
	require.Equal(t, "/visits/9", reply.To)
	reply = replies.Submit(contact, replies.Response{Status: 200, Body: body(t, `{"name":"Ada","phone":null,"notices":["tides"],"other":1}`)})
	require.Len(t, reply.Values, 3)
	require.Equal(t, []string{"tides"}, reply.Values[2].Value.Options())
	require.True(t, reply.Values[1].Value.Absent())
}

func TestLoadsAndChecks(t *testing.T) {
	pilot := openForm(t, "pilot.form.yaml")
	values, version, why := replies.Load(pilot, replies.Response{
		Status: 200, Header: map[string]string{"etag": "7"},
		Body: body(t, `{"slot":"09:30","night":false,"crew":[{"name":"Ada"},{"licence":5}],"notes":{"a":1}}`),
	})
	require.Empty(t, why)
	require.Equal(t, "7", version)
	got := map[string]string{}
	for _, a := range values {
		got[pilot.Path(a.Place)] = a.Value.String()
	}
	require.Equal(t, map[string]string{"slot": "09:30", "night": "", "crew": "2", "crew/0/name": "Ada", "crew/1/licence": "5", "notes": "{…}"}, got)
	for _, r := range []replies.Response{{Broken: true}, {Status: 404}, {Status: 200}, {Status: 200, Body: []any{}}} {
		_, _, why := replies.Load(pilot, r)
		require.NotEmpty(t, why)
	}
	entries, ok := replies.Check(pilot, replies.Response{Status: 204})
	require.True(t, ok)
	require.Empty(t, entries)
	entries, ok = replies.Check(pilot, replies.Response{Status: 409, Body: body(t, `{"message":"Taken."}`)})
	require.True(t, ok)
	require.Equal(t, []lifecycle.Entry{{Text: "Taken."}}, entries)
	_, ok = replies.Check(pilot, replies.Response{Status: 503})
	require.False(t, ok)
}

// Whatever a body holds, every text in it that stands where an entry stands is
// told, and a refusal is never without one.
func TestNothingIsSwallowed(t *testing.T) {
	mooring := openForm(t, "mooring.form.yaml")
	rapid.Check(t, func(t *rapid.T) {
		texts := rapid.SliceOfN(rapid.StringMatching(`[a-z]{1,6}\.`), 1, 6).Draw(t, "texts")
		names := []string{"vessel.name", "arrival", "ghost", "#/berth", "crew[0].name"}
		object := map[string]any{}
		var list []any
		for k, text := range texts {
			name := rapid.SampledFrom(names).Draw(t, "name")
			list = append(list, map[string]any{"field": name, "message": text})
			object[name] = append(asList(object[name]), text)
			_ = k
		}
		for _, errors := range []any{list, object} {
			reply := replies.Submit(mooring, replies.Response{Status: 422, Body: map[string]any{"errors": errors}})
			var told []string
			for _, e := range reply.Entries {
				told = append(told, e.Text)
			}
			require.ElementsMatch(t, texts, told)
		}
	})
}

func asList(v any) []any {
	list, _ := v.([]any)
	return list
}

func FuzzReply(f *testing.F) {
	f.Add(422, "3", `{"errors":[{"pointer":"/vessel/name","detail":"x"}]}`)
	f.Add(200, "Fri, 02 May 2031 10:00:30 GMT", `{"vessel":{"length":1e400}}`)
	f.Add(409, "", strings.Repeat(`{"errors":`, 50)+`1`+strings.Repeat(`}`, 50))
	mooring, pilot := openForm(f, "mooring.form.yaml"), openForm(f, "pilot.form.yaml")
	f.Fuzz(func(t *testing.T, status int, retry, text string) {
		var v any
		_ = json.Unmarshal([]byte(text), &v)
		r := replies.Response{Status: status, Header: map[string]string{"Retry-After": retry, "ETag": retry}, Body: v}
		for _, form := range []*form.Form{mooring, pilot} {
			reply := replies.Submit(form, r)
			if reply.Kind == lifecycle.ReplyRefused {
				require.NotEmpty(t, reply.Entries)
			}
			replies.Load(form, r)
			replies.Check(form, r)
		}
	})
}
