package main

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/diagram"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/scenario"
	"leanwicket.dev/trace"
	"leanwicket.dev/verify"
)

func drawCommand() *cobra.Command {
	d := &drawing{}
	c := &cobra.Command{
		Use:   "draw SCENARIO|TRACE|FORM -o FILE",
		Short: "Draw the timeline of a session, or the chart of a form",
		Long: `Draws a scenario or a recorded session as a timeline, and a form as the chart of
its lifecycle: each state, and each transition that the form's policies allow.
With --covered-by, the transitions that scenarios take are solid, with counts, and
the others dashed. A guarantee that does not hold is shown in red.

The ending of the file says how: .svg, .png, or for a form .scxml (State Chart XML).`,
		Example: `  leanwicket draw 05-second-click.scenario.yaml -o second-click.svg
  leanwicket draw mooring.form.yaml -o mooring.png --scale 2 --covered-by permit`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := d.draw(args[0]); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "drawn: %s\n", d.out)
			return nil
		},
	}
	c.Flags().StringVarP(&d.out, "out", "o", "", "the picture to write")
	c.Flags().IntVar(&d.scale, "scale", 1, "pixels of a PNG to a pixel of the layout")
	c.Flags().StringArrayVar(&d.scenarios, "covered-by", nil, "scenario files or folders: which transitions do they take?")
	c.Flags().StringArrayVar(&d.forms, "form", nil, "a form file or a folder with form files, for a trace")
	_ = c.MarkFlagRequired("out") // the flag is there
	return c
}

// drawing is what the command was asked for.
type drawing struct {
	out       string
	scale     int
	scenarios []string
	forms     []string
}

func (d *drawing) draw(file string) error {
	ending := filepath.Ext(d.out)
	if ending != ".svg" && ending != ".png" && ending != ".scxml" {
		return fmt.Errorf("%s: found the ending %q; right would be .svg, .png or, for a form, .scxml", d.out, ending)
	}
	if d.scale < 1 || d.scale > 8 {
		return fmt.Errorf("found --scale %d; right would be 1 to 8", d.scale)
	}
	isForm := strings.Contains(filepath.Base(file), ".form.")
	switch {
	case isForm:
		return d.chart(file)
	case ending == ".scxml":
		return fmt.Errorf("%s: found a session; right would be a form file, of which SCXML tells the states", file)
	case strings.HasSuffix(file, ".jsonl"):
		return d.trace(file)
	default:
		s, err := scenario.File(file)
		if err != nil {
			return err
		}
		picture, err := timelineOf(s, recordOf(s))
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		return d.write(picture)
	}
}

// recordOf plays a scenario and returns its trace.
func recordOf(s *scenario.Scenario) *bytes.Buffer {
	var recorded bytes.Buffer
	scenario.Play(s, scenario.Options{Trace: &recorded})
	return &recorded
}

// timelineOf draws what happened when a scenario was played.
func timelineOf(s *scenario.Scenario, recorded io.Reader) (*diagram.Drawing, error) {
	record, err := trace.Read(recorded)
	if err != nil {
		return nil, err
	}
	return diagram.Timeline(s.Form(), record, s.Name)
}

// pictureOf is the timeline as SVG.
func pictureOf(s *scenario.Scenario, recorded io.Reader) ([]byte, error) {
	picture, err := timelineOf(s, recorded)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.File, err)
	}
	var text bytes.Buffer
	err = picture.WriteSVG(&text)
	return text.Bytes(), err
}

func (d *drawing) trace(file string) error {
	record, err := readTrace(file)
	if err != nil {
		return err
	}
	form, err := formOf(record, file, d.forms)
	if err != nil {
		return err
	}
	picture, err := diagram.Timeline(form, record, "")
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	return d.write(picture)
}

func (d *drawing) write(picture *diagram.Drawing) error {
	var text bytes.Buffer
	err := error(nil)
	if filepath.Ext(d.out) == ".png" {
		err = picture.WritePNG(&text, d.scale)
	} else {
		err = picture.WriteSVG(&text)
	}
	if err != nil {
		return err
	}
	return os.WriteFile(d.out, text.Bytes(), 0o644)
}

// chart walks the form for the transitions that its policies allow, and draws
// them.
func (d *drawing) chart(file string) error {
	source, err := declare.Open(file)
	if err != nil {
		return err
	}
	v := &verifying{options: verify.Options{Attempts: 2, Tries: 2, Loads: 2, States: 15_000}, scenarios: d.scenarios, together: 1, stderr: os.Stderr}
	cover := &coverage{}
	if len(d.scenarios) > 0 {
		if cover, err = v.covered(source); err != nil {
			return err
		}
	}
	arrows, broken, err := v.arrows(source, cover)
	if err != nil {
		return err
	}
	if filepath.Ext(d.out) == ".scxml" {
		var text bytes.Buffer
		if err := diagram.WriteSCXML(&text, source.Form, arrows); err != nil {
			return err
		}
		return os.WriteFile(d.out, text.Bytes(), 0o644)
	}
	picture, err := diagram.Chart(source.Form, arrows, diagram.ChartOptions{Covered: len(d.scenarios) > 0, Broken: broken})
	if err != nil {
		return err
	}
	return d.write(picture)
}

// arrows are the transitions that walks of the form have taken, and what is
// broken.
func (v *verifying) arrows(source *declare.Source, cover *coverage) (arrows []diagram.Arrow, broken string, err error) {
	o := v.options
	o.Wanted = func(lifecycle.Transition) bool { return false }
	report, err := verify.Verify(source.Form, verify.Walks(source.Form, o, verify.Plan(source.Form, v.together)))
	if err != nil {
		return nil, "", err
	}
	onTheWay := map[lifecycle.Transition]bool{}
	if len(report.Breaches) > 0 {
		b := report.Breaches[0]
		broken = b.Error()
		s, err := scenario.With(source, "broken.scenario.yaml", b.Scenario)
		if err != nil {
			return nil, "", err
		}
		scenario.Play(s, scenario.Options{Taken: func(t lifecycle.Transition) { onTheWay[t] = true }})
	}
	for _, r := range report.Reached {
		arrows = append(arrows, diagram.Arrow{Transition: r.Transition, Taken: cover.taken[r.Transition], Broken: onTheWay[r.Transition]})
	}
	return arrows, broken, nil
}
