package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/scenario"
)

func schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "schema form|scenario",
		Short: "Print the JSON Schema of form files or of scenario files",
		Long: `Prints the JSON Schema (2020-12) of one of the two file formats, with which an
editor completes and checks them. What a schema cannot know (the paths of a
form) leanwicket check and play tell.`,
		Example:   `  leanwicket schema form > form.schema.json`,
		Args:      cobra.MatchAll(cobra.ExactArgs(1), cobra.OnlyValidArgs),
		ValidArgs: []string{"form", "scenario"},
		RunE: func(c *cobra.Command, args []string) error {
			text := declare.FileSchema
			if args[0] == "scenario" {
				text = scenario.FileSchema
			}
			_, err := fmt.Fprint(c.OutOrStdout(), string(text))
			return err
		},
	}
}
