package main

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// knows are the packages of the house that each may import: arrows point down.
var knows = map[string][]string{
	"lifecycle":         {},
	"replies":           {"lifecycle"},
	"trace":             {"lifecycle"},
	"internal/document": {},
	"declare":           {"lifecycle", "internal/document"},
	"scenario":          {"lifecycle", "replies", "trace", "declare", "internal/document"},
	"verify":            {"lifecycle", "replies", "trace", "declare", "internal/document", "scenario"},
	"internal/palette":  {},
	"diagram":           {"lifecycle", "trace", "internal/palette"},
	"markup":            {"lifecycle"},
	"ledger":            {},
	"ledger/memory":     {"ledger"},
	"audit":             {"lifecycle", "markup"},
	"runner":            {"lifecycle", "replies", "trace", "markup"},
	"runner/overhttp":   {"lifecycle", "replies", "runner"},
	"ledger/sqlite":     {"ledger"},
	"ledger/postgres":   {"ledger"},
	"ledger/redis":      {"ledger"},
	"dom/bundle":        {},
	"harbour/office":    {"dom/bundle", "lifecycle", "trace", "diagram", "internal/seen", "declare", "formhttp", "harbour", "ledger", "ledger/sqlite", "replies", "internal/palette"},
	"try":               {"lifecycle", "declare", "replies", "diagram", "internal/chromium"},
	"internal/chromium": {},
	"formhttp":          {"lifecycle", "replies", "markup", "ledger", "ledger/memory", "internal/palette"},
	"harbour":           {},
}

func list(t *testing.T, args ...string) []string {
	output, err := exec.Command("go", append([]string{"list"}, args...)...).Output()
	require.NoError(t, err)
	return strings.Fields(string(output))
}

func TestArrowsPointDown(t *testing.T) {
	for room, allowed := range knows {
		for _, path := range list(t, "-f", "{{join .Imports \" \"}}", "leanwicket.dev/"+room) {
			if name, ours := strings.CutPrefix(path, "leanwicket.dev/"); ours {
				require.Contains(t, allowed, name, room)
			}
		}
	}
	for _, path := range list(t, "-f", "{{join .Imports \" \"}}", "leanwicket.dev/lifecycle") {
		require.NotContains(t, path, ".", "the core takes the standard library only")
	}
}

// What travels to the browser reaches none of what is too large for it.
func TestTheBrowserCarriesLittle(t *testing.T) {
	for _, room := range []string{"lifecycle", "replies", "trace", "markup", "runner"} {
		reached := list(t, "-deps", "leanwicket.dev/"+room)
		for _, heavy := range []string{"fmt", "encoding/json", "net/http", "net/url"} {
			require.False(t, slices.Contains(reached, heavy), "%s reaches %s", room, heavy)
		}
	}
}
