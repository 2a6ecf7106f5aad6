package main

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"text/template"

	"github.com/spf13/cobra"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/form"
)

func bundleCommand() *cobra.Command {
	var name string
	c := &cobra.Command{
		Use:   "bundle DIR [FORM...]",
		Short: "Write what a page needs to run the lifecycle in the browser",
		Long: `Writes the script, its types and the core (as WebAssembly, and compressed with
brotli) to a folder, and each form as the script reads it. A plain HTML page gets the
lifecycle with one script tag and one attribute; what is in the folder from an earlier
bundle is replaced.

With --package the folder is a package that npm can install, for scripts with components
of their own: a module with types that opens sessions, and the forms.`,
		Example: `  leanwicket bundle public/leanwicket mooring.form.yaml

  <script src="/leanwicket/leanwicket.js" defer></script>
  <form data-leanwicket-form="/leanwicket/mooring.form" method="post" action="/permits">

  leanwicket bundle forms mooring.form.yaml --package saltmarsh-forms
  npm install ./forms`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			forms, err := compileForms(args[1:])
			if err != nil {
				return err
			}
			files := map[string][]byte{}
			for _, f := range forms {
				files[f.File] = f.compiled
			}
			for _, name := range browser.Names() {
				if files[name], err = browser.File(name); err != nil {
					return err
				}
			}
			packed, err := browser.Packed()
			if err != nil {
				return err
			}
			if name == "" {
				files["leanwicket.wasm.br"] = packed
			} else if err := packageFiles(files, name, forms); err != nil {
				return err
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
	c.Flags().StringVar(&name, "package", "", "write a package of this name, which npm can install")
	return c
}

// bundledForm is a form in a bundle.
type bundledForm struct {
	Form     *form.Form
	File     string // mooring.form
	Name     string // in scripts: mooringForm
	Paths    []string
	Values   string // a type of TypeScript
	compiled []byte
}

// compileForms reads form files. Two that would be one file in the bundle are an error.
func compileForms(paths []string) (list []bundledForm, err error) {
	from := map[string]string{}
	for _, path := range paths {
		source, err := declare.Open(path)
		if err != nil {
			return nil, err
		}
		if file := source.Form.FirstFile(); file != "" {
			return nil, fmt.Errorf("%s: found the field %s, which takes a file, and a script sends of a file its name alone; right would be a page that the browser itself sends, without the script", path, file)
		}
		compiled, err := source.Form.MarshalBinary()
		if err != nil {
			return nil, err
		}
		base, _, _ := strings.Cut(filepath.Base(path), ".")
		f := bundledForm{Form: source.Form, File: base + ".form", Name: scriptName(base), Values: valuesType(source.Form), compiled: compiled}
		if other, taken := from[f.Name]; taken {
			return nil, fmt.Errorf("%s and %s: found two forms that would be %s in the bundle; right would be files with names of their own", other, path, f.File)
		}
		from[f.Name] = path
		for k := range source.Form.Declared() {
			f.Paths = append(f.Paths, strings.ReplaceAll(source.Form.Fields[k].Path, "*", "${number}"))
		}
		list = append(list, f)
	}
	return list, nil
}

// betweenWords is what stands between the words of a file's name.
var betweenWords = regexp.MustCompile(`[^\pL\pN]+`)

// scriptName is a file's name as a name in scripts: berth-swap is berthSwapForm.
func scriptName(base string) string {
	words := betweenWords.Split(base+" form", -1)
	for k, word := range words {
		if k > 0 && word != "" {
			words[k] = strings.ToUpper(word[:1]) + word[1:]
		}
	}
	name := strings.Join(words, "")
	if name[0] >= '0' && name[0] <= '9' {
		name = "_" + name
	}
	return name
}

// packageName is what npm takes for a package's name.
var packageName = regexp.MustCompile(`^(@[a-z0-9][a-z0-9._~-]*/)?[a-z0-9][a-z0-9._~-]*$`)

//go:embed package.tmpl
var packageTemplates string

// npmPackage is package.json. Of the conditions of an export the first that fits is taken,
// so that their order counts.
type npmPackage struct {
	Name        string     `json:"name"`
	Version     string     `json:"version"`
	Type        string     `json:"type"`
	SideEffects bool       `json:"sideEffects"`
	Types       string     `json:"types"`
	Exports     npmExports `json:"exports"`
	Files       []string   `json:"files"`
}

type npmExports struct {
	Index  npmIndex `json:"."`
	Attach npmIndex `json:"./attach"`
	Rest   string   `json:"./*"`
}

type npmIndex struct {
	Types   string `json:"types"`
	Default string `json:"default"`
}

// packageFiles adds what makes a folder a package, and takes out what is for script tags.
func packageFiles(files map[string][]byte, name string, forms []bundledForm) error {
	if !packageName.MatchString(name) || len(name) > 214 {
		return fmt.Errorf("--package: found %q; right would be a name that npm takes, such as saltmarsh-forms or @saltmarsh/forms", name)
	}
	if len(forms) == 0 {
		return fmt.Errorf("--package: found no form; right would be at least one form file")
	}
	delete(files, "leanwicket.js")
	named := slices.Sorted(maps.Keys(files))
	description, err := json.MarshalIndent(npmPackage{
		Name: name, Version: "1.0.0", Type: "module", Types: "./index.d.ts",
		Exports: npmExports{Index: npmIndex{Types: "./index.d.ts", Default: "./index.js"}, Attach: npmIndex{Types: "./attach.d.ts", Default: "./attach.js"}, Rest: "./*"},
		Files:   append(named, "index.js", "index.d.ts", "attach.js", "attach.d.ts"),
	}, "", "  ")
	if err != nil {
		return err
	}
	files["package.json"] = append(description, '\n')
	templates, err := template.New("package").Parse(packageTemplates)
	if err != nil {
		return err
	}
	for _, file := range []string{"index.js", "index.d.ts", "attach.js", "attach.d.ts", "README.md"} {
		var text bytes.Buffer
		if err := templates.ExecuteTemplate(&text, file, map[string]any{"Package": name, "Forms": forms}); err != nil {
			return err
		}
		files[file] = text.Bytes()
	}
	return nil
}
