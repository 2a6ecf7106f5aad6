package lifecycle

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// fullSession is in the middle of everything: what an earlier page kept waits for its
// row, its attempt is sent again, a load is kept meanwhile, a check has brought an
// issue and another one is out.
func fullSession(t *testing.T) *Session {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save", "send"},
		Prefill: form.PrefillPolicy{URL: "/berths", Needed: true, Timeout: time.Second, Ask: true},
		Submit:  form.SubmitPolicy{URL: "/berths", Method: "PUT", Timeout: time.Second, Edit: true},
		Fields: []form.Field{
			{Path: "quay", Kind: form.KindText, Check: form.CheckPolicy{URL: "/quays", Delay: time.Second, Timeout: time.Second}},
			{Path: "note", Kind: form.KindText, Check: form.CheckPolicy{URL: "/notes", Delay: time.Second, Timeout: time.Second}},
			{Path: "berths", Kind: form.KindRows},
			{Path: "berths/*/vessel", Kind: form.KindText},
			{Path: "mast", Kind: form.KindText, Check: form.CheckPolicy{URL: "/masts", Delay: time.Second, Timeout: time.Second}},
		},
		Defaults: []form.Answer{{Place: form.Place{Field: 2, Row: -1}, Value: form.Number(1, 0)}, {Place: form.Place{Field: 3, Row: 0}, Value: form.Text("Heron")}},
	})
	require.NoError(t, err)
	s, opening := Open(f, Seed{7})
	load := opening[slices.IndexFunc(opening, func(e Effect) bool { return e.Kind == EffectLoad })].Request
	apply := func(e Event) []Effect {
		effects, err := s.Apply(e)
		require.NoError(t, err, e.Kind.String())
		return slices.Clone(effects)
	}
	apply(Restore(&Draft{
		Values:  []DraftAnswer{{Path: "quay", Raw: "north", Baseline: form.Text("south")}, {Path: "berths/0/vessel", Raw: "Gull", Baseline: form.Text("Tern")}},
		Attempt: &DraftAttempt{Key: Key{9}, Button: "save", Version: "1", Values: []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("north"), Changed: true}, {Place: form.Place{Field: 2, Row: -1}, Value: form.Number(1, 0), Changed: false}, {Place: form.Place{Field: 3, Row: 0}, Value: form.Text("Gull"), Changed: true}}},
	}))
	check := func(effects []Effect) RequestID {
		k := slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectArm && e.Of == TimerCheckDelay })
		effects = apply(Elapsed(effects[k].Timer))
		return effects[slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectCheck })].Request
	}
	request := check(apply(Edit("note", "Two dogs")))
	apply(Checked(request, []Entry{{Path: "quay", Code: "full", Text: "The quay is full."}}))
	check(apply(Edit("mast", "12 m")))
	apply(Retry())
	apply(Loaded(load, []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("west"), Changed: false}}, "2"))
	s.receipt, s.receiptValues = receipt{to: "/berths/7", version: "1", text: "Saved."}, []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("north")}}
	s.version = "1"
	s.rows[0].Used, s.groups[0].Free = true, append(s.groups[0].Free, 0)
	return s
}

// leaves calls f with the path of each field below a value, and with the field.
func leaves(v reflect.Value, path string, f func(path string, leaf reflect.Value)) {
	switch v.Kind() {
	case reflect.Struct:
		for k := range v.NumField() {
			field := v.Field(k)
			leaves(reflect.NewAt(field.Type(), unsafe.Pointer(field.UnsafeAddr())).Elem(), path+"."+v.Type().Field(k).Name, f)
		}
	case reflect.Slice:
		if v.Len() == 0 {
			f(path+" is empty", reflect.Value{})
			return
		}
		leaves(v.Index(0), path+"[]", f)
	case reflect.Array:
		leaves(v.Index(v.Len()-1), path+"["+strconv.Itoa(v.Len()-1)+"]", f)
	default:
		f(strings.TrimPrefix(path, "."), v)
	}
}

// change makes another value of a leaf.
func change(t *testing.T, path string, leaf reflect.Value) {
	switch leaf.Kind() {
	case reflect.Bool:
		leaf.SetBool(!leaf.Bool())
	case reflect.String:
		leaf.SetString(leaf.String() + "x")
	case reflect.Int, reflect.Int32, reflect.Int64:
		leaf.SetInt(leaf.Int() ^ 1)
	case reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		leaf.SetUint(leaf.Uint() ^ 1)
	default:
		require.Fail(t, "a part of the state that nobody can change", path)
	}
}

// A part that is added to a session's memory is compared, copied and visited like the others.
func TestNoStateIsForgotten(t *testing.T) {
	s := fullSession(t)
	leafCount := 0
	leaves(reflect.ValueOf(&s.memory).Elem(), "", func(path string, leaf reflect.Value) {
		require.True(t, leaf.IsValid(), "%s: the test sees none", path)
		leafCount++
		var before, after Session
		before.CopyFrom(s)
		require.True(t, before.Same(s), "%s: a copy is the same", path)
		visited := visit(s)
		change(t, path, leaf)
		require.False(t, before.Same(s), "%s is not compared", path)
		after.CopyFrom(s)
		require.True(t, after.Same(s), "%s is not copied", path)
		require.NotEqual(t, visited, visit(s), "%s is not visited", path)
		s.CopyFrom(&before)
	})
	require.Greater(t, leafCount, 80)
}

// visit writes all that a visitor sees.
func visit(s *Session) string {
	var v state.Visitor
	v.Gather(s)
	return string(state.AppendExact(nil, s)) + fmt.Sprint(v.Keys)
}
