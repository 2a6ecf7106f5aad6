package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The pictures in the docs are what draw draws. UPDATE=1 draws them anew.
func TestPicturesInTheDocs(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, dir))
	pictures, err := filepath.Glob("../../docs/pictures/*.svg")
	require.NoError(t, err)
	require.Greater(t, len(pictures), 10)
	for _, file := range pictures {
		name := strings.TrimSuffix(filepath.Base(file), ".svg")
		d := &drawing{out: filepath.Join(dir, "drawn.svg"), scale: 1}
		source := name + ".scenario.yaml"
		if form, isChart := strings.CutPrefix(name, "chart-"); isChart {
			source, d.scenarios = form+".form.yaml", []string{dir}
		}
		if os.Getenv("UPDATE") != "" {
			d.out = file
		}
		require.NoError(t, d.draw(filepath.Join(dir, source)))
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		drawn, err := os.ReadFile(d.out)
		require.NoError(t, err)
		require.Equal(t, string(want), string(drawn), name)
	}
}
