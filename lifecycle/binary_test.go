package lifecycle

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestCompiledFormsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		form := randomForm(t)
		data, err := form.MarshalBinary()
		require.NoError(t, err)
		again, err := ReadForm(data)
		require.NoError(t, err)
		twice, err := again.MarshalBinary()
		require.NoError(t, err)
		require.Equal(t, data, twice)
		require.Equal(t, form.Fingerprint(), again.Fingerprint())

		// The same events make the same session of both.
		w := newWorld(form)
		other, _ := Open(again, Seed{7})
		for range rapid.IntRange(0, 20).Draw(t, "steps") {
			e := w.event(t)
			w.apply(e)
			other.Apply(e)
			require.Equal(t, w.session.AppendExact(nil), other.AppendExact(nil))
		}
		for _, cut := range []int{0, len(binaryMagic), len(data) / 2, len(data) - 1} {
			_, err := ReadForm(data[:cut])
			require.Error(t, err)
		}
	})
}

func FuzzReadForm(f *testing.F) {
	for seed := range 5 {
		data, _ := rapid.Custom(randomFormOf).Example(seed).MarshalBinary()
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		form, err := ReadForm(data)
		if err != nil {
			return
		}
		s, _ := Open(form, Seed{})
		for f := range s.Fields() {
			s.Apply(Edit(f.Path(), "x"))
			break
		}
		s.Apply(Submit(""))
	})
}

func randomFormOf(t *rapid.T) *Form { return randomForm(t) }
