package main

import (
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"leanwicket.dev/declare"
	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func verifyCommand() *cobra.Command {
	var options verify.Options
	var out string
	c := &cobra.Command{
		Use:   "verify FORM…",
		Short: "Walk every order of clicks and answers and check the guarantees",
		Long: `Walks every state that a form can reach, breadth first, running the core itself:
the applicant's events and the backend's answers in every order that the timers
allow, within bounds. Says that the guarantees hold, or gives the shortest session
that breaks one. Exit status 1 where one is broken, or where the walk could not be
finished within --states.`,
		Example: `  leanwicket verify mooring.form.yaml
  leanwicket verify --fields 2 --attempts 1 --out broken forms`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files, err := find(args, "form")
			if err != nil {
				return err
			}
			stop := make(chan struct{})
			interrupts := make(chan os.Signal, 1)
			signal.Notify(interrupts, os.Interrupt)
			go func() {
				<-interrupts
				close(stop)
			}()
			options.Stop = stop
			verdict := error(nil)
			for _, file := range files {
				holds, err := verifyFile(c.OutOrStdout(), c.ErrOrStderr(), file, options, out)
				if err != nil {
					return err
				}
				if !holds {
					verdict = errNo
				}
			}
			return verdict
		},
	}
	c.Flags().IntVar(&options.Attempts, "attempts", 0, "submissions begun, at most")
	c.Flags().IntVar(&options.Tries, "tries", 0, "sendings of one attempt, at most")
	c.Flags().IntVar(&options.Loads, "loads", 0, "loads asked for, at most")
	c.Flags().IntVar(&options.Rows, "rows", 2, "rows of a group, at most")
	c.Flags().StringSliceVar(&options.Edited, "edit", nil, "fields that are edited; the others are filled in before")
	c.Flags().IntVar(&options.States, "states", 0, "states after which the walk gives up")
	c.Flags().StringVar(&out, "out", "", "write the shortest session for each broken guarantee to this folder, as a scenario")
	return c
}

func verifyFile(out, errs io.Writer, file string, options verify.Options, folder string) (holds bool, err error) {
	source, err := declare.Open(file)
	if err != nil {
		return false, err
	}
	live := term.IsTerminal(int(os.Stderr.Fd()))
	start := time.Now()
	if live {
		options.Progress = func(p verify.Progress) {
			rate := float64(p.States) / max(time.Since(start).Seconds(), 0.001)
			fmt.Fprintf(errs, "\r%s: %d states, %.0f a second, %d to go on from, %d deep ", source.Form.Name, p.States, rate, p.Frontier, p.Depth)
		}
	}
	result, err := verify.Walk(source.Form, options)
	if live {
		fmt.Fprint(errs, "\r\x1b[K")
	}
	if err != nil {
		return false, err
	}
	style := style()
	verdict := style.Paint("32", "every guarantee holds")
	switch {
	case len(result.Breaches) > 0:
		verdict = style.Paint("1;31", fmt.Sprintf("%d broken", len(result.Breaches)))
	case !result.Complete():
		verdict = style.Paint("33", "not finished; no guarantee was broken so far")
	}
	fmt.Fprintf(out, "%s: %s\n", file, verdict)
	fmt.Fprintf(out, "  walked  %d states, %d transitions, %d deep\n", result.States, result.Transitions, result.Depth)
	fmt.Fprintf(out, "  edited  %s; %d other answers were filled in\n", strings.Join(result.Edited, ", "), result.Filled)
	fmt.Fprintf(out, "  within  %s\n", result.Bounds)
	for _, waived := range result.Waived {
		fmt.Fprintf(out, "  waived  %s by %s: %s\n", waived.Guarantee, waived.Policy, waived.Price)
	}
	for _, b := range result.Breaches {
		if err := tellBreach(out, source, b, folder, style); err != nil {
			return false, err
		}
	}
	return len(result.Breaches) == 0 && result.Complete(), nil
}

// tellBreach shows the shortest session as play does, and writes it.
func tellBreach(out io.Writer, source *declare.Source, b verify.Breach, folder string, style scenario.Style) error {
	fmt.Fprintf(out, "\n%s\n\n", style.Paint("1;31", b.Error()))
	name := fmt.Sprintf("%s-%s.scenario.yaml", source.Form.Name, b.Guarantee)
	s, err := scenario.With(source, name, b.Scenario)
	if err != nil {
		return err
	}
	_, steps := scenario.Record(s, nil)
	scenario.WriteSteps(out, steps, style)
	if folder == "" {
		return nil
	}
	form, err := filepath.Abs(source.File)
	if err != nil {
		return err
	}
	target, err := filepath.Abs(folder)
	if err != nil {
		return err
	}
	beside, err := filepath.Rel(target, form)
	if err != nil {
		return err
	}
	text := strings.Replace(string(b.Scenario), fmt.Sprintf("form: %q", source.Form.Name+".form.yaml"), fmt.Sprintf("form: %q", filepath.ToSlash(beside)), 1)
	if _, err := writeNew(folder, map[string][]byte{name: []byte(text)}); err != nil {
		return err
	}
	fmt.Fprintf(out, "\nwritten to %s\n", filepath.Join(folder, name))
	return nil
}
