package lifecycle

import (
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
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
	apply(Restore(&Restored{
		Values:  []Kept{{Path: "quay", Raw: "north", Baseline: form.Text("south")}, {Path: "berths/0/vessel", Raw: "Gull", Baseline: form.Text("Tern")}},
		Attempt: &KeptAttempt{Key: Key{9}, Button: "save", Version: "1", Values: []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("north"), Changed: true}, {Place: form.Place{Field: 2, Row: -1}, Value: form.Number(1, 0), Changed: false}, {Place: form.Place{Field: 3, Row: 0}, Value: form.Text("Gull"), Changed: true}}},
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
	s.receipt = Receipt{Values: []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("north"), Changed: false}}, To: "/berths/7", Version: "1", Text: "Saved."}
	s.version = "1"
	s.rows[0].used, s.groups[0].free = true, append(s.groups[0].free, 0)
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

// change makes another value of a leaf: of a version none, for what follows depends on
// whether one is known. It reports false for what holds no state.
func change(path string, leaf reflect.Value) bool {
	switch leaf.Kind() {
	case reflect.Bool:
		leaf.SetBool(!leaf.Bool())
	case reflect.String:
		if strings.HasSuffix(strings.ToLower(path), "version") {
			leaf.SetString("")
		} else {
			leaf.SetString(leaf.String() + "x")
		}
	case reflect.Int, reflect.Int32, reflect.Int64:
		leaf.SetInt(leaf.Int() ^ 1)
	case reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		leaf.SetUint(leaf.Uint() ^ 1)
	default:
		return false
	}
	return true
}

// A field that is added to a session's state is copied, compared and written like the
// others, or it is named here, with the reason why not.
func TestNoStateIsForgotten(t *testing.T) {
	const step = "it belongs to the newest step"
	const derived = "it follows from the rest"
	notCompared := map[string]string{
		"form": "both are of one form", "seed[15]": "the keys follow from it", "effects": step, "answers": step, "changed": step, "scratch": step,
		"byEdit": step, "editedNow": step, "accepted": step, "said": step,
	}
	notWritten := map[string]string{
		"seed[15]": "two runs of one session have other keys", "scalars.attempt.key[15]": "as above", "scalars.adoptedKey[15]": "as above",
		"form": notCompared["form"], "effects": step, "answers": step, "changed": step, "scratch": step, "byEdit": step, "editedNow": step, "accepted": step, "said": step,
		"cells[].row": derived, "rows[].group": derived, "rows[].first": derived, "rows[].in": derived, "rows[].at": derived, "groups[].free[]": derived, "scalars.tally": derived, "waiting[].place": derived,
		"deferredValues[].Changed": "only what is sent has that mark", "receipt.Values[].Changed": "as above", "waiting[].Kept.Veiled": "it is written where it stands for something",
	}
	const nothing, anew = "nothing follows from it", "the numbers are given anew"
	notPacked := map[string]string{
		"receipt": nothing, "scalars.notice": nothing, "scalars.focus": nothing, "scalars.ignored": nothing,
		"scalars.nextRequest": anew, "scalars.nextTimer": anew, "checks[].timer": anew, "scalars.applied": "only whether it is the first event counts",
		"scalars.leaveTo": "no question stands", "scalars.leaveKind": "no question stands", "scalars.asked": "no question stands",
		"cells[].raw": "the value tells it", "rows[].used": derived,
	}
	for path, why := range notCompared {
		require.NotEmpty(t, why, path)
	}
	exempt := func(list map[string]string, path string) bool {
		for name := range list {
			if path == name || strings.HasPrefix(path, name+".") || strings.HasPrefix(path, name+"[") || strings.HasPrefix(path, name+" ") {
				return true
			}
		}
		return false
	}
	s := fullSession(t)
	packer := NewPacker(s.form, PackOptions{Whole: true})
	visited := 0
	leaves(reflect.ValueOf(s).Elem(), "", func(path string, leaf reflect.Value) {
		path = strings.TrimPrefix(path, ".")
		if !leaf.IsValid() {
			require.True(t, exempt(notCompared, path), "%s: the test sees none", path)
			return
		}
		if exempt(notCompared, path) {
			return
		}
		visited++
		var before Session
		before.CopyFrom(s)
		require.True(t, before.Same(s), "%s: a copy is the same", path)
		written := string(before.AppendExact(nil))
		require.True(t, change(path, leaf), path)
		require.False(t, before.Same(s), "%s is not compared", path)
		var after Session
		after.CopyFrom(s)
		require.True(t, after.Same(s), "%s is not copied", path)
		if !exempt(notWritten, path) {
			assert.NotEqual(t, written, safely(t, path, func() string { return string(s.AppendExact(nil)) }), "%s is not written", path)
		}
		if !exempt(notPacked, path) && !exempt(notWritten, path) {
			assert.NotEqual(t, packed(t, packer, "", &before), packed(t, packer, path, s), "%s is not packed", path)
		}
		s.CopyFrom(&before)
	})
	require.Greater(t, visited, 80)
}

// safely runs what may find no sense in a state that cannot be: then it looked at it.
func safely(t *testing.T, path string, f func() string) (text string) {
	defer func() {
		if failed := recover(); failed != nil {
			text = "it looks at " + path
		}
	}()
	return f()
}

func packed(t *testing.T, packer *Packer, path string, s *Session) string {
	var own Session
	own.CopyFrom(s)
	return safely(t, path, func() string {
		packer.Normalise(&own, Ahead{})
		return string(packer.Pack(nil, &own, nil))
	})
}
