package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/trace"
)

// traceEnding is how the names of traces end.
const traceEnding = ".trace.jsonl"

func replayCommand() *cobra.Command {
	var forms []string
	c := &cobra.Command{
		Use:   "replay TRACE…",
		Short: "Replay recorded sessions: the same states, or the first line that differs",
		Long: `Gives a new session of the form every event of a trace, and compares effects and
states line by line. The form is found by its lifecycle among the form files
given with --form, else among those beside the trace: its words may have changed
since. Exit status 1 where a replay goes another way.`,
		Example: `  leanwicket play --trace traces permit
  leanwicket replay --form permit traces`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files, err := findTraces(args)
			if err != nil {
				return err
			}
			differ := false
			for _, file := range files {
				record, err := readTrace(file)
				if err != nil {
					return err
				}
				form, err := formOf(record, file, forms)
				if err != nil {
					return err
				}
				difference, err := trace.Replay(form, record, trace.Observer{})
				if err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
				if difference == nil {
					fmt.Fprintf(c.OutOrStdout(), "%s: the same, %d steps of %s\n", file, record.Steps(), record.Form)
					continue
				}
				differ = true
				tellDifference(c.OutOrStdout(), file, difference)
			}
			if differ {
				return errNo
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&forms, "form", nil, "a form file or a folder with form files")
	return c
}

func tellDifference(out io.Writer, file string, d *trace.Difference) {
	fmt.Fprintf(out, "%s:%d: %s differs\n  recorded  %s\n  replayed  %s\n",
		file, d.Line, d.What, orNothing(d.Recorded), orNothing(d.Replayed))
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

func findTraces(args []string) ([]string, error) {
	var files []string
	for _, arg := range args {
		if info, err := os.Stat(arg); err == nil && info.IsDir() {
			below, err := filepath.Glob(filepath.Join(arg, "*"+traceEnding))
			if err != nil || len(below) == 0 {
				return nil, fmt.Errorf("%s: found no *.trace.jsonl in this folder; right would be one that play --trace wrote", arg)
			}
			files = append(files, below...)
			continue
		}
		files = append(files, arg)
	}
	return files, nil
}

func readTrace(file string) (*trace.Record, error) {
	in, err := os.Open(file)
	if err != nil {
		return nil, &document.FileError{File: file, Want: "a trace that play --trace wrote", Err: err}
	}
	defer in.Close()
	record, err := trace.Read(in)
	if err != nil && strings.Contains(file, ".form.") {
		return nil, fmt.Errorf("%s: found a form file; right would be a trace that play --trace wrote, or leanwicket reply for a reply to the form", file)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return record, nil
}

// formOf finds the form of a trace among form files.
func formOf(record *trace.Record, file string, forms []string) (*form.Form, error) {
	if len(forms) == 0 {
		forms = []string{filepath.Dir(file)}
	}
	files, err := document.Find(forms, "form")
	if err != nil {
		return nil, fmt.Errorf("%s: the form %s is not beside it (%w); name it with --form", file, record.Form, err)
	}
	var others []string
	for _, name := range files {
		form, err := declare.File(name)
		if err != nil {
			continue // another form's mistake
		}
		unfit := record.Fits(form)
		if unfit == nil {
			return form, nil
		}
		if form.Name == record.Form {
			return nil, fmt.Errorf("%s: %w: %s is another one", file, unfit, name)
		}
		others = append(others, name)
	}
	return nil, fmt.Errorf("%s: found a trace of the form %s, which is none of %s; right would be --form with the form as it was recorded",
		file, record.Form, strings.Join(others, ", "))
}
