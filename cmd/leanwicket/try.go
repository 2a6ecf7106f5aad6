package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"leanwicket.dev/internal/try"
)

func tryCommand() *cobra.Command {
	var form, out, junit, record, refusal string
	var asJSON, strict bool
	var o try.Options
	c := &cobra.Command{
		Use:   "try PAGE --form FORM",
		Short: "Try a page that you have, in a real browser: which guarantees does its form keep?",
		Long: `Opens a page (an address, a folder or an HTML file) in Chromium, plays its backend, and
makes one trial after the other, each on a page that was opened for it: what is typed
before the load comes, two clicks, a reply that is lost, a refusal, leaving with unsaved
work. Nothing of ours is on the page. Requests to the form's prefill.url, check.url and
submit.url are answered by the command. The browser has one way out, a proxy of the
command's: it lets through what reads, and answers everything else with 204, so that a
page which runs beside its real backend changes nothing there.

The form file says what the fields are. A control is found by its name, which is the
field's path; where it is not, fields.PATH.control gives a CSS selector (in rows {row}
is the row's number, and the control of the rows themselves is the button that adds
one), and submit.control that of the submit buttons. Exit status 1 where a trial is broken, and with --strict
where one cannot tell; 2 where more than half cannot tell.`,
		Example: `  leanwicket try http://127.0.0.1:8000/permit --form permit.form.yaml
  leanwicket try public --form permit.form.yaml --only two-clicks-40,lost-reply --out tried`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			source, err := formFlag(form)
			if err != nil {
				return err
			}
			o.Page = args[0]
			if o.Record, err = readJSON(record, "the body that your server answers "+source.Form.Prefill.URL+" with"); err != nil {
				return err
			}
			if o.Refusal, err = readJSON(refusal, "the body that your server refuses a field with"); err != nil {
				return err
			}
			if term.IsTerminal(int(os.Stderr.Fd())) {
				o.Progress = func(r try.Result) { fmt.Fprintf(c.ErrOrStderr(), "\r\x1b[K%s: %s", r.Trial, r.Verdict) }
				defer fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
			}
			answer, err := try.Run(c.Context(), source, o)
			if err != nil {
				return err
			}
			if o.Progress != nil {
				fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
			}
			return tell(c, answer, asJSON, strict, out, junit)
		},
	}
	c.Flags().StringVar(&form, "form", "", "the form file that says what the page's form is")
	c.Flags().StringVar(&out, "out", "", "a folder for the evidence: one report of everything, and of each broken trial a screenshot and what was done")
	c.Flags().BoolVar(&strict, "strict", false, "exit status 1 also where a trial cannot tell")
	c.Flags().StringVar(&junit, "junit", "", "a file for CI")
	c.Flags().BoolVar(&asJSON, "json", false, "the answer as JSON, with every request")
	c.Flags().StringSliceVar(&o.Only, "only", nil, "these trials only")
	c.Flags().StringVar(&record, "record", "", "a JSON file that a load is answered with (default: a sample)")
	c.Flags().StringVar(&refusal, "refusal", "", "a JSON file that a submission is refused with, of a text or number of the form (default: problem details)")
	c.Flags().BoolVar(&o.Visible, "visible", false, "with a window to watch")
	c.Flags().StringVar(&o.Chromium, "chromium", "", "the browser's program (default: found on the path)")
	return c
}

// readJSON reads a file that is given, of which is said what it would hold.
func readJSON(name, right string) ([]byte, error) {
	if name == "" {
		return nil, nil
	}
	data, err := os.ReadFile(name)
	if err == nil && !json.Valid(data) {
		err = fmt.Errorf("%s: found no JSON; right would be %s", name, right)
	}
	return data, err
}

func tell(c *cobra.Command, answer *try.Answer, asJSON, strict bool, out, junit string) error {
	if out != "" {
		if err := answer.WriteEvidence(out); err != nil {
			return err
		}
	}
	if junit != "" {
		file, err := os.Create(filepath.Clean(junit))
		if err != nil {
			return err
		}
		defer file.Close()
		if err := answer.WriteJUnit(file); err != nil {
			return err
		}
	}
	if asJSON {
		encoder := json.NewEncoder(c.OutOrStdout())
		encoder.SetIndent("", "  ")
		if err := encoder.Encode(answer); err != nil {
			return err
		}
	} else if err := answer.WriteTable(c.OutOrStdout()); err != nil {
		return err
	}
	untold := answer.Count(try.CannotTell)
	switch {
	case answer.Count(try.Broken) > 0:
		return errNo
	case 2*untold > len(answer.Results):
		return fmt.Errorf("more than half of the trials cannot tell: %s; right would be a page, or a form file, with which they can", answer.Untold())
	case strict && untold > 0:
		return errNo
	}
	return nil
}
