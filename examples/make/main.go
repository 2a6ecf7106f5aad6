// Builds the pages of the examples: go generate ./examples/... . With -check it says
// whether what is committed is current. It needs npm.
package main

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"leanwicket.dev/internal/esbuild"
)

// page is a page that is built: a folder below examples, its scripts, and its forms.
type page struct {
	folder, packaged string
	scripts, forms   []string
}

var pages = []page{
	{"components", "harbour-forms", []string{"form.jsx", "lit.js", "plain.js", "session.jsx", "alone.jsx"}, []string{"tow"}},
	{"script", "harbour-forms", []string{"form.ts"}, []string{"berths"}},
	{"cache", "harbour-forms", []string{"form.jsx"}, []string{"buoy", "laid"}},
}

func main() {
	check := flag.Bool("check", false, "compare, and write nothing")
	flag.Parse()
	log.SetFlags(0)
	for _, p := range pages {
		files, err := p.build()
		if err != nil {
			log.Fatal(err)
		}
		for name, data := range files {
			at := filepath.Join(p.folder, "built", name)
			if *check {
				if known, err := os.ReadFile(at); err != nil || !bytes.Equal(known, data) {
					log.Fatalf("%s is not current; right would be: go generate ./examples/...", at)
				}
				continue
			}
			if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
				log.Fatal(err)
			}
			if err := os.WriteFile(at, data, 0o644); err != nil {
				log.Fatal(err)
			}
			fmt.Printf("%s: %d bytes\n", at, len(data))
		}
	}
}

// build makes the script with all that it imports, and the compiled forms.
func (p page) build() (map[string][]byte, error) {
	folder, err := filepath.Abs(p.folder)
	if err != nil {
		return nil, err
	}
	if _, err := os.Stat(filepath.Join(folder, "package.json")); err == nil {
		if err := run("npm", "ci", "--prefix", folder, "--no-audit", "--no-fund", "--ignore-scripts", "--silent"); err != nil {
			return nil, err
		}
	}
	dir, err := os.MkdirTemp("", "leanwicket-example-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	packages := filepath.Join(dir, "node_modules")
	forms := filepath.Join(packages, p.packaged)
	bundle := []string{"run", "leanwicket.dev/cmd/leanwicket", "bundle", forms}
	for _, name := range p.forms {
		bundle = append(bundle, filepath.Join(folder, name+".form.yaml"))
	}
	if err := run("go", append(bundle, "--package", p.packaged)...); err != nil {
		return nil, err
	}
	files := map[string][]byte{}
	for _, script := range p.scripts {
		if err := p.types(script, folder, dir, forms); err != nil {
			return nil, err
		}
		name := strings.TrimSuffix(script, filepath.Ext(script)) + ".js"
		if files[name], err = esbuild.Bundle(filepath.Join(folder, script), "esm", packages, "--jsx=automatic", "--jsx-import-source=preact"); err != nil {
			return nil, err
		}
	}
	for _, name := range p.forms {
		if files[name+".form"], err = os.ReadFile(filepath.Join(forms, name+".form")); err != nil {
			return nil, err
		}
	}
	return files, nil
}

// types checks the types of a script that has them, where the checker is installed.
func (p page) types(script, folder, dir, forms string) error {
	checker, err := filepath.Abs("../tools/npm/node_modules/.bin/tsc")
	if err != nil {
		return err
	}
	if _, err := os.Stat(checker); err != nil || filepath.Ext(script) != ".ts" {
		return nil
	}
	settings, err := json.Marshal(map[string]any{
		"files": []string{filepath.Join(folder, script)},
		"compilerOptions": map[string]any{
			"strict": true, "noEmit": true, "target": "es2022", "module": "esnext", "moduleResolution": "bundler",
			"lib": []string{"es2023", "dom", "dom.iterable"}, "types": []string{}, "paths": map[string][]string{p.packaged: {forms}},
		},
	})
	if err != nil {
		return err
	}
	at := filepath.Join(dir, "tsconfig.json")
	if err := os.WriteFile(at, settings, 0o644); err != nil {
		return err
	}
	return run(checker, "-p", at)
}

func run(name string, args ...string) error {
	if text, err := exec.Command(name, args...).CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w\n%s", name, err, text)
	}
	return nil
}
