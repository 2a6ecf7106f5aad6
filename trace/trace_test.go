package trace_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/trace"
)

// record walks at random and writes the trace; private fields are some of those
// that no other looks at.
func record(t *rapid.T) (*form.Form, *walk.World, []byte) {
	declared := walk.Form(t)
	d := declared.Declaration
	d.Fields = append([]form.Field(nil), d.Fields...)
	for id := range d.Fields {
		f := &d.Fields[id]
		defaults := false
		for _, a := range d.Defaults {
			defaults = defaults || a.Field == form.FieldID(id)
		}
		compares := false
		for _, c := range f.Constraints {
			compares = compares || c.Op.Compares()
		}
		if f.Kind != form.KindRows && !defaults && !compares && len(declared.Dependents(form.FieldID(id))) == 0 {
			f.Private = rapid.Bool().Draw(t, "private")
		}
	}
	declared, err := form.New(d)
	require.NoError(t, err)
	w := walk.New(declared)
	var out bytes.Buffer
	writer := trace.NewWriter(&out, w.Session, w.Opening)
	at := time.Duration(0)
	step := func(e lifecycle.Event) {
		at += 10 * time.Millisecond
		require.NoError(t, writer.Step(at, w.Step(e)))
	}
	if rapid.Bool().Draw(t, "kept") {
		step(lifecycle.Restore(w.Draft(t)))
	}
	for range rapid.IntRange(0, 25).Draw(t, "steps") {
		step(w.Event(t))
	}
	return declared, w, out.Bytes()
}

func TestATraceReplaysToTheSameStates(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		form, w, text := record(t)
		read, err := trace.Read(bytes.NewReader(text))
		require.NoError(t, err)
		var replayed *lifecycle.Session
		difference, err := trace.Replay(form, read, trace.Observer{Opened: func(s *lifecycle.Session, _ []lifecycle.Effect) { replayed = s }})
		require.NoError(t, err)
		require.Nil(t, difference, string(text))
		require.Equal(t, w.Session.Submission(), replayed.Submission())
		require.Equal(t, w.Session.Holds("").Words(), replayed.Holds("").Words())
		for f := range w.Session.Fields() {
			other, ok := replayed.Field(f.Path())
			require.True(t, ok)
			if !f.Declared().Private {
				require.Equal(t, f.Value(), other.Value())
				require.Equal(t, f.Raw(), other.Raw())
			}
			require.Equal(t, len(f.Issues()), len(other.Issues()), f.Path())
			require.Equal(t, f.Dirty(), other.Dirty())
		}
	})
}

// The defaults of an opening stand in the trace, private ones as tokens, and a replay begins with them.
func TestTheDefaultsOfAnOpening(t *testing.T) {
	declared, err := form.New(form.Declaration{
		Name:   "claim",
		Fields: []form.Field{{Path: "name", Kind: form.KindText}, {Path: "policy", Kind: form.KindText, Private: true}},
		Submit: form.SubmitPolicy{Method: "POST", Timeout: time.Second},
	})
	require.NoError(t, err)
	opened := declared.Opening([]form.Answer{{Place: form.Place{Row: -1}, Value: form.Text("Ida")}, {Place: form.Place{Field: 1, Row: -1}, Value: form.Text("secret-7")}})
	var text bytes.Buffer
	s, opening := lifecycle.Open(opened, lifecycle.Seed{1})
	w := trace.NewWriter(&text, s, opening)
	for _, e := range []lifecycle.Event{lifecycle.Edit("name", "Bo"), lifecycle.Reset(), lifecycle.Submit("submit")} {
		require.NoError(t, w.Step(0, lifecycle.Drive(s, e)))
	}
	require.NotContains(t, text.String(), "secret-7")
	read, err := trace.Read(&text)
	require.NoError(t, err)
	var replayed *lifecycle.Session
	difference, err := trace.Replay(declared, read, trace.Observer{Opened: func(s *lifecycle.Session, _ []lifecycle.Effect) { replayed = s }})
	require.NoError(t, err)
	require.Nil(t, difference)
	name, _ := replayed.Field("name")
	require.Equal(t, "Ida", name.Raw())
}

// secretForm has a private text, number and choice beside an open text.
func secretForm(t testing.TB) *form.Form {
	form, err := form.New(form.Declaration{
		Name: "claim",
		Fields: []form.Field{
			{Path: "name", Kind: form.KindText},
			{Path: "policy", Kind: form.KindText, Private: true, Constraints: []form.Constraint{{Op: form.OpMinLength, Value: form.Number(6, 0)}}},
			{Path: "sum", Kind: form.KindNumber, Private: true},
		},
		Prefill: form.PrefillPolicy{URL: "/claim", Timeout: time.Second},
		Submit:  form.SubmitPolicy{Method: "PUT", Timeout: time.Second},
	})
	require.NoError(t, err)
	return form
}

func TestPrivateValuesAreNowhere(t *testing.T) {
	f := secretForm(t)
	s, opening := lifecycle.Open(f, lifecycle.Seed{1})
	var out bytes.Buffer
	w := trace.NewWriter(&out, s, opening)
	for k, e := range []lifecycle.Event{
		lifecycle.Edit("name", "Ada"),
		lifecycle.Edit("policy", "hush"),
		lifecycle.Edit("sum", "soon"),
		lifecycle.Edit("policy", "hush-hush"),
		lifecycle.Edit("sum", "4711.50"),
		lifecycle.Loaded(1, []form.Answer{{Place: form.Place{Field: 1, Row: -1}, Value: form.Text("hush-older")}}, "1"),
		lifecycle.Submit(""),
		lifecycle.Replied(1, 1, &lifecycle.Reply{Kind: lifecycle.ReplyRefused, Text: "No policy hush-hush here.", Entries: []lifecycle.Entry{
			{Path: "policy", Text: "hush- is no policy."}, {Path: "name", Text: "Ada has no hush-hush."}, {Text: "4711.50 is too much."},
		}}),
	} {
		require.NoError(t, w.Step(time.Duration(k)*time.Second, lifecycle.Drive(s, e)))
	}
	for _, secret := range []string{"hush", "4711.5", "soon"} {
		require.NotContains(t, out.String(), secret)
	}
	require.Contains(t, out.String(), "Ada")
	require.Contains(t, out.String(), "private-1")
	read, err := trace.Read(&out)
	require.NoError(t, err)
	difference, err := trace.Replay(f, read, trace.Observer{})
	require.NoError(t, err)
	require.Nil(t, difference)
}

func TestAChangedTraceDiffersAtItsLine(t *testing.T) {
	f := secretForm(t)
	s, opening := lifecycle.Open(f, lifecycle.Seed{})
	var out bytes.Buffer
	w := trace.NewWriter(&out, s, opening)
	for _, e := range []lifecycle.Event{lifecycle.Edit("name", "Ada"), lifecycle.Blur("name"), lifecycle.Submit("")} {
		require.NoError(t, w.Step(0, lifecycle.Drive(s, e)))
	}
	for _, c := range []struct{ from, to, want string }{
		{`"raw":"Ada"`, `"raw":"Ben"`, "2 state"},
		{`"kind":"blur"`, `"kind":"refresh"`, "3 effects"},
		{`"kind":"blur"`, `"kind":"retry"`, "3 outcome"},
	} {
		read, err := trace.Read(strings.NewReader(strings.Replace(out.String(), c.from, c.to, 1)))
		require.NoError(t, err)
		difference, err := trace.Replay(f, read, trace.Observer{})
		require.NoError(t, err)
		require.NotNil(t, difference, c.to)
		require.Equal(t, c.want, string(rune('0'+difference.Line))+" "+difference.What)
	}
	for text, want := range map[string]string{
		"":                         "line 1: found an empty trace",
		"{}":                       "line 1: found format version 0",
		"{\"trace\":2}\n{":         "line 2: found no JSON object",
		"{\"trace\":2}\n{\"a\":1}": "line 2: found a step without an event",
	} {
		_, err := trace.Read(strings.NewReader(text))
		require.ErrorContains(t, err, want)
	}
	other, err := form.New(form.Declaration{Name: "other", Fields: []form.Field{{Path: "a"}}})
	require.NoError(t, err)
	read, err := trace.Read(&out)
	require.NoError(t, err)
	_, err = trace.Replay(other, read, trace.Observer{})
	require.ErrorContains(t, err, "a trace of the form claim; right would be one of ")
}

func FuzzTrace(f *testing.F) {
	declared := secretForm(f)
	s, opening := lifecycle.Open(declared, lifecycle.Seed{})
	var out bytes.Buffer
	w := trace.NewWriter(&out, s, opening)
	header := out.String()
	for _, e := range []lifecycle.Event{
		lifecycle.Edit("policy", "hush"), lifecycle.Submit(""), lifecycle.LeaveAsked("/tides", lifecycle.LeaveInside),
		lifecycle.Loaded(1, []form.Answer{{Place: form.Place{Field: 2, Row: -1}, Value: form.Number(5, 1)}}, "é\n"),
	} {
		_ = w.Step(0, lifecycle.Drive(s, e))
	}
	f.Add(strings.TrimPrefix(out.String(), header))
	f.Fuzz(func(t *testing.T, text string) {
		if read, err := trace.Read(strings.NewReader(header + text)); err == nil {
			_, _ = trace.Replay(declared, read, trace.Observer{})
		}
	})
}

// A form whose words alone have changed takes a trace to the same states; of another lifecycle the
// parts are named.
func TestATraceOfOtherWords(t *testing.T) {
	declared := func(change func(*form.Declaration)) *form.Form {
		d := form.Declaration{
			Name: "kiln", Buttons: []string{"fire"}, Submit: form.SubmitPolicy{URL: "/firings", Method: "POST", Timeout: time.Second},
			Fields: []form.Field{
				{Path: "glaze", Label: "Glaze", Kind: form.KindChoice, Of: form.KindText, Options: []form.Option{{Value: form.Text("ash"), Label: "Ash"}, {Value: form.Text("salt")}}},
				{Path: "heat", Kind: form.KindNumber, Constraints: []form.Constraint{{Op: form.OpMinimum, Value: form.Number(600, 0)}}},
			},
		}
		change(&d)
		f, err := form.New(d)
		require.NoError(t, err)
		return f
	}
	as := declared(func(*form.Declaration) {})
	var text bytes.Buffer
	s, opening := lifecycle.Open(as, lifecycle.Seed{})
	w := trace.NewWriter(&text, s, opening)
	for _, e := range []lifecycle.Event{lifecycle.Edit("heat", "500"), lifecycle.Submit("fire"), lifecycle.Edit("heat", "900")} {
		require.NoError(t, w.Step(0, lifecycle.Drive(s, e)))
	}
	record, err := trace.Read(&text)
	require.NoError(t, err)
	for _, change := range []func(*form.Declaration){
		func(d *form.Declaration) { d.Title, d.Lang = "Brennofen", "de" },
		func(d *form.Declaration) { d.Fields[0].Options[0].Label = "Asche" },
		func(d *form.Declaration) { d.Fields[1].Constraints[0].Say = form.Wording{Other: "Zu kalt."} },
		func(d *form.Declaration) {
			d.Texts = []form.MessageText{{Message: form.MessageAccepted, Wording: form.Wording{Other: "Da."}}}
		},
	} {
		other := declared(change)
		require.NotEqual(t, as.WordsFingerprint(), other.WordsFingerprint())
		difference, err := trace.Replay(other, record, trace.Observer{})
		require.NoError(t, err)
		require.Nil(t, difference)
	}
	for _, x := range []struct {
		parts  []string
		change func(*form.Declaration)
	}{
		{[]string{"heat"}, func(d *form.Declaration) { d.Fields[1].Constraints[0].Value = form.Number(700, 0) }},
		{[]string{"glaze"}, func(d *form.Declaration) { d.Fields[0].Options[1].Value = form.Text("slip") }},
		{[]string{"heat"}, func(d *form.Declaration) { d.Fields = d.Fields[:1] }},
		{[]string{"submit", "leave"}, func(d *form.Declaration) { d.Submit.Edit, d.Leave.When = true, form.LeaveDirtyAndTouched }},
	} {
		_, err := trace.Replay(declared(x.change), record, trace.Observer{})
		var unfit *trace.OtherLifecycleError
		require.ErrorAs(t, err, &unfit)
		require.Equal(t, x.parts, unfit.Parts)
	}
}
