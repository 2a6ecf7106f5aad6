package main

import (
	"cmp"
	"crypto/sha256"
	"fmt"
	"go/format"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// ends makes the ends of the table: what stands in the file of each path.
func ends() (map[string][]byte, error) {
	protocol := fmt.Sprintf("%.4x", sha256.Sum256([]byte(coreEnd("")+scriptEnd(""))))
	core, err := format.Source([]byte(coreEnd(protocol)))
	if err != nil {
		return nil, fmt.Errorf("entry/table.go: %w", err)
	}
	types, err := os.ReadFile("leanwicket.d.ts")
	if err != nil {
		return nil, err
	}
	typed, err := typeEnd(string(types))
	return map[string][]byte{"entry/table.go": core, "script/table.js": []byte(scriptEnd(protocol)), "leanwicket.d.ts": []byte(typed)}, err
}

// ways are how each kind of part goes: its Go type as a parameter, the patch's method that says it, the
// Go type and the method of what is told, its type in JavaScript, and its type for readers of a snapshot.
var ways = map[kind]struct{ param, says, member, told, js, ts string }{
	text:   {"string", "text", "string", "at", "string", "string"},
	fact:   {"bool", "fact", "bool", "fact", "boolean", "boolean"},
	number: {"int64", "number", "int", "number", "number", "number"},
	data:   {"string", "text", "", "", "any", "any"},
	words:  {"[]string", "list", "", "", "string[]", "readonly string[]"}, // nobody tells the core a list
}

// quoted is a name as a key in JavaScript.
func quoted(name string) string {
	if strings.Contains(name, " ") {
		return strconv.Quote(name)
	}
	return name
}

// camel is a name of several words as one.
func camel(name string) string {
	head, rest, more := strings.Cut(name, " ")
	if !more {
		return head
	}
	return head + strings.ToUpper(rest[:1]) + camel(rest[1:])
}

// The end in Go.

func coreEnd(protocol string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "// Code generated from browser/make/table.go; DO NOT EDIT.\n\npackage entry\n\nimport (\n\"cmp\"\n\"strconv\"\n\n\"leanwicket.dev/form\"\n\"leanwicket.dev/lifecycle\"\n\"leanwicket.dev/replies\"\n\"leanwicket.dev/runner\"\n)\n\n")
	fmt.Fprintf(&b, "// protocol names the table: a script that was made from another one is not understood.\nconst protocol = %q\n", protocol)
	b.WriteString("\n// table are the parts of each record, which the script reads first: a name that ends with ? is a\n// fact, with # a number, with * a list of words, with = a JSON text. Behind the parts stand the name of a list and the\n// parts of its elements.\nconst table = \"\" +\n")
	for k, r := range records {
		line := r.name + "\t" + spec(r.parts)
		if r.each != nil {
			line += "\t" + r.each.name + "\t" + spec(r.each.parts)
		}
		fmt.Fprintf(&b, "%q", line+"\n")
		if k+1 < len(records) {
			b.WriteString(" +")
		}
		b.WriteString("\n")
	}
	for _, r := range records {
		takes := r.takes
		for _, p := range r.parts {
			if p.from == "" {
				takes += ", " + p.name + " " + ways[p.kind].param
			}
		}
		fmt.Fprintf(&b, "\nfunc (p *patch) %s(%s) {\np.begin(%q)\n", camel(r.name), strings.TrimPrefix(takes, ", "), r.name)
		said(&b, r.parts)
		if r.each != nil {
			fmt.Fprintf(&b, "for _, %s := range %s {\n", r.each.as, r.each.over)
			said(&b, r.each.parts)
			b.WriteString("}\n")
		}
		b.WriteString("p.end()\n}\n")
	}
	b.WriteString("\n// eventOf is what the script tells of an applicant.\nfunc eventOf(what string, told texts) (lifecycle.Event, bool) {\nswitch what {\n")
	for _, e := range events {
		fmt.Fprintf(&b, "case %q:\n", e.word)
		for k, name := range e.texts {
			fmt.Fprintf(&b, "%s := told.at(%d)\n", name, k)
		}
		fmt.Fprintf(&b, "return %s, true\n", e.from)
	}
	b.WriteString("}\nreturn lifecycle.Event{}, false\n}\n")
	for _, c := range calls {
		name := camel("call " + c.name)
		fmt.Fprintf(&b, "\ntype %s struct {\n", name)
		for _, p := range c.parts {
			fmt.Fprintf(&b, "%s %s\n", p.name, ways[p.kind].member)
		}
		fmt.Fprintf(&b, "}\n\nfunc %sOf(told texts) (c %s) {\n", camel(c.name), name)
		for k, p := range c.parts {
			fmt.Fprintf(&b, "c.%s = told.%s(%d)\n", p.name, ways[p.kind].told, k)
		}
		b.WriteString("return c\n}\n")
	}
	return b.String()
}

// said writes what a record says of each part.
func said(b *strings.Builder, parts []part) {
	for _, p := range parts {
		from := p.from
		if from == "" {
			from = p.name
		}
		fmt.Fprintf(b, "p.%s(%s)\n", ways[p.kind].says, from)
	}
}

// The end in JavaScript.

func scriptEnd(protocol string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "// Made from browser/make/table.go: what the core says, and what it is told. A name that ends with ? is a fact, and\n// with # a number, with = a JSON text.\n\nexport const protocol = %q\n\n/**\n * What the core says.\n * @typedef {{\n", protocol)
	for _, r := range records {
		fmt.Fprintf(&b, " *   %s: {%s", quoted(r.name), typesOf(r.parts))
		if r.each != nil {
			fmt.Fprintf(&b, "%s: {%s}[]", r.each.name, strings.TrimSuffix(typesOf(r.each.parts), ", "))
		}
		b.WriteString("},\n")
	}
	b.WriteString(" * }} Records\n */\n\n/** What the core is told of a page, its requests and its timers. @type {Record<string, string>} */\nexport const calls = {\n")
	for _, c := range calls {
		fmt.Fprintf(&b, "  %s: %q,\n", c.name, spec(c.parts))
	}
	var readers, acts []string
	for _, c := range calls {
		if c.reads {
			readers = append(readers, strconv.Quote(c.name))
		}
	}
	for _, e := range events {
		if e.reads {
			readers = append(readers, strconv.Quote(e.word))
		}
		if e.acts {
			acts = append(acts, strconv.Quote(e.word))
		}
	}
	fmt.Fprintf(&b, "}\n\n/** What goes by what stands in the controls: it is read before. */\nexport const readers = [%s]\n", strings.Join(readers, ", "))
	fmt.Fprintf(&b, "\n/** Events after which the applicant has seen what was said until then. */\nexport const acts = [%s]\n", strings.Join(acts, ", "))
	return b.String()
}

func spec(parts []part) string {
	names := make([]string, len(parts))
	for k, p := range parts {
		names[k] = p.name + string(p.kind)
	}
	return strings.Join(names, " ")
}

// typesOf are the types of parts, in one line.
func typesOf(parts []part) string {
	var b strings.Builder
	for _, p := range parts {
		fmt.Fprintf(&b, "%s: %s, ", p.name, ways[p.kind].js)
	}
	return b.String()
}

// The types of leanwicket.d.ts: between two comments stand the parts of some records.

var between = regexp.MustCompile(`(?s)( *)// From the table: ([a-z, ]+)\n.*?( *// Until here\.)`)

func typeEnd(types string) (string, error) {
	var err error
	typed := between.ReplaceAllStringFunc(types, func(found string) string {
		m := between.FindStringSubmatch(found)
		indent, b := m[1], strings.Builder{}
		fmt.Fprintf(&b, "%s// From the table: %s\n", indent, m[2])
		for name := range strings.SplitSeq(m[2], ", ") {
			if name == "events" {
				for _, e := range events {
					fmt.Fprintf(&b, "%stell(form: HTMLFormElement, what: %q%s): void\n", indent, e.word, join(e.texts, ", %s: string"))
				}
				continue
			}
			parts, known := partsNamed(name)
			if !known {
				err = fmt.Errorf("leanwicket.d.ts: the table has no record %q", name)
			}
			for _, p := range parts {
				if p.doc == "" {
					continue
				}
				fmt.Fprintf(&b, "%s/** %s */\n%sreadonly %s: %s\n", indent, p.doc, indent, p.name, cmp.Or(p.ts, ways[p.kind].ts))
			}
		}
		return b.String() + m[3]
	})
	return typed, err
}

func join(names []string, format string) string {
	var b strings.Builder
	for _, name := range names {
		fmt.Fprintf(&b, format, name)
	}
	return b.String()
}

// partsNamed are the parts of a record, or with "each" before its name those of its elements.
func partsNamed(name string) (parts []part, known bool) {
	of, isEach := strings.CutPrefix(name, "each ")
	k := slices.IndexFunc(records, func(r record) bool { return r.name == of && (!isEach || r.each != nil) })
	switch {
	case k < 0:
		return nil, false
	case isEach:
		return records[k].each.parts, true
	default:
		return records[k].parts, true
	}
}
