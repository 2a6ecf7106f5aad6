package scenario_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

// The form of a struct is played and walked in a program's own tests.
func TestAStructsForm(t *testing.T) {
	type seat struct {
		Name string `json:"name" label:"Name" form:"required"`
		Row  uint8  `json:"row" label:"Row" form:"required; minimum=1; maximum=12"`
	}
	source, err := declare.FromStruct[seat]("form: seat\nsubmit: {url: /seats}")
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "seat.scenario.yaml")
	require.NoError(t, os.WriteFile(file, []byte(`scenario: A row that is not there
backend: {submit: [{after: 1s, status: 201}]}
timeline:
  - {at: 1s, edit: {name: Ada, row: "13"}}
  - {at: 2s, submit: true}
  - {at: 2s, expect: {sendCount: 0, shown: {row: [rangeOverflow]}}}
  - {at: 3s, edit: {row: "12"}}
  - {at: 4s, submit: true}
  - {at: 6s, expect: {submission: accepted}}
`), 0o644))
	scenario.TestWith(t, source, file)
	verify.TestSource(t, source)
}
