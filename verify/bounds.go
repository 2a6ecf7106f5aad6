package verify

import (
	"errors"
	"io/fs"
	"os"
	"slices"
	"strings"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// walksOf are the walks of a form's bounds file, else planned ones.
func walksOf(source *declare.Source, base Options, atATime int) (walks []Options, planned bool, err error) {
	if of, isForm := strings.CutSuffix(source.File, ".form.yaml"); isForm {
		name := of + ".bounds.yaml"
		data, err := os.ReadFile(name)
		if err == nil {
			walks, err = Bounds(source, name, data, base)
			return walks, false, err
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return nil, false, err
		}
	}
	return Walks(source.Form, base, Plan(source.Form, atATime)), true, nil
}

// Bounds reads the walks that a *.bounds.yaml file asks for (the same content in
// JSON will do). What a walk does not say is as in base.
//
//	walks:
//	  - {edit: [slot], attempts: any, tries: any, loads: any, rows: 2}
//	  - {edit: [crew/0/name], attempts: 2, tries: 2}
//	  - {edit: [slot], earlier: true}
//
// The error is a [form.Problems].
func Bounds(source *declare.Source, name string, data []byte, base Options) ([]Options, error) {
	root, err := document.Read(name, data)
	if err != nil {
		return nil, err
	}
	r := boundsReader{document.NewReport(name), source.Form}
	var walks []Options
	for _, e := range r.Map(root, "walks") {
		for _, walk := range r.List(e.Value) {
			walks = append(walks, r.walk(walk, base))
		}
	}
	if len(walks) == 0 && r.Count() == 0 {
		r.Wrong(root, "no walks", "walks: [{edit: [a path]}]")
	}
	return walks, r.Err()
}

type boundsReader struct {
	*document.Report
	form *form.Form
}

func (r *boundsReader) walk(n *document.Node, o Options) Options {
	o.Edited = nil
	for _, e := range r.Map(n, "edit", "attempts", "tries", "loads", "rows", "earlier") {
		switch e.Key {
		case "edit":
			for _, item := range r.List(e.Value) {
				path := r.Text(item)
				if _, err := editedField(r.form, path, nil); err != nil {
					r.Wrong(item, "the path "+path+", which no field that can be edited has", document.Suggest(path, slices.Concat(Plan(r.form, 1)...)))
				}
				o.Edited = append(o.Edited, path)
			}
		case "attempts":
			o.Attempts = r.number(e.Value)
		case "tries":
			o.Tries = r.number(e.Value)
		case "loads":
			o.Loads = r.number(e.Value)
		case "rows":
			o.Rows = r.Int(e.Value, 1)
		case "earlier":
			o.Earlier = r.Bool(e.Value)
		}
	}
	if len(o.Edited) == 0 && n.Kind == document.Map {
		r.Wrong(n, "a walk that edits nothing", "{edit: [a path], attempts: 2}")
	}
	return o
}

// number reads a limit. The word any means that there is none.
func (r *boundsReader) number(n *document.Node) int {
	if n.Text == "any" {
		return 0
	}
	return r.Int(n, 1)
}
