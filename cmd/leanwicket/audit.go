package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/try"
	"leanwicket.dev/try/audit"
)

// formFlag opens the form that --form names.
func formFlag(name string) (*declare.Source, error) {
	if name == "" {
		return nil, errors.New("found no form; right would be --form FORM")
	}
	return declare.Open(name)
}

func auditCommand() *cobra.Command {
	var form, with, program string
	c := &cobra.Command{
		Use:   "audit PAGE --form FORM",
		Short: "Say what in a page's markup breaks the lifecycle",
		Long: `Reads a page and compares its form with a form file: buttons without a type, controls
without a name or with one that the form does not know, fields without a control,
labels and descriptions that are missing, private fields in a form that is sent by
GET, click handlers in place of submit, controls that throw typing away, options that the
form does not have. Each finding has its line and a remedy. Advice is apart: it makes a page
hard to hear, and does not change the exit status. Of several forms the page's first is
read, or the one with data-leanwicket-form. Of an address the markup is read after its
scripts have run, as leanwicket try reaches the page.`,
		Example: `  leanwicket audit index.html --form mooring.form.yaml
  leanwicket audit http://127.0.0.1:8000/permit --form mooring.form.yaml`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			source, err := formFlag(form)
			if err != nil {
				return err
			}
			declared, err := declarations(source, with)
			if err != nil {
				return err
			}
			page, err := markupOf(c.Context(), source, try.Options{Page: args[0], Declared: declared, Chromium: program})
			if err != nil {
				return err
			}
			var located []string
			if declared != nil {
				located = slices.Sorted(maps.Keys(declared.Controls))
			}
			findings, err := audit.Page(source.Form, strings.NewReader(page), located...)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			return tellAudit(c.OutOrStdout(), args[0], source.Form.Name, findings)
		},
	}
	c.Flags().StringVar(&with, "with", "", "the try file (default: NAME.try.yaml beside the form file, where there is one)")
	c.Flags().StringVar(&program, "chromium", "", "of an address: the browser's program (default: chromium-headless-shell or chromium)")
	c.Flags().StringVar(&form, "form", "", "the form file that the page is for")
	return c
}

// markupOf is a page's markup: a file's, or that of an address after its scripts have run.
func markupOf(ctx context.Context, source *declare.Source, o try.Options) (string, error) {
	if try.IsAddress(o.Page) {
		return try.Markup(ctx, source, o)
	}
	text, err := document.ReadFile(o.Page, "a file of HTML, or the address of a page")
	return string(text), err
}

func tellAudit(w io.Writer, page, form string, findings []audit.Finding) error {
	hazards := 0
	for _, f := range findings {
		what := f.What
		if f.Advice {
			what = "advice: " + what
		} else {
			hazards++
		}
		fmt.Fprintf(w, "%s:%d: %s\n  %s\n", page, f.Line, what, f.Remedy)
	}
	if hazards > 0 {
		fmt.Fprintf(w, "\n%d of %d break the lifecycle of %s on this page\n", hazards, len(findings), form)
		return errNo
	}
	fmt.Fprintf(w, "%s: nothing in the markup breaks the lifecycle of %s\n", page, form)
	return nil
}
