package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/internal/document"
	"leanwicket.dev/scenario"
)

// player plays files as its flags say.
type player struct {
	out, errs io.Writer
	asJSON    bool
	quiet     bool
	watch     bool
	junit     string
	traces    string
	pictures  string
}

func playCommand() *cobra.Command {
	var p player
	c := &cobra.Command{
		Use:   "play FILE…",
		Short: "Play scenario files in virtual time and check what they expect",
		Long: `Plays each scenario and writes what happened: when, who, what, and what the form
then shows; then each expectation and guarantee that failed, with file and line.
A folder stands for every *.scenario.yaml (or .yml, .json) below it.`,
		Example: `  leanwicket play second-click.scenario.yaml
  leanwicket play --quiet permit 'more/*.scenario.yaml'
  leanwicket play --json permit | jq 'select(.said)'
  leanwicket play --watch permit`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p.out, p.errs = c.OutOrStdout(), c.ErrOrStderr()
			if p.watch {
				return p.playAgainAndAgain(c.Context(), args)
			}
			files, err := document.Find(args, "scenario")
			if err != nil {
				return err
			}
			return p.play(files)
		},
	}
	c.Flags().BoolVar(&p.asJSON, "json", false, "write the steps as JSON Lines")
	c.Flags().BoolVarP(&p.quiet, "quiet", "q", false, "write only what failed, and a last line of counts")
	c.Flags().BoolVar(&p.watch, "watch", false, "play again whenever one of the files, or a form or schema beside them, changes")
	c.Flags().StringVar(&p.junit, "junit", "", "write the report to this file as JUnit XML, for CI")
	c.Flags().StringVar(&p.traces, "trace", "", "write a trace of each session to this folder, for replay")
	c.Flags().StringVar(&p.pictures, "picture", "", "draw the timeline of each session into this folder, as SVG")
	c.MarkFlagsMutuallyExclusive("json", "quiet")
	c.MarkFlagsMutuallyExclusive("json", "watch")
	return c
}

// play plays what can be read; what cannot is told at the end.
func (p *player) play(files []string) error {
	reader := scenario.NewReader(nil)
	counts := scenario.Counts{}
	var results []*scenario.Result
	var unread []error
	for _, file := range files {
		s, err := reader.File(file)
		if err != nil {
			unread = append(unread, err)
			continue
		}
		result, err := p.playOne(s)
		if err != nil {
			return err
		}
		counts.Add(result)
		results = append(results, result)
	}
	if p.asJSON {
		writeJSON(p.out, counts)
	} else if len(results) > 0 {
		fmt.Fprintln(p.out, counts.String())
	}
	if p.junit != "" {
		var xml bytes.Buffer
		if err := scenario.WriteJUnit(&xml, results, unread); err != nil {
			return err
		}
		if err := os.WriteFile(p.junit, xml.Bytes(), 0o644); err != nil {
			return err
		}
	}
	if len(unread) > 0 {
		return errors.Join(unread...)
	}
	if counts.Failed > 0 {
		return errNo
	}
	return nil
}

func (p *player) playOne(s *scenario.Scenario) (*scenario.Result, error) {
	style := style()
	var result *scenario.Result
	var steps []scenario.Step
	var trace io.Writer // stays nil where none is wanted
	text := &bytes.Buffer{}
	if p.traces != "" || p.pictures != "" {
		trace = text
	}
	switch {
	case p.quiet:
		result = scenario.Play(s, scenario.Options{Trace: trace})
		for _, f := range result.Failures {
			scenario.WriteFailure(p.out, f, style)
		}
	case p.asJSON:
		result, steps = scenario.Record(s, trace)
		p.writeSteps(result, steps)
	default:
		result, steps = scenario.Record(s, trace)
		scenario.WriteResult(p.out, result, steps, style)
		fmt.Fprintln(p.out)
	}
	name, _, _ := strings.Cut(filepath.Base(s.File), ".scenario.")
	if p.traces != "" {
		if err := writeInto(p.traces, name+traceEnding, text.Bytes()); err != nil {
			return nil, err
		}
	}
	if p.pictures != "" {
		picture, err := pictureOf(s, text)
		if err != nil {
			return nil, err
		}
		return result, writeInto(p.pictures, name+".svg", picture)
	}
	return result, nil
}

// writeInto writes a file into a folder, which is made where it is missing.
func writeInto(folder, name string, data []byte) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, name), data, 0o644)
}

// writeSteps writes one JSON line a step and a failure, each with the file it
// is of.
func (p *player) writeSteps(result *scenario.Result, steps []scenario.Step) {
	for k := range steps {
		writeJSON(p.out, struct {
			File string `json:"file"`
			scenario.Step
		}{result.Scenario.File, steps[k]})
	}
	for _, f := range result.Failures {
		writeJSON(p.out, f)
	}
}

func writeJSON(out io.Writer, v any) {
	encoder := json.NewEncoder(out)
	encoder.SetEscapeHTML(false)
	if err := encoder.Encode(v); err != nil && !errors.Is(err, os.ErrClosed) {
		fmt.Fprintln(os.Stderr, err)
	}
}
