package scenario

import (
	"path/filepath"
	"strings"
	"testing"

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
	reader := NewReader(nil)
	for _, name := range names {
		t.Run(filepath.Base(name), func(t *testing.T) {
			s, err := reader.File(name)
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
