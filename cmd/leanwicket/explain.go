package main

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/internal/document"
	"leanwicket.dev/internal/glossary"
)

func explainCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "explain [NAME]",
		Short: "Say in plain words what a guarantee, hold, issue code, state or reply means",
		Long: `Says what a word of the lifecycle means and what to do. Without a name it lists
all words. A word of several kinds, such as accepted, is explained for each;
"reply accepted" asks for one.`,
		Example: `  leanwicket explain prefill-missing
  leanwicket explain reply denied`,
		Args: cobra.MaximumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				listWords(c.OutOrStdout())
				return nil
			}
			word := strings.Join(args, " ")
			found := glossary.Find(word)
			if len(found) == 0 {
				var words []string
				for _, e := range glossary.Entries() {
					words = append(words, e.Word)
				}
				return fmt.Errorf("found no word %q; right would be %s (leanwicket explain lists all)", word, document.Suggest(word, words))
			}
			for _, e := range found {
				fmt.Fprintf(c.OutOrStdout(), "%s %s\n%s\n\n", e.Of, style().Paint("1", e.Word), e.Meaning)
			}
			return nil
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			var words []string
			for _, e := range glossary.Entries() {
				words = append(words, e.Word)
			}
			return words, cobra.ShellCompDirectiveNoFileComp
		},
	}
}

func listWords(out io.Writer) {
	var order []string
	words := map[string][]string{}
	for _, e := range glossary.Entries() {
		if !slices.Contains(order, e.Of) {
			order = append(order, e.Of)
		}
		words[e.Of] = append(words[e.Of], e.Word)
	}
	for _, of := range order {
		fmt.Fprintf(out, "%-11s %s\n", of, strings.Join(words[of], ", "))
	}
}
