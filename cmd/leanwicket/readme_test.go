package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var fenced = regexp.MustCompile("(?ms)^```([^\n]*)\n(.*?)^```$")

// What the pages show is what the program does: each file block is written out,
// each console block is run and its output compared. UPDATE=1 writes the outputs anew.
func TestPagesShowWhatHappens(t *testing.T) {
	pages, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	for _, page := range append(pages, "../../README.md") {
		t.Run(filepath.Base(page), func(t *testing.T) {
			text, err := os.ReadFile(page)
			require.NoError(t, err)
			dir := t.TempDir()
			for _, block := range fenced.FindAllStringSubmatch(string(text), -1) {
				kind, name, _ := strings.Cut(block[1], " ")
				switch {
				case name != "":
					require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(block[2]), 0o644))
				case kind == "console":
					ran := runConsole(t, dir, block[2])
					if os.Getenv("UPDATE") == "" {
						require.Equal(t, block[2], ran)
					}
					text = bytes.Replace(text, []byte(block[2]), []byte(ran), 1)
				}
			}
			if os.Getenv("UPDATE") != "" {
				require.NoError(t, os.WriteFile(page, text, 0o644))
			}
		})
	}
}

// runConsole runs the commands of a block, and returns the block as it is now.
func runConsole(t *testing.T, dir, block string) string {
	var ran []string
	for part := range strings.SplitSeq("\n"+strings.TrimSuffix(block, "\n"), "\n$ ") {
		command, _, _ := strings.Cut(part, "\n")
		if command == "" {
			continue
		}
		shell := exec.Command("sh", "-c", command)
		shell.Dir = dir
		output, _ := shell.CombinedOutput()
		ran = append(ran, strings.TrimSpace("$ "+command+"\n"+string(output))+"\n")
	}
	return strings.Join(ran, "\n")
}
