package lifecycle

import (
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
)

func TestKeys(t *testing.T) {
	seen := map[Key]bool{}
	for number := range int32(2000) {
		key := Seed{1}.key(number)
		require.False(t, seen[key])
		seen[key] = true
		again, ok := ParseKey(key.String())
		require.True(t, ok)
		require.Equal(t, key, again)
	}
	require.NotEqual(t, Seed{1}.key(1), Seed{2}.key(1))
}

// A value is written as it was read: a leap second, and an option of several lines.
func TestWrittenAsRead(t *testing.T) {
	odd, err := form.New(form.Declaration{Name: "odd", Fields: []form.Field{
		{Path: "at", Kind: form.KindDateTime},
		{Path: "hour", Kind: form.KindTime},
		{Path: "note"},
		{Path: "berth", Kind: form.KindChoice, Options: []form.Option{{Value: form.Text("North\nquay")}, {Value: form.Text("South")}}, Constraints: []form.Constraint{{Op: form.OpEnum}}},
	}})
	require.NoError(t, err)
	s, _ := Open(odd, Seed{})
	for path, raw := range map[string]string{"at": "2031-06-30T23:59:60Z", "hour": "01:59:60.5+02:00", "note": "Her\xffon", "berth": "North\r\nquay"} {
		_, err := s.Apply(Edit(path, raw))
		require.NoError(t, err)
	}
	effects, err := s.Apply(Submit(""))
	require.NoError(t, err)
	require.Equal(t, EffectSend, effects[0].Kind, s.Holds("").Words())
	require.JSONEq(t, `{"at": "2031-06-30T23:59:60Z", "hour": "01:59:60.5+02:00", "note": "Her\ufffdon", "berth": "North\nquay"}`, string(odd.AppendBody(nil, effects[0].Values)))
	note, _ := s.Field("note")
	require.Equal(t, "Her\ufffdon", note.Raw(), "what is sent is on the screen")
	later, _ := form.ParseDateTime("2031-07-01T00:00:01Z")
	at, _ := s.Field("at")
	order, ok := at.Value().Compare(later)
	require.True(t, ok && order < 0)
	_, err = form.New(form.Declaration{Name: "odd", Fields: []form.Field{{Path: "berths", Kind: form.KindChoices, Options: []form.Option{{Value: form.Text("North\nquay")}}}}})
	require.ErrorContains(t, err, "line break")
}
