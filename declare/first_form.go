package declare

import (
	"fmt"
	"path"
	"strings"
)

// FirstForm writes a first form file for a schema: every field with its label, to be
// changed by hand. name is the form's name, schema the file beside it.
func FirstForm(name, schema string, open func(string) ([]byte, error)) ([]byte, error) {
	file := path.Join(path.Dir(schema), name+".form.yaml")
	bare := fmt.Sprintf("form: %s\nschema: %q\n", name, path.Base(schema))
	source, err := read(file, func(asked string) ([]byte, error) {
		if asked == file {
			return []byte(bare), nil
		}
		return open(asked)
	})
	if err != nil {
		return nil, err
	}
	var text strings.Builder
	fmt.Fprintf(&text, "form: %s\ntitle: %s\nschema: %q\n\nfields:\n", name, title(name), path.Base(schema))
	for _, f := range source.Form.Declared() {
		label := f.Label
		if label == f.Path[lastSlash(f.Path)+1:] {
			label = title(label)
		}
		fmt.Fprintf(&text, "  %q: {label: %q}\n", f.Path, label)
	}
	fmt.Fprintf(&text, "\nsubmit:\n  url: /%s\n\naccepted:\n  then: keep\n", name)
	return []byte(text.String()), nil
}

// title makes words of a name: vesselName and vessel-name are Vessel name.
func title(name string) string {
	var words strings.Builder
	for k, c := range name {
		switch {
		case c == '-' || c == '_' || c == '.':
			words.WriteByte(' ')
		case c >= 'A' && c <= 'Z' && k > 0:
			words.WriteByte(' ')
			words.WriteRune(c + 'a' - 'A')
		case k == 0 && c >= 'a' && c <= 'z':
			words.WriteRune(c + 'A' - 'a')
		default:
			words.WriteRune(c)
		}
	}
	return words.String()
}
