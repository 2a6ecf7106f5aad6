package main

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// writeNew writes all of some files into a folder, or none of them. It leaves a file alone that is there
// already with other content, and names it.
func writeNew(folder string, files map[string][]byte) ([]string, error) {
	var names, taken []string
	for name := range files {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		path := filepath.Join(folder, name)
		there, err := os.ReadFile(path)
		if err == nil && string(there) != string(files[name]) || err != nil && !os.IsNotExist(err) {
			taken = append(taken, path)
		}
	}
	if len(taken) > 0 {
		return nil, fmt.Errorf("%s: found a file there already; right would be another folder, or to move it away first", strings.Join(taken, ", "))
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	for k, name := range names {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, files[name], 0o644); err != nil {
			return names[:k], err
		}
	}
	return names, nil
}
