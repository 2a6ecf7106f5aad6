// Package esbuild bundles scripts with the bundler that tools pins. It is for programs that
// run in a folder beside tools, as go generate runs them.
package esbuild

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
)

// Bundle makes one minified file of a script and what it imports. The format is esm, or
// iife for a classic script; packages are a folder of npm packages beside those that the
// script finds by itself, or empty.
func Bundle(script, format, packages string, more ...string) ([]byte, error) {
	path, err := filepath.Abs(script)
	if err != nil {
		return nil, err
	}
	c := exec.Command("go", append([]string{
		"-C", "../tools", "tool", "esbuild", path, "--bundle", "--minify",
		"--charset=utf8", "--target=es2022", "--log-level=warning", "--format=" + format,
	}, more...)...)
	c.Env = append(os.Environ(), "NODE_PATH="+packages)
	var wrong bytes.Buffer
	c.Stderr = &wrong
	text, err := c.Output()
	if err != nil {
		return nil, fmt.Errorf("%s: %w\n%s", script, err, wrong.Bytes())
	}
	return text, nil
}
