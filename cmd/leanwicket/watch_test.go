package main

import (
	"bytes"
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/harbour"
)

// shared is an output that two goroutines use.
type shared struct {
	mutex sync.Mutex
	text  bytes.Buffer
}

func (s *shared) Write(p []byte) (int, error) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return s.text.Write(p)
}

func (s *shared) rounds() (string, int) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return s.text.String(), strings.Count(s.text.String(), "waiting for a change")
}

func TestWatchPlaysAgainWhenAFileChanges(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"berth.form.yaml", "berth.schema.json", "berth.scenario.yaml"} {
		data, err := fs.ReadFile(harbour.First(), name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
	}
	ctx, cancel := context.WithCancel(t.Context())
	var out shared
	ended := make(chan error, 1)
	p := player{out: &out, errs: &out, quiet: true}
	go func() { ended <- p.playAgainAndAgain(ctx, []string{dir}) }()
	round := func(n int) string {
		for {
			if text, rounds := out.rounds(); rounds >= n {
				return text
			}
			time.Sleep(5 * time.Millisecond) // until the test's own deadline
		}
	}
	require.Contains(t, round(1), "1 passed, 0 failed")
	form := filepath.Join(dir, "berth.form.yaml")
	data, err := os.ReadFile(form)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(form, []byte("form:\n"), 0o644)) // a mistake in the middle of typing
	require.Contains(t, round(2), "berth.form.yaml:1:")
	require.NoError(t, os.WriteFile(form, data, 0o644))
	text := round(3)
	require.Contains(t, text[strings.LastIndex(text[:len(text)-1], "berth.form.yaml"):], "1 passed, 0 failed")
	cancel()
	require.NoError(t, <-ended)
}
