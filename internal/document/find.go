package document

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
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

// FileError is a file that cannot be read, and what would be right.
type FileError struct {
	File, Want string
	Err        error
}

func (e *FileError) Error() string {
	found := "a file that cannot be read (" + Cause(e.Err).Error() + ")"
	switch {
	case errors.Is(e.Err, fs.ErrNotExist):
		found = "no such file"
	case errors.Is(e.Err, syscall.EISDIR):
		found = "a folder"
	}
	return fmt.Sprintf("%s: found %s; right would be %s", e.File, found, e.Want)
}

func (e *FileError) Unwrap() error { return e.Err }

// Cause is why a file cannot be read, without its name.
func Cause(err error) error {
	if of := (*fs.PathError)(nil); errors.As(err, &of) {
		return of.Err
	}
	return err
}

// ReadFile reads a file that somebody has named. The error is a [FileError].
func ReadFile(name, want string) ([]byte, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, &FileError{name, want, err}
	}
	return data, nil
}
