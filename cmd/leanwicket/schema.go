package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/scenario"
	"leanwicket.dev/try"
)

func schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "schema form|scenario|try",
		Short: "Print the JSON Schema of form, scenario or try files",
		Long: `Prints the JSON Schema (2020-12) of one of the three file formats, with which an
editor completes and checks them. What a schema cannot know (the paths of a
form) leanwicket check and play tell.`,
		Example:   `  leanwicket schema form > form.schema.json`,
		Args:      cobra.MatchAll(cobra.ExactArgs(1), cobra.OnlyValidArgs),
		ValidArgs: []string{"form", "scenario", "try"},
		RunE: func(c *cobra.Command, args []string) error {
			text := map[string][]byte{"form": declare.FileSchema, "scenario": scenario.FileSchema, "try": try.FileSchema}[args[0]]
			_, err := fmt.Fprint(c.OutOrStdout(), string(text))
			return err
		},
	}
}
