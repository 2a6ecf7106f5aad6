package main

import (
	"cmp"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/scenario"
)

// saysNo is what is told of forms that do not declare how their server refuses.
const saysNo = `
%s without refused.inBody: a 2xx whose body says no at its top (ok or success is
false, or something stands at error or errors) leaves the outcome unknown. Where that is a
refusal, say refused: {inBody: /errors}; where it is an acceptance, refused: {inBody: none}.
`

func checkCommand() *cobra.Command {
	var strict bool
	c := &cobra.Command{
		Use:   "check FORM…",
		Short: "Read form files and say what is wrong or unwise, without playing anything",
		Long: `Reads each form file and its schema. What is wrong is told with file, line and
column (exit status 2); what is allowed and unwise is told beside the form's
summary (exit status 0, or 1 with --strict). A folder stands for every
*.form.yaml below it.`,
		Example: `  leanwicket check mooring.form.yaml
  leanwicket check --strict forms`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files, err := document.Find(args, "form")
			if err != nil {
				return err
			}
			var wrong error
			unwise, undeclared := 0, 0
			for _, file := range files {
				source, err := declare.Open(file)
				if err != nil {
					if wrong != nil {
						fmt.Fprintln(c.ErrOrStderr(), wrong)
					}
					wrong = err
					continue
				}
				f := source.Form
				fmt.Fprintf(c.OutOrStdout(), "%s: form %s, %s; %s %s, with the button %s\n", file, f.Name, scenario.Plural(len(f.Declared()), "field"),
					f.Submit.Method, cmp.Or(f.Submit.URL, "to the page's own address"), strings.Join(f.Buttons, " or "))
				if f.Submit.URL != "" && len(f.InBody) == 0 && !f.InBodyNone {
					undeclared++
				}
				for _, beyond := range source.Beyond {
					fmt.Fprintf(c.OutOrStdout(), "  beyond  %s is %s, and no field: %s\n", beyond.Path, beyond.Why, whatBecomes(f))
				}
				for _, advice := range advice(source) {
					unwise++
					fmt.Fprintf(c.OutOrStdout(), "  unwise  %s\n", advice.Error())
				}
			}
			if undeclared > 0 {
				fmt.Fprintf(c.OutOrStdout(), saysNo, scenario.Plural(undeclared, "form"))
			}
			switch {
			case wrong != nil:
				return wrong
			case unwise > 0 && strict:
				return errNo
			default:
				return nil
			}
		},
	}
	c.SetOut(os.Stdout)
	c.Flags().BoolVar(&strict, "strict", false, "exit with 1 where something is unwise")
	return c
}

// whatBecomes says what becomes of a property that is no field.
func whatBecomes(f *form.Form) string {
	if f.Submit.Undeclared {
		return "it goes back as it was loaded"
	}
	return "it is not sent"
}

// advice lists what is allowed and unwise in a form file, and which guarantees it waives, in the order of
// the file.
func advice(source *declare.Source) []form.Problem {
	list := slices.Clone(source.Advice)
	for _, waived := range guarantee.Waives(source.Form) {
		policy, _, _ := strings.Cut(waived.Policy, ":")
		list = append(list, source.Advise(policy, waived.Policy+", which waives "+waived.Guarantee.String()+": "+waived.Price, waived.Instead))
	}
	slices.SortStableFunc(list, func(a, b form.Problem) int { return cmp.Or(a.Line-b.Line, a.Column-b.Column) })
	return list
}
