package main

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// find turns file names, folders and globs into files with one of the endings.
func find(args []string, kind string) ([]string, error) {
	var files []string
	for _, arg := range args {
		info, err := os.Stat(arg)
		switch {
		case err == nil && info.IsDir():
			below, err := walk(arg, kind)
			if err != nil {
				return nil, err
			}
			if len(below) == 0 {
				return nil, fmt.Errorf("%s: found no *.%s.yaml in this folder; right would be a folder with one (leanwicket new DIR makes one)", arg, kind)
			}
			files = append(files, below...)
		case err == nil:
			files = append(files, arg)
		default:
			matched, globErr := filepath.Glob(arg)
			if globErr != nil || len(matched) == 0 {
				return nil, fmt.Errorf("%s: found no such file; right would be a %s file, a folder or a pattern such as '*.%s.yaml'", arg, kind, kind)
			}
			more, err := find(matched, kind)
			if err != nil {
				return nil, err
			}
			files = append(files, more...)
		}
	}
	return files, nil
}

func walk(folder, kind string) ([]string, error) {
	var files []string
	err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		for _, ending := range []string{".yaml", ".yml", ".json"} {
			if !d.IsDir() && strings.HasSuffix(path, "."+kind+ending) {
				files = append(files, path)
			}
		}
		return nil
	})
	slices.Sort(files)
	return files, err
}

// writeNew writes files into a folder, all or none: what is there already with
// other content is left alone and named.
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
