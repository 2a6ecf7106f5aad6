package glossary

import (
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

func TestEveryWordIsExplained(t *testing.T) {
	words := map[string][]string{
		"guarantee": guarantee.Words(), "hold": lifecycle.HoldWords(), "issue": form.CodeWords(),
	}
	for s := lifecycle.SubmissionIdle; s <= lifecycle.SubmissionOutdated; s++ {
		words["submission"] = append(words["submission"], s.String())
	}
	for p := lifecycle.PrefillNone; p <= lifecycle.PrefillFailed; p++ {
		words["prefill"] = append(words["prefill"], p.String())
	}
	for l := lifecycle.LeavePresent; l <= lifecycle.LeaveGone; l++ {
		words["leave"] = append(words["leave"], l.String())
	}
	for k := lifecycle.ReplyUnknown; k <= lifecycle.ReplyUnavailable; k++ {
		words["reply"] = append(words["reply"], k.String())
	}
	total := 0
	for of, list := range words {
		total += len(list)
		for _, word := range list {
			found := Find(of + " " + word)
			require.Len(t, found, 1, of+" "+word)
			require.NotEmpty(t, found[0].Meaning)
		}
	}
	require.Len(t, Entries(), total, "an entry for a word that there is not")
}
