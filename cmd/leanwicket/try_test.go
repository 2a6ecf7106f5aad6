package main

import (
	"io"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/try"
)

// What cannot be told is the answer no where that is asked for, and no answer at all where it
// is most of the trials.
func TestTheExitOfTry(t *testing.T) {
	c := &cobra.Command{}
	c.SetOut(io.Discard)
	for _, x := range []struct {
		broken, untold, kept int
		strict               bool
		is                   string
	}{
		{0, 0, 3, true, ""},
		{0, 1, 3, false, ""},
		{0, 1, 3, true, "no"},
		{1, 0, 3, false, "no"},
		{1, 9, 0, false, "no"},
		{0, 2, 2, false, ""},
		{0, 3, 2, true, "more than half of the trials cannot tell: pin is not on the page; right would be a page, or a form file, with which they can"},
	} {
		answer := &try.Report{}
		for verdict, count := range map[try.Verdict]int{try.Broken: x.broken, try.CannotTell: x.untold, try.Kept: x.kept} {
			for range count {
				answer.Results = append(answer.Results, try.Result{Verdict: verdict, Why: "pin is not on the page"})
			}
		}
		switch err := tell(c, answer, false, x.strict, "", ""); x.is {
		case "":
			require.NoError(t, err, x)
		case "no":
			require.ErrorIs(t, err, errNo, x)
		default:
			require.EqualError(t, err, x.is, x)
		}
	}
}
