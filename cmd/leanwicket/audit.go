package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/audit"
)

// formFlag opens the form that --form names.
func formFlag(name string) (*declare.Source, error) {
	if name == "" {
		return nil, errors.New("found no form; right would be --form FORM")
	}
	return declare.Open(name)
}

func auditCommand() *cobra.Command {
	var form string
	c := &cobra.Command{
		Use:   "audit PAGE --form FORM",
		Short: "Say what in a page's markup breaks the lifecycle",
		Long: `Reads a page and compares its form with a form file: buttons without a type, controls
without a name or with one that the form does not know, fields without a control,
labels and descriptions that are missing, private fields in a form that is sent by
GET, click handlers in place of submit, controls that throw typing away. Each finding
has its line and a remedy. Of several forms the page's first is read, or the one with
data-leanwicket-form.`,
		Example: `  leanwicket audit index.html --form mooring.form.yaml`,
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			source, err := formFlag(form)
			if err != nil {
				return err
			}
			page, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer page.Close()
			findings, err := audit.Page(source.Form, page)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			for _, f := range findings {
				fmt.Fprintf(c.OutOrStdout(), "%s:%d: %s\n  %s\n", args[0], f.Line, f.What, f.Remedy)
			}
			if len(findings) > 0 {
				fmt.Fprintf(c.OutOrStdout(), "\n%d of them break the lifecycle of %s on this page\n", len(findings), source.Form.Name)
				return errNo
			}
			fmt.Fprintf(c.OutOrStdout(), "%s: nothing in the markup breaks the lifecycle of %s\n", args[0], source.Form.Name)
			return nil
		},
	}
	c.Flags().StringVar(&form, "form", "", "the form file that the page is for")
	return c
}
