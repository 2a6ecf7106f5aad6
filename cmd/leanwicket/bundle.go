package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
)

func bundleCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "bundle DIR [FORM...]",
		Short: "Write what a page needs to run the lifecycle in the browser",
		Long: `Writes the script, its types and the core (as WebAssembly, and compressed with
brotli) to a folder, and each form as the script reads it. A plain HTML page gets the
lifecycle with one script tag and one attribute; what is in the folder from an earlier
bundle is replaced.`,
		Example: `  leanwicket bundle public/leanwicket mooring.form.yaml

  <script src="/leanwicket/leanwicket.js" defer></script>
  <form data-leanwicket-form="/leanwicket/mooring.form" method="post" action="/permits">`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files := map[string][]byte{}
			for _, name := range browser.Names() {
				data, err := browser.File(name)
				if err != nil {
					return err
				}
				files[name] = data
			}
			packed, err := browser.Packed()
			if err != nil {
				return err
			}
			files["leanwicket.wasm.br"] = packed
			for _, form := range args[1:] {
				source, err := declare.Open(form)
				if err != nil {
					return err
				}
				compiled, err := source.Form.MarshalBinary()
				if err != nil {
					return err
				}
				base := filepath.Base(form)
				base, _, _ = strings.Cut(base, ".")
				files[base+".form"] = compiled
			}
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return err
			}
			for name, data := range files {
				if err := os.WriteFile(filepath.Join(args[0], name), data, 0o644); err != nil {
					return err
				}
			}
			fmt.Fprintf(c.OutOrStdout(), "%d files are in %s: the core is %d KB, %d KB compressed\n", len(files), args[0], len(files["leanwicket.wasm"])/1000, len(packed)/1000)
			return nil
		},
	}
}
