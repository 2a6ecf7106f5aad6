package trace_test

import (
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/trace"
)

func plot(t *testing.T, properties, more string) *form.Form {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {" + properties + "}}\n" + more)}}, "f.form.yaml")
	require.NoError(t, err)
	return source.Form
}

// What a page of another version of the form kept is taken over as far as it fits. An
// attempt is repeated only if it goes out as it was sent.
func TestAnotherVersionOfTheForm(t *testing.T) {
	const old = "keeper: {type: string}, beds: {type: integer}, helpers: {type: array, items: {properties: {name: {type: string}, age: {type: integer}}}}"
	before := plot(t, old, "submit: {url: /plots}\n")
	s, _ := lifecycle.Open(before, lifecycle.Seed{1})
	for _, e := range []lifecycle.Event{
		lifecycle.Edit("keeper", "Ann"), lifecycle.Edit("beds", "11"), lifecycle.AddRow("helpers"), lifecycle.AddRow("helpers"), lifecycle.Edit("helpers/1/name", "Bo"), lifecycle.Edit("helpers/1/age", "7"),
		lifecycle.Submit(""),
	} {
		_, err := s.Apply(e)
		require.NoError(t, err)
	}
	kept, _ := s.Draft()
	text := string(trace.AppendDraft(nil, before, kept))
	for name, c := range map[string]struct {
		now     *form.Form
		repeats bool
		leftOut []string
		holds   map[string]string
	}{
		"the same":            {plot(t, old, "submit: {url: /plots}\n"), true, nil, map[string]string{"keeper": "Ann", "helpers/1/name": "Bo"}},
		"other words":         {plot(t, old, "title: Plots\nfields: {keeper: {label: Who}}\nsubmit: {url: /plots}\n"), true, nil, map[string]string{"keeper": "Ann", "beds": "11"}},
		"a new field":         {plot(t, old+", water: {type: boolean}", "submit: {url: /plots}\n"), true, nil, map[string]string{"keeper": "Ann"}},
		"another order":       {plot(t, "beds: {type: integer}, keeper: {type: string}, helpers: {type: array, items: {properties: {name: {type: string}, age: {type: integer}}}}", "submit: {url: /plots}\n"), false, nil, map[string]string{"keeper": "Ann", "beds": "11"}},
		"another address":     {plot(t, old, "submit: {url: /gardens}\n"), false, nil, map[string]string{"keeper": "Ann"}},
		"a field is gone":     {plot(t, "keeper: {type: string}, helpers: {type: array, items: {properties: {name: {type: string}}}}", "submit: {url: /plots}\n"), false, []string{"beds: 11", "helpers/1/age: 7"}, map[string]string{"keeper": "Ann", "helpers/1/name": "Bo"}},
		"a field is a number": {plot(t, "keeper: {type: integer}, beds: {type: integer}, helpers: {type: array, items: {properties: {name: {type: string}, age: {type: integer}}}}", "submit: {url: /plots}\n"), false, nil, map[string]string{"keeper": "Ann", "beds": "11"}},
	} {
		t.Run(name, func(t *testing.T) {
			earlier, lost, err := trace.ReadDraft(c.now, text)
			require.NoError(t, err)
			require.Equal(t, !c.repeats, lost)
			require.Equal(t, c.repeats, earlier.Attempt != nil)
			var left []string
			for _, k := range trace.LeftOut(c.now, earlier) {
				left = append(left, k.Path+": "+k.Raw)
			}
			require.ElementsMatch(t, c.leftOut, left)
			next, _ := lifecycle.Open(c.now, lifecycle.Seed{2})
			_, err = next.Apply(lifecycle.Restore(earlier))
			require.NoError(t, err)
			for path, raw := range c.holds {
				f, ok := next.Field(path)
				require.True(t, ok, path)
				require.Equal(t, raw, f.Raw(), path)
			}
			require.Equal(t, c.repeats, next.Submission() == lifecycle.SubmissionUnsettled)
			if c.repeats {
				require.Equal(t, kept.Attempt.Key, next.Attempt().Key)
			}
		})
	}
	other, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: shed\nschema: {properties: {keeper: {type: string}}}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	_, _, err = trace.ReadDraft(other.Form, text)
	require.ErrorIs(t, err, trace.ErrOtherForm)
}
