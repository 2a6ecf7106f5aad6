package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"leanwicket.dev/declare"
	"leanwicket.dev/try"
)

func tryCommand() *cobra.Command {
	var form, declared, out, junit string
	var asJSON, strict, fresh bool
	var o try.Options
	c := &cobra.Command{
		Use:   "try [PAGE] --form FORM",
		Short: "Try a page that you have, in a real browser: which guarantees does its form keep?",
		Long: `Opens a page (an address, a folder or an HTML file) in Chromium, plays its backend, and
makes one trial after the other, each on a page that was opened for it: what is typed
before the load comes, two clicks, a reply that is lost, a refusal, leaving with unsaved
work. Nothing of ours is on the page. Requests to the form's prefill.url, check.url and
submit.url are answered by the command. The browser has one way out, a proxy of the
command's: it lets through what reads, and answers everything else with 204, so that a
page which runs beside its real backend changes nothing there.

The form file says what the fields are. A control is found by its name, which is the
field's path, or by its label. What the page needs beside this stands in NAME.try.yaml
beside NAME.form.yaml: the page's address, a sign-in, selectors, how a widget of your own is
operated, what your server answers with, and which trials are excused. --new writes a first
one from what the page shows. Exit status 1 where a trial is broken, and with --strict where
one cannot tell; 2 where more than half cannot tell.`,
		Example: `  leanwicket try http://127.0.0.1:8000/permit --form permit.form.yaml
  leanwicket try http://127.0.0.1:8000/permit --form permit.form.yaml --new
  leanwicket try public --form permit.form.yaml --only two-clicks-40,lost-reply --out tried`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			source, err := formFlag(form)
			if err != nil {
				return err
			}
			if len(args) > 0 {
				o.Page = args[0]
			}
			if o.Declared, err = declarations(source, declared); err != nil {
				return err
			}
			if o.Page == "" && (o.Declared == nil || o.Declared.Page == "") {
				return fmt.Errorf("found no page; right would be leanwicket try PAGE, or page: in %s", cmp.Or(declared, try.DeclarationsBeside(source.File)))
			}
			if fresh {
				return writeTryFile(c, source, o, cmp.Or(declared, try.DeclarationsBeside(source.File)))
			}
			if term.IsTerminal(int(os.Stderr.Fd())) {
				o.Progress = func(r try.Result) { fmt.Fprintf(c.ErrOrStderr(), "\r\x1b[K%s: %s", r.Trial, r.Verdict) }
				defer fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
			}
			report, err := try.Run(c.Context(), source, o)
			if err != nil {
				return err
			}
			if o.Progress != nil {
				fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
			}
			return tell(c, report, asJSON, strict, out, junit)
		},
	}
	c.Flags().StringVar(&form, "form", "", "the form file that says what the page's form is")
	c.Flags().StringVar(&out, "out", "", "write the evidence to this folder: a page of everything, and of each broken trial a screenshot and what was done")
	c.Flags().BoolVar(&strict, "strict", false, "exit with 1 also where a trial cannot tell")
	c.Flags().StringVar(&junit, "junit", "", "write the report to this file as JUnit XML, for CI")
	c.Flags().BoolVar(&asJSON, "json", false, "write the report as JSON, with every request")
	c.Flags().StringSliceVar(&o.Only, "only", nil, "take these trials only")
	c.Flags().StringVar(&declared, "with", "", "the try file (default: NAME.try.yaml beside the form file, where there is one)")
	c.Flags().BoolVar(&fresh, "new", false, "write a first try file from what the page shows, instead of trying")
	c.Flags().BoolVar(&o.Visible, "visible", false, "show the browser's window")
	c.Flags().StringVar(&o.Chromium, "chromium", "", "the browser's program (default: chromium-headless-shell or chromium)")
	return c
}

// declarations reads the try file that is named, or the one beside the form file if there
// is one.
func declarations(source *declare.Source, name string) (*try.Declarations, error) {
	if name == "" {
		return try.DeclaredBeside(source)
	}
	return try.ReadDeclarations(name, source.Form)
}

// writeTryFile writes a try file that is not there yet.
func writeTryFile(c *cobra.Command, source *declare.Source, o try.Options, name string) error {
	text, err := try.First(c.Context(), source, o)
	if err != nil {
		return err
	}
	file, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s is there already; right would be --with another name", name)
	}
	if err != nil {
		return err
	}
	_, err = file.WriteString(text)
	if err := errors.Join(err, file.Close()); err != nil {
		return err
	}
	_, err = fmt.Fprintf(c.OutOrStdout(), "%s\n\n%s", name, text)
	return err
}

func tell(c *cobra.Command, report *try.Report, asJSON, strict bool, out, junit string) error {
	if out != "" {
		if err := report.WriteEvidence(out); err != nil {
			return err
		}
	}
	if junit != "" {
		file, err := os.Create(filepath.Clean(junit))
		if err != nil {
			return err
		}
		defer file.Close()
		if err := report.WriteJUnit(file); err != nil {
			return err
		}
	}
	if asJSON {
		encoder := json.NewEncoder(c.OutOrStdout())
		encoder.SetIndent("", "  ")
		if err := encoder.Encode(report); err != nil {
			return err
		}
	} else if err := report.WriteTable(c.OutOrStdout()); err != nil {
		return err
	}
	untold := report.Count(try.CannotTell)
	switch {
	case report.Count(try.Broken) > 0:
		return errNo
	case 2*untold > len(report.Results):
		return fmt.Errorf("more than half of the trials cannot tell: %s; right would be a page, or a form file, with which they can", report.Untold())
	case strict && untold > 0:
		return errNo
	}
	return nil
}
