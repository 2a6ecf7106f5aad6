package main

import (
	"fmt"
	"io"
	"io/fs"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/guarantee"
	"leanwicket.dev/harbour"
	"leanwicket.dev/scenario"
)

func demoCommand() *cobra.Command {
	var write string
	var all bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Play the harbour office's scenarios",
		Long: `Plays the scenarios of the harbour office of Saltmarsh Quay, which are part of
this program, and says what each of them showed.`,
		Example: `  leanwicket demo
  leanwicket demo --all
  leanwicket demo --write harbour && leanwicket play harbour`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if write != "" {
				return writeDemo(c.OutOrStdout(), write)
			}
			return playDemo(c.OutOrStdout(), all)
		},
	}
	c.Flags().StringVar(&write, "write", "", "copy the forms and scenarios to this folder, to be changed and played, with a picture of each")
	c.Flags().BoolVar(&all, "all", false, "show every scenario step by step")
	return c
}

func writeDemo(out io.Writer, folder string) error {
	files := map[string][]byte{}
	for _, name := range harbour.Names() {
		data, err := fs.ReadFile(harbour.Files(), name)
		if err != nil {
			return err
		}
		files[name] = data
	}
	reader := scenario.NewReader(harbour.Files())
	for _, name := range harbour.Scenarios() {
		s, err := reader.File(name)
		if err != nil {
			return err
		}
		if files[strings.Replace(name, ".scenario.yaml", ".svg", 1)], err = pictureOf(s, recordOf(s)); err != nil {
			return err
		}
	}
	names, err := writeNew(folder, files)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%d files are in %s. Play them with: leanwicket play %s\n", len(names), folder, folder)
	return nil
}

func playDemo(out io.Writer, all bool) error {
	style := style()
	fmt.Fprint(out, `The harbour office of Saltmarsh Quay takes applications for mooring permits and
keeps a record of each vessel. Its forms are declared in files; every scenario
below is one applicant's session on one of them, played in virtual time.

`)
	reader := scenario.NewReader(harbour.Files())
	counts := scenario.Counts{}
	for k, name := range harbour.Scenarios() {
		s, err := reader.File(name)
		if err != nil {
			return err
		}
		result, steps := scenario.Record(s, nil)
		counts.Add(result)
		if all {
			scenario.WriteResult(out, result, steps, style)
			fmt.Fprintln(out)
			continue
		}
		scenario.WriteStory(out, k+1, result, steps, style)
	}
	fmt.Fprintf(out, "\n%s\n", counts)
	fmt.Fprintf(out, "The %d guarantees of the lifecycle were checked after every event.\n", len(guarantee.Words()))
	fmt.Fprint(out, `
See each of them step by step:   leanwicket demo --all
Change them and play them again: leanwicket demo --write harbour && leanwicket play harbour
Begin with a form of your own:   leanwicket new permit && leanwicket play permit
`)
	if counts.Failed > 0 {
		return errNo
	}
	return nil
}
