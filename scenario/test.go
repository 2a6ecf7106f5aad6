package scenario

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/document"
)

// Test plays scenarios in a test of a program's own: files, folders and patterns, as the command
// takes them. Each is a subtest. What does not hold fails it, with the session as the command
// writes it.
//
//	func TestScenarios(t *testing.T) { scenario.Test(t, "scenarios") }
func Test(t *testing.T, files ...string) {
	t.Helper()
	names, err := document.Find(files, "scenario")
	if err != nil {
		t.Fatal(err)
	}
	playEach(t, names, NewReader(nil).File)
}

// TestWith plays scenarios on a form that is in no file, such as one of a struct. The key form of
// these files is not looked at, and can be left out.
//
//	func TestLoans(t *testing.T) { scenario.TestWith(t, loans, "scenarios") }
func TestWith(t *testing.T, source *declare.Source, files ...string) {
	t.Helper()
	names, err := document.Find(files, "scenario")
	if err != nil {
		t.Fatal(err)
	}
	playEach(t, names, func(name string) (*Scenario, error) {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		return With(source, name, data)
	})
}

func playEach(t *testing.T, names []string, read func(name string) (*Scenario, error)) {
	for _, name := range names {
		t.Run(filepath.Base(name), func(t *testing.T) {
			s, err := read(name)
			if err != nil {
				t.Fatal(err)
			}
			result, steps := Record(s, nil)
			if !result.Passed() {
				var text strings.Builder
				WriteResult(&text, result, steps, Style{})
				t.Error("\n" + text.String())
			}
		})
	}
}
