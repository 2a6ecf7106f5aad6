package document

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// Find turns file names, folders and globs into the files of a kind, such as form or scenario: all
// that a folder has below it.
func Find(args []string, kind string) ([]string, error) {
	var files []string
	for _, arg := range args {
		info, err := os.Stat(arg)
		switch {
		case err == nil && info.IsDir():
			inFolder, err := below(arg, kind)
			if err != nil {
				return nil, err
			}
			if len(inFolder) == 0 {
				return nil, fmt.Errorf("%s: found no *.%s.yaml in this folder; right would be a folder with one (leanwicket new DIR makes one)", arg, kind)
			}
			files = append(files, inFolder...)
		case err == nil:
			files = append(files, arg)
		default:
			matched, globErr := filepath.Glob(arg)
			if globErr != nil || len(matched) == 0 {
				return nil, fmt.Errorf("%s: found no such file; right would be a %s file, a folder or a pattern such as '*.%s.yaml'", arg, kind, kind)
			}
			more, err := Find(matched, kind)
			if err != nil {
				return nil, err
			}
			files = append(files, more...)
		}
	}
	return files, nil
}

func below(folder, kind string) ([]string, error) {
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
