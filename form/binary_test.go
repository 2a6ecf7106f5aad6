package form_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
)

func TestCompiledFormsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := walk.Form(t)
		data, err := f.MarshalBinary()
		require.NoError(t, err)
		again, err := form.Read(data)
		require.NoError(t, err)
		twice, err := again.MarshalBinary()
		require.NoError(t, err)
		require.Equal(t, data, twice)
		require.Equal(t, [2]uint64{f.LifecycleFingerprint(), f.WordsFingerprint()}, [2]uint64{again.LifecycleFingerprint(), again.WordsFingerprint()})

		// The same events make the same session of both.
		w := walk.New(f)
		other, _ := lifecycle.Open(again, lifecycle.Seed{7})
		for range rapid.IntRange(0, 20).Draw(t, "steps") {
			e := w.Event(t)
			w.Step(e)
			other.Apply(e)
			require.Equal(t, state.AppendExact(nil, w.Session), state.AppendExact(nil, other))
		}
		for _, cut := range []int{0, 18, len(data) / 2, len(data) - 1} {
			_, err := form.Read(data[:cut])
			require.Error(t, err)
		}
	})
}

func FuzzReadForm(f *testing.F) {
	for seed := range 5 {
		data, _ := rapid.Custom(walk.Form).Example(seed).MarshalBinary()
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		form, err := form.Read(data)
		if err != nil {
			return
		}
		s, _ := lifecycle.Open(form, lifecycle.Seed{})
		for f := range s.Fields() {
			s.Apply(lifecycle.Edit(f.Path(), "x"))
			break
		}
		s.Apply(lifecycle.Submit(""))
	})
}
