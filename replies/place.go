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

const maxDepth = 8

// untold is the text of an entry that has a name, and no words.
const untold = "not accepted"

// Place reads every entry of a refusal and finds its field; what fits no field
// goes to the form, and a reply without any entry is one issue on the form.
func Place(form *form.Form, r Response) []Placed {
	p := placer{form: form, names: names{form: form}, sent: r.Sent}
	if entries, refused := r.refusedInBody(form); refused {
		p.below(entries)
	} else {
		p.body(r.Body)
	}
	if p.more > 0 {
		p.placed = append(p.placed, Placed{Entry: lifecycle.Entry{Text: "… +" + strconv.Itoa(p.more)}, Why: "more entries than are read"})
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
	names  names
	sent   []form.Answer
	placed []Placed
	more   int // entries that were not placed
}

// words is what a value of a wrong type says.
func words(v any) string {
	value, ok := form.ScalarOf(v)
	if ok && !value.Absent() {
		return value.String()
	}
	return untold
}

func pathOf(list []any) string {
	parts := make([]string, 0, len(list))
	for _, item := range list {
		parts = append(parts, words(item))
	}
	return strings.Join(parts, "/")
}

// mostEntries is how many entries are placed. The others are counted.
const mostEntries = 200

func (p *placer) add(name, code, says string) {
	if p.wasSent(says) { // it comes back, and says nothing
		return
	}
	if len(p.placed) == mostEntries {
		p.more++
		return
	}
	path, why := p.names.find(name)
	p.placed = append(p.placed, Placed{
		Entry: lifecycle.Entry{Path: path, Code: clip(code), Text: clip(says)}, Name: clip(name), Why: why,
	})
}

// names finds the fields that a server's names mean.
type names struct {
	form *form.Form
	// plain gives each path by itself without regard to case, _ and -; empty means that several
	// paths are alike. It is made when it is first needed.
	plain map[string]string
}

// find finds the field that a name means, and says how. The empty path is the form.
func (n *names) find(name string) (path, why string) {
	form := n.form
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
	if path := n.alike(dotted); path != "" {
		return path, "another case"
	}
	for rest := dotted; ; { // body, data/attributes, the name of an operation
		_, below, deeper := strings.Cut(rest, "/")
		if !deeper {
			break
		}
		rest = below
		if _, known := form.Lookup(rest); known {
			return rest, "its last parts"
		}
		if path := n.alike(rest); path != "" {
			return path, "its last parts, in another case"
		}
	}
	return "", "no field has this name: on the form"
}

// alike is the only field whose path is a name without regard to case, _ and -; empty:
// there is none, or several.
func (n *names) alike(name string) string {
	if n.plain == nil {
		n.plain = make(map[string]string, len(n.form.Fields))
		for id := range n.form.Declared() {
			path := n.form.Fields[id].Path
			key := withoutCase(path)
			if _, twice := n.plain[key]; twice {
				path = ""
			}
			n.plain[key] = path
		}
	}
	key, found, matches := withoutCase(name), "", 0
	if path, known := n.plain[key]; known && !strings.Contains(key, "*") {
		found, matches = path, 1
	}
	for before, rest := "", key; rest != ""; { // any number may be that of a row
		segment, after, _ := strings.Cut(rest, "/")
		if _, err := strconv.ParseUint(segment, 10, 31); err == nil && before != "" && after != "" {
			if path, known := n.plain[before+"*/"+after]; known {
				found, matches = strings.Replace(path, "*", segment, 1), matches+1
			}
		}
		before, rest = before+segment+"/", after
	}
	if matches > 1 {
		return ""
	}
	return found
}

func withoutCase(name string) string {
	plain := make([]byte, 0, len(name))
	for k := range len(name) {
		switch c := name[k]; {
		case c == '_' || c == '-':
		case c >= 'A' && c <= 'Z':
			plain = append(plain, c|0x20)
		default:
			plain = append(plain, c)
		}
	}
	return string(plain)
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
	return strings.TrimRight(string(path), "/") // boxes[] names the field boxes
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
