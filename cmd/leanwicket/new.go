package main

import (
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/scenario"
)

func newCommand() *cobra.Command {
	var schema string
	c := &cobra.Command{
		Use:   "new DIR",
		Short: "Write a first form and scenario, which play at once",
		Long: `Writes a form file, its JSON Schema and a scenario into a folder. With --schema
the form is made for a JSON Schema that is there already, and the scenario types
sample answers. A file that is there with other content is left alone.`,
		Example: `  leanwicket new permit && leanwicket play permit
  leanwicket new permit --schema mooring.schema.json`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files, err := firstFiles(schema)
			if err != nil {
				return err
			}
			return writeFirst(c.OutOrStdout(), args[0], files)
		},
	}
	c.Flags().StringVar(&schema, "schema", "", "make the form for this JSON Schema file")
	return c
}

func firstFiles(schema string) (map[string][]byte, error) {
	files := map[string][]byte{}
	if schema == "" {
		return files, fs.WalkDir(harbour.First(), ".", func(name string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				files[name], err = fs.ReadFile(harbour.First(), name)
			}
			return err
		})
	}
	data, err := document.ReadFile(schema, "a JSON Schema file")
	if err != nil {
		return nil, err
	}
	base := filepath.Base(schema)
	name := strings.TrimSuffix(strings.TrimSuffix(base, filepath.Ext(base)), ".schema")
	draft, err := declare.FirstForm(name, filepath.ToSlash(schema), os.ReadFile)
	if err != nil {
		return nil, err
	}
	files[base], files[name+".form.yaml"] = data, draft
	source, err := declare.OpenFunc(name+".form.yaml", func(asked string) ([]byte, error) {
		if data, ok := files[asked]; ok {
			return data, nil
		}
		return nil, fs.ErrNotExist
	})
	if err != nil {
		return nil, err
	}
	files[name+".scenario.yaml"] = scenario.First(source.Form, name+".form.yaml")
	return files, nil
}

func writeFirst(out io.Writer, folder string, files map[string][]byte) error {
	names, err := writeNew(folder, files)
	if err != nil {
		return err
	}
	for _, name := range names {
		fmt.Fprintln(out, filepath.Join(folder, name))
	}
	fmt.Fprintf(out, "\nPlay it:  leanwicket play %s\n", folder)
	return nil
}
