package main

import (
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// knows are the packages of the house that each may import: arrows point down.
var knows = map[string][]string{
	"form":               {"internal/jsontext"},
	"internal/codec":     {},
	"internal/jsontext":  {},
	"internal/wire":      {"replies"},
	"internal/state":     {"form", "internal/codec"},
	"internal/members":   {"form"},
	"internal/decode":    {"form", "internal/members"},
	"lifecycle":          {"form", "internal/state", "internal/members"},
	"sample":             {"form", "lifecycle"},
	"internal/canonical": {"form", "lifecycle", "internal/codec", "internal/state"},
	"guarantee":          {"form", "lifecycle", "internal/codec", "internal/canonical"},
	"replies":            {"form", "lifecycle", "internal/jsontext"},
	"trace":              {"form", "lifecycle", "guarantee", "internal/jsontext", "internal/state"},
	"internal/document":  {"form"},
	"declare":            {"form", "internal/decode", "internal/document", "internal/members"},
	"scenario":           {"form", "lifecycle", "guarantee", "replies", "trace", "declare", "sample", "internal/document", "internal/wire"},
	"verify":             {"form", "lifecycle", "guarantee", "replies", "declare", "sample", "internal/document", "internal/canonical"},
	"runner":             {"form", "lifecycle", "guarantee", "replies", "trace", "internal/markup"},
	"runner/overhttp":    {"lifecycle", "replies", "runner"},
	"formhttp":           {"form", "lifecycle", "replies", "internal/decode", "internal/markup", "ledger", "ledger/memory", "internal/palette"},
	"formhttp/metrics":   {"formhttp"},
	"ledger":             {},
	"ledger/memory":      {"ledger"},
	"ledger/sqlite":      {"ledger"},
	"ledger/postgres":    {"ledger"},
	"ledger/redis":       {"ledger"},
	"browser":            {},
	"browser/entry":      {"form", "lifecycle", "replies", "runner", "trace"},
	"internal/palette":   {},
	"internal/chromium":  {},
	"internal/diagram":   {"form", "lifecycle", "trace", "internal/palette"},
	"internal/markup":    {"form"},
	"try/audit":          {"form", "internal/markup"},
	"try":                {"form", "lifecycle", "declare", "sample", "replies", "internal/diagram", "internal/chromium", "internal/document", "internal/palette"},
	"harbour":            {},
	"harbour/office":     {"browser", "form", "lifecycle", "trace", "internal/diagram", "internal/seen", "declare", "formhttp", "harbour", "ledger", "ledger/sqlite", "internal/palette"},
}

func list(t *testing.T, args ...string) []string {
	return listFor(t, nil, args...)
}

// listFor lists for another machine.
func listFor(t *testing.T, machine []string, args ...string) []string {
	command := exec.Command("go", append([]string{"list"}, args...)...)
	command.Env = append(os.Environ(), machine...)
	output, err := command.Output()
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
	for _, room := range []string{"form", "lifecycle", "guarantee", "replies"} {
		for _, path := range list(t, "-f", "{{join .Imports \" \"}}", "leanwicket.dev/"+room) {
			require.True(t, !strings.Contains(path, ".") || strings.HasPrefix(path, "leanwicket.dev/"), "%s takes the standard library only, not %s", room, path)
		}
	}
}

// What travels to the browser reaches none of what is too large for it.
func TestTheBrowserCarriesLittle(t *testing.T) {
	for _, room := range []string{"form", "lifecycle", "guarantee", "replies", "trace", "internal/markup", "runner"} {
		reached := listFor(t, []string{"GOOS=js", "GOARCH=wasm"}, "-deps", "leanwicket.dev/"+room)
		for _, heavy := range []string{"fmt", "encoding/json", "regexp", "net/http", "net/url"} {
			require.False(t, slices.Contains(reached, heavy), "%s reaches %s", room, heavy)
		}
	}
}
