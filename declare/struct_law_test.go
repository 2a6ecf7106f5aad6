package declare_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/formhttp"
	gotype "leanwicket.dev/internal/decode"
	"leanwicket.dev/internal/members"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// randomStruct draws a struct type of members of every kind, with any tags that go with them.
func randomStruct(t *rapid.T, depth int) reflect.Type {
	kinds := []reflect.Type{
		reflect.TypeFor[int](), reflect.TypeFor[int8](), reflect.TypeFor[int16](), reflect.TypeFor[int32](), reflect.TypeFor[int64](),
		reflect.TypeFor[uint](), reflect.TypeFor[uint8](), reflect.TypeFor[uint16](), reflect.TypeFor[uint32](), reflect.TypeFor[uint64](),
		reflect.TypeFor[float32](), reflect.TypeFor[float64](), reflect.TypeFor[json.Number](), reflect.TypeFor[string](), reflect.TypeFor[bool](), reflect.TypeFor[time.Time](),
	}
	var fields []reflect.StructField
	for k := range rapid.IntRange(1, 4).Draw(t, "members") {
		name := fmt.Sprintf("F%d", k)
		kind := rapid.SampledFrom(kinds).Draw(t, "kind")
		options, tag := "", ""
		switch shape := rapid.IntRange(0, 9).Draw(t, "shape"); {
		case shape == 0 && depth < 2:
			kind = randomStruct(t, depth+1)
		case shape == 1 && depth == 0:
			kind = reflect.SliceOf(randomStruct(t, 2))
		case shape == 4 && depth == 0 && kind.Kind() != reflect.Uint8 && kind != reflect.TypeFor[time.Time]():
			kind = reflect.SliceOf(kind)
		case kind == reflect.TypeFor[time.Time]():
			tag = rapid.SampledFrom([]string{"", "format=date", "format=time", "format=date-time"}).Draw(t, "format")
		case kind.Kind() != reflect.String && shape == 2:
			options = ",string"
		case shape == 3 && kind.Kind() >= reflect.Int && kind.Kind() <= reflect.Float64:
			tag = rapid.SampledFrom([]string{"minimum=-1e3", "maximum=1e6", "minimum=2; maximum=7"}).Draw(t, "bounds")
		}
		if rapid.IntRange(0, 3).Draw(t, "pointer") == 0 && kind.Kind() != reflect.Slice {
			kind = reflect.PointerTo(kind)
		}
		fields = append(fields, reflect.StructField{Name: name, Type: kind, Tag: reflect.StructTag(fmt.Sprintf(`json:"f%d%s" form:"%s"`, k, options, tag))})
	}
	return reflect.StructOf(fields)
}

// What a struct's form accepts is decoded into the struct, by its body and by its session, and both
// have the answers of the body again.
func TestWhatAStructsFormAcceptsIsDecoded(t *testing.T) {
	texts := []string{
		"", "0", "-1", "7", "127", "128", "-129", "255", "256", "70000", "-70000", "4294967296", "1e3", "9.5", "0.1", "999999999999999999", "9e18", "1e20", "3.5e38", "1e309", "true", "Heron",
		"2031-05-02", "2031-05-02T10:00", "2031-05-02T10:00:30.5Z", "2031-05-02T10:00+02:00", "2016-12-31T23:59:60Z", "08:30", "08:30:15",
	}
	runs, decoded := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		runs++
		struct_ := randomStruct(t, 0)
		source, err := declare.FromType(struct_, "form: p\nsubmit: {url: /p}\n")
		require.NoError(t, err, struct_)
		s, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
		for _, f := range source.Form.Fields {
			if f.Kind == form.KindRows {
				_, err := s.Apply(lifecycle.AddRow(f.Path))
				require.NoError(t, err)
			}
		}
		for _, path := range controlsOf(s) {
			_, err := s.Apply(lifecycle.Edit(path, rapid.SampledFrom(texts).Draw(t, path)))
			require.NoError(t, err)
			if f, _ := s.Field(path); len(f.Issues()) > 0 { // what is wrong is not sent
				_, err = s.Apply(lifecycle.Edit(path, ""))
				require.NoError(t, err)
			}
		}
		effects, err := s.Apply(lifecycle.Submit(""))
		require.NoError(t, err)
		for _, e := range effects {
			if e.Kind != lifecycle.EffectSend {
				continue
			}
			decoded++
			body := source.Form.AppendBody(nil, e.Values)
			byBody, bySession := reflect.New(struct_), reflect.New(struct_)
			require.NoError(t, formhttp.Submission{Body: body}.Decode(byBody.Interface()), "%s into %s", body, struct_)
			require.NoError(t, s.Decode(bySession.Interface()), "%s into %s", body, struct_)
			sent := answersOf(source.Form, asRecord(t, body))
			for _, got := range []reflect.Value{byBody, bySession} {
				record, err := gotype.Record(source.Form, got.Interface())
				require.NoError(t, err)
				again := answersOf(source.Form, record)
				for path, value := range sent {
					require.True(t, sameAnswer(value, again[path]), "%s: %v is %v in %s, from %s", path, value, again[path], struct_, body)
				}
			}
		}
	})
	require.Greater(t, 2*decoded, runs, "most are sent")
}

func asRecord(t require.TestingT, text []byte) (record map[string]any) {
	require.NoError(t, gotype.JSON(text, &record))
	return record
}

// answersOf are the answers of a record by path.
func answersOf(f *form.Form, record map[string]any) map[string]form.Value {
	answers := map[string]form.Value{}
	for _, a := range replies.Values(f, record) {
		answers[f.Path(a.Place)] = a.Value
	}
	return answers
}

// sameAnswer compares answers. Of a moment the instant counts, for a time.Time has an offset always; a
// float32 has seven digits.
func sameAnswer(sent, again form.Value) bool {
	if sent == again || sent.Absent() {
		return true
	}
	if a, is := members.Moment(sent.String()); is {
		b, is := members.Moment(again.String())
		return is && a.Equal(b)
	}
	a, _ := strconv.ParseFloat(sent.String(), 32)
	b, _ := strconv.ParseFloat(again.String(), 32)
	return sent.Kind == form.ValueNumber && a == b
}
