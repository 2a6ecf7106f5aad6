package verify

import (
	"path/filepath"
	"testing"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/document"
)

// Test walks forms in a test of a program's own: files, folders and patterns, as the command
// takes them. Each form is a subtest, with the walks of NAME.bounds.yaml beside it, else with
// those that the command takes. A guarantee that is broken fails it, with the shortest session
// as a scenario.
//
//	func TestForms(t *testing.T) { verify.Test(t, "forms") }
func Test(t *testing.T, files ...string) {
	t.Helper()
	names, err := document.Find(files, "form")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range names {
		t.Run(filepath.Base(name), func(t *testing.T) {
			source, err := declare.Open(name)
			if err != nil {
				t.Fatal(err)
			}
			TestSource(t, source)
		})
	}
}

// TestSource walks a form that is in no file, such as one of a struct, as [Test] does.
//
//	func TestLoans(t *testing.T) { verify.TestSource(t, loans) }
func TestSource(t *testing.T, source *declare.Source) {
	t.Helper()
	report, err := Form(source, Options{Attempts: 2, Tries: 2, Loads: 2}, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, b := range report.Breaches {
		t.Errorf("%s: %s\n\nThe shortest session that shows it, for leanwicket play:\n\n%s", source.File, b.Error(), b.Session.Scenario)
	}
	if unfinished := report.Unfinished(); unfinished != "" {
		t.Errorf("%s: not finished, for %s; right would be less to walk, in a bounds file", source.File, unfinished)
	}
}
