package declare_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
)

// A language of four forms: each number takes its own, in the compiled form too.
func TestPluralForms(t *testing.T) {
	source, err := open(berthSchema, `lang: sl
texts:
  blocked-invalid: {one: "{count} odgovor", two: "{count} odgovora", few: "{count} odgovori", other: "{count} odgovorov"}
  refused: {one: "En odgovor ({count})", other: "Odgovorov: {count}"}
`)
	require.NoError(t, err)
	compiled, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	again, err := form.Read(compiled)
	require.NoError(t, err)
	for _, f := range []*form.Form{source.Form, again} {
		for count, want := range map[int32]string{
			0: "0 odgovorov", 1: "1 odgovor", 2: "2 odgovora", 3: "3 odgovori", 4: "4 odgovori", 5: "5 odgovorov", 11: "11 odgovorov",
			100: "100 odgovorov", 101: "101 odgovor", 102: "102 odgovora", 104: "104 odgovori", 111: "111 odgovorov", 1203: "1203 odgovori", 1_000_000: "1000000 odgovorov",
		} {
			require.Equal(t, want, f.Text(form.Message{ID: form.MessageBlockedInvalid, Count: count}))
		}
		require.Equal(t, "Odgovorov: 2", f.Text(form.Message{ID: form.MessageRefused, Count: 2}), "a missing form falls back to other")
		require.Equal(t, "One newer answer has not been sent.", f.Text(form.Message{ID: form.MessageAcceptedUnsent, Count: 1}), "what is not translated is English")
	}
	var advice []string
	for _, a := range source.Advice {
		if strings.Contains(a.Error(), "plural forms") {
			advice = append(advice, a.Error())
		}
	}
	require.Len(t, advice, 2)
	require.Contains(t, advice[0], "plural forms without two, which sl has")
	require.Contains(t, advice[1], "plural forms without few, which sl has")
}

func TestPluralFormsThatAreWrong(t *testing.T) {
	for text, want := range map[string]string{
		"texts: {refused: {one: x}}":                   "plural forms without other",
		"texts: {refused: {other: x, some: y}}":        "the unknown key some",
		"texts: {refused: '{n} answers'}":              "the place holder {n}",
		"texts: {refused: '{time} answers'}":           "the place holder {time}",
		"lang: 'not a tag'":                            "a language tag (BCP 47)",
		"fields: {name: {say: {tooLong: {few: x}}}}":   "plural forms without other",
		"accepted: {say: {other: '{number} of them'}}": "the place holder {number}",
	} {
		_, err := open(berthSchema, text)
		require.ErrorContains(t, err, want, text)
	}
}
