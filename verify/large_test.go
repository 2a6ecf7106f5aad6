package verify_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/verify"
)

// Forms of fifteen fields, with rows, a check, if and then, a needed load with a version, PUT, two
// buttons and every policy that asks, are walked to an end: each within the bounds that the
// command takes with LONG=1, otherwise the first two walks of one within the narrow ones.
func TestFormsThatPeopleWrite(t *testing.T) {
	long(t)
	files, err := filepath.Glob("testdata/large/*.form.yaml")
	require.NoError(t, err)
	require.Len(t, files, 5)
	base := verify.Options{Attempts: 2, Tries: 2, Loads: 2}
	for _, file := range files {
		source, err := declare.Open(file)
		require.NoError(t, err)
		var report *verify.Report
		if os.Getenv("LONG") != "" {
			report, err = verify.Form(source, base, 1, nil)
		} else if file == files[0] {
			report, err = verify.Deepen(source.Form, verify.Walks(source.Form, base, verify.Plan(source.Form, 1)[:2]), 0)
		} else {
			continue
		}
		require.NoError(t, err)
		require.Empty(t, report.Unfinished(), file)
		for _, b := range report.Breaches {
			t.Error(file, b.Error(), "\n"+string(b.Scenario))
		}
		states, transitions, _ := report.Total()
		t.Log(file, states, transitions, "not within the wider bounds:", report.NotDeep)
	}
}
