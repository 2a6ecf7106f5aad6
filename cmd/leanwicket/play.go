package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"leanwicket.dev/scenario"
)

func playCommand() *cobra.Command {
	var asJSON, quiet bool
	c := &cobra.Command{
		Use:   "play FILE…",
		Short: "Play scenario files in virtual time and check what they expect",
		Long: `Plays each scenario and writes what happened: when, who, what, and what the form
then shows; then each expectation and guarantee that failed, with file and line.
A folder stands for every *.scenario.yaml (or .yml, .json) below it.`,
		Example: `  leanwicket play second-click.scenario.yaml
  leanwicket play --quiet permit 'more/*.scenario.yaml'
  leanwicket play --json permit | jq 'select(.said)'`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files, err := find(args, "scenario")
			if err != nil {
				return err
			}
			return playFiles(c.OutOrStdout(), c.ErrOrStderr(), files, asJSON, quiet)
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "write the steps as JSON Lines")
	c.Flags().BoolVarP(&quiet, "quiet", "q", false, "write only what failed, and a last line of counts")
	c.MarkFlagsMutuallyExclusive("json", "quiet")
	return c
}

// playFiles plays what can be read; what cannot is told at the end.
func playFiles(out, errs io.Writer, files []string, asJSON, quiet bool) error {
	reader := scenario.NewReader(nil)
	counts := scenario.Counts{}
	var unread []error
	for _, file := range files {
		s, err := reader.File(file)
		if err != nil {
			unread = append(unread, err)
			continue
		}
		if asJSON {
			counts.Add(playJSON(out, s))
		} else {
			counts.Add(playTable(out, s, quiet))
		}
	}
	switch {
	case asJSON:
		writeJSON(out, counts)
	default:
		fmt.Fprintln(out, counts.String())
	}
	if len(unread) > 0 {
		for _, err := range unread[:len(unread)-1] {
			fmt.Fprintln(errs, err)
		}
		return unread[len(unread)-1]
	}
	if counts.Failed > 0 {
		return errNo
	}
	return nil
}

func playTable(out io.Writer, s *scenario.Scenario, quiet bool) *scenario.Result {
	style := style()
	if quiet {
		result := scenario.Play(s, scenario.Options{})
		for _, f := range result.Failures {
			scenario.WriteFailure(out, f, style)
		}
		return result
	}
	result, steps := scenario.Record(s)
	scenario.WriteResult(out, result, steps, style)
	fmt.Fprintln(out)
	return result
}

// playJSON writes one line a step and a failure, each with the file it is of.
func playJSON(out io.Writer, s *scenario.Scenario) *scenario.Result {
	result, steps := scenario.Record(s)
	for k := range steps {
		writeJSON(out, struct {
			File string `json:"file"`
			scenario.Step
		}{s.File, steps[k]})
	}
	for _, f := range result.Failures {
		writeJSON(out, f)
	}
	return result
}

func writeJSON(out io.Writer, v any) {
	encoder := json.NewEncoder(out)
	encoder.SetEscapeHTML(false)
	if err := encoder.Encode(v); err != nil && !errors.Is(err, os.ErrClosed) {
		fmt.Fprintln(os.Stderr, err)
	}
}
