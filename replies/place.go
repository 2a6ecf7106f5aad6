package replies

import (
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Placed is one entry of a refusal: where it lands, and why there.
type Placed struct {
	lifecycle.Entry
	Name string // the server's own name, empty where it gave none
	Why  string
}

const maxDepth = 32

// Place reads every entry of a refusal and finds its field; what fits no field
// goes to the form, and a reply without any entry is one issue on the form.
func Place(form *form.Form, r Response) []Placed {
	p := placer{form: form}
	switch body := r.Body.(type) {
	case map[string]any:
		p.errors(body["errors"], "", 0)
	case []any:
		p.errors(body, "", 0)
	}
	if len(p.placed) > 0 {
		return p.placed
	}
	words, why := text(r.Body), "the reply has no entries, and says this of the whole"
	if words == "" {
		words, why = statusText(form, r.Status), "the reply has no entries: its status alone"
	}
	return []Placed{{Entry: lifecycle.Entry{Text: words}, Why: why}}
}

func statusText(f *form.Form, status int) string {
	text := f.Text(form.Message{ID: form.MessageIssueUntold})
	if status == 0 {
		return text
	}
	return text + " (" + strconv.Itoa(status) + ")"
}

type placer struct {
	form   *form.Form
	placed []Placed
}

// errors reads any of the shapes: a list of objects or texts, or an object by
// field name, nested or not.
func (p *placer) errors(v any, name string, depth int) {
	if depth > maxDepth {
		p.add(name, "", "nested too deeply")
		return
	}
	switch v := v.(type) {
	case nil:
	case string:
		p.add(name, "", v)
	case []any:
		for _, item := range v {
			switch item := item.(type) {
			case map[string]any:
				p.entry(item, name, depth)
			case []any:
				p.errors(item, name, depth+1)
			default:
				p.add(name, "", words(item))
			}
		}
	case map[string]any:
		keys := make([]string, 0, len(v))
		for key := range v {
			keys = append(keys, key)
		}
		for _, key := range inOrder(keys) {
			below := key
			if name != "" {
				below = name + "/" + key
			}
			p.errors(v[key], below, depth+1)
		}
	default:
		p.add(name, "", words(v))
	}
}

// inOrder sorts names. The library's sort is a hundredth of what a browser loads.
func inOrder(names []string) []string {
	if len(names) < 2 {
		return names
	}
	a, b := inOrder(names[:len(names)/2]), inOrder(names[len(names)/2:])
	all := make([]string, 0, len(names))
	for len(a) > 0 && len(b) > 0 {
		if a[0] <= b[0] {
			all, a = append(all, a[0]), a[1:]
		} else {
			all, b = append(all, b[0]), b[1:]
		}
	}
	return append(append(all, a...), b...)
}

// words is what a value of a wrong type says.
func words(v any) string {
	value, ok := form.ScalarOf(v)
	if ok && !value.Absent() {
		return value.String()
	}
	return "not accepted"
}

// entry reads one object of a list: problem details (pointer, detail), JSON:API
// (source.pointer or source.parameter, detail or title), or field, name or
// path with message or detail.
func (p *placer) entry(e map[string]any, name string, depth int) {
	first := func(keys ...string) string {
		for _, key := range keys {
			if s, ok := e[key].(string); ok && s != "" {
				return s
			}
		}
		return ""
	}
	if source, ok := e["source"].(map[string]any); ok {
		for _, key := range []string{"pointer", "parameter"} {
			if s, ok := source[key].(string); ok && name == "" {
				name = s
			}
		}
	}
	if own := first("pointer", "field", "name", "path"); own != "" {
		name = own
	} else if list, ok := e["path"].([]any); ok {
		name = pathOf(list)
	}
	says := first("detail", "message", "title")
	if says == "" && name == "" && len(e) > 0 {
		p.errors(e, "", depth+1) // an object by field name, inside a list
		return
	}
	if says == "" {
		says = "not accepted"
	}
	p.add(name, first("code"), says)
}

func pathOf(list []any) string {
	parts := make([]string, 0, len(list))
	for _, item := range list {
		parts = append(parts, words(item))
	}
	return strings.Join(parts, "/")
}

func (p *placer) add(name, code, says string) {
	path, why := Name(p.form, name)
	p.placed = append(p.placed, Placed{
		Entry: lifecycle.Entry{Path: path, Code: clip(code), Text: clip(says)}, Name: clip(name), Why: why,
	})
}

// Name finds the field that a server's name means, and says how. The empty path
// is the form.
func Name(form *form.Form, name string) (path, why string) {
	if name == "" {
		return "", "names no field"
	}
	for _, known := range form.ServerNames {
		for _, as := range [...]string{name, strings.TrimPrefix(name, "#")} { // a pointer may be a fragment (RFC 6901, section 6)
			if filled, ok := fill(known, as); ok {
				return filled, "refused.serverNames"
			}
		}
	}
	pointer := strings.TrimPrefix(name, "#")
	if rest, ok := strings.CutPrefix(pointer, "/"); ok {
		if _, known := form.Lookup(rest); known {
			return rest, "a JSON Pointer"
		}
	}
	if _, known := form.Lookup(name); known {
		return name, "a path"
	}
	dotted := slashed(strings.TrimPrefix(strings.TrimPrefix(pointer, "/"), "$."))
	if _, known := form.Lookup(dotted); known {
		return dotted, "dots and brackets"
	}
	return "", "no field has this name: on the form"
}

// slashed writes a name with dots and brackets as a path: crew[0].name.
func slashed(name string) string {
	path := make([]byte, 0, len(name))
	for k := range len(name) {
		switch c := name[k]; c {
		case '[', '.':
			path = append(path, '/')
		case ']':
		default:
			path = append(path, c)
		}
	}
	return string(path)
}

// fill applies one of the declared names; a * in it stands for a row number.
func fill(known form.ServerName, name string) (string, bool) {
	if known.Name == name {
		return known.Path, true
	}
	before, after, star := strings.Cut(known.Name, "*")
	if !star {
		return "", false
	}
	rest, ok := strings.CutPrefix(name, before)
	row, ok2 := strings.CutSuffix(rest, after)
	if _, err := strconv.ParseUint(row, 10, 31); !ok || !ok2 || err != nil {
		return "", false
	}
	return strings.Replace(known.Path, "*", row, 1), true
}
