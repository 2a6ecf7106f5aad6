package form

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"leanwicket.dev/internal/jsontext"
)

// node is a place in the tree of a body: an object's member.
type node struct {
	name     string
	field    FieldID // -1: an object
	always   bool    // the object is written even when it is empty
	null     bool    // null is written where there is nothing
	children []node
}

// growTree orders the fields as the objects and rows of a body.
func (f *Form) growTree() {
	f.tree = node{field: -1}
	for id, field := range f.Declared() {
		if _, rest, inRows := CutRow(field.Path); !inRows || rest != "" { // the items of a list are at the list's own place
			f.nodeAt(field.Path).field = FieldID(id)
		}
	}
	for _, path := range f.Objects {
		f.nodeAt(path).always = true
	}
	for _, path := range f.Nulls {
		f.nodeAt(path).null = true
	}
}

// nodeAt is the place of a path in the tree. The members of a row hang on their group.
func (f *Form) nodeAt(path string) *node {
	at := &f.tree
	for name := range strings.SplitSeq(path, "/") {
		if name != "*" {
			at = at.child(UnescapeToken(name))
		}
	}
	return at
}

func (n *node) child(name string) *node {
	for k := range n.children {
		if n.children[k].name == name {
			return &n.children[k]
		}
	}
	n.children = append(n.children, node{name: name, field: -1})
	return &n.children[len(n.children)-1]
}

// EscapeToken writes a name as a token of a path, and UnescapeToken reads it (RFC
// 6901, section 4).
func EscapeToken(name string) string {
	return strings.ReplaceAll(strings.ReplaceAll(name, "~", "~0"), "/", "~1")
}

// UnescapeToken undoes EscapeToken.
func UnescapeToken(token string) string {
	return strings.ReplaceAll(strings.ReplaceAll(token, "~1", "/"), "~0", "~")
}

// AppendBody writes answers as the JSON body of a submission: a whole document,
// or with PATCH the merge patch of what has changed (RFC 7396), in which what
// was taken away is null.
func (f *Form) AppendBody(to []byte, answers []Answer) []byte {
	w := bodyWriter{form: f, patch: f.Submit.Method == "PATCH", answers: make(map[Place]Answer, len(answers))}
	for _, a := range answers {
		w.answers[a.Place] = a
	}
	var beyond map[string]any
	if id, has := f.byPath[beyondPath]; has && f.Fields[id].Kind == KindBeyond {
		beyond = beyondOf(w.answers[Place{id, -1}].Value)
	}
	to, _ = w.object(to, &f.tree, -1, true, beyond)
	return to
}

type bodyWriter struct {
	form    *Form
	patch   bool
	answers map[Place]Answer
}

// object writes the members that there are, those of the fields and those beyond them. It reports whether there was
// one.
func (w *bodyWriter) object(to []byte, n *node, row int32, always bool, beyond map[string]any) ([]byte, bool) {
	start, first, present := len(to), true, false
	to = append(to, '{')
	begin := func(name string) {
		if !first {
			to = append(to, ',')
		}
		to = append(AppendJSONString(to, name), ':')
	}
	var rest []string
	for name := range beyond {
		if !slices.ContainsFunc(n.children, func(c node) bool { return c.name == name }) {
			rest = append(rest, name)
		}
	}
	rest = jsontext.InOrder(rest)
	for k := range n.children {
		member, before, written := &n.children[k], len(to), false
		other, has := beyond[member.name]
		begin(member.name)
		value := len(to)
		if to, written = w.member(to, member, row, other); written {
			first, present = false, true
			continue
		}
		if isWhole := !w.patch || row >= 0; member.null && isWhole && !has { // of a patch its rows are whole
			to, first = append(to[:value], "null"...), false
			continue
		}
		to = to[:before]
		if has { // what the record has there is none of what is declared
			rest = append(rest, member.name)
		}
	}
	for _, name := range rest {
		begin(name)
		to, first, present = appendJSON(to, beyond[name]), false, true
	}
	if !present && !always {
		return to[:start], false
	}
	return append(to, '}'), true
}

func (w *bodyWriter) member(to []byte, n *node, row int32, beyond any) ([]byte, bool) {
	if n.field < 0 {
		below, _ := beyond.(map[string]any)
		return w.object(to, n, row, n.always && !w.patch, below)
	}
	field := &w.form.Fields[n.field]
	if w.form.group[n.field] < 0 {
		row = -1
	}
	answer, present := w.answers[Place{n.field, row}]
	switch {
	case !present, w.patch && !answer.Changed:
		return to, false
	case field.Kind == KindRows:
		return w.rows(to, n, int32(answer.Value.Integer()))
	case answer.Value.Absent() && field.Kind == KindBoolean && field.Required:
		return append(to, "false"...), true
	case answer.Value.Absent():
		return append(to, "null"...), w.patch && row < 0
	default:
		return field.appendValue(to, answer.Value), true
	}
}

func (w *bodyWriter) rows(to []byte, n *node, count int32) ([]byte, bool) {
	if count == 0 {
		return append(to, "null"...), w.patch
	}
	to = append(to, '[')
	for row := range count {
		if row > 0 {
			to = append(to, ',')
		}
		if w.form.IsList(n.field) {
			item := w.form.RowFields(n.field)[0]
			to = w.form.Fields[item].appendItem(to, w.answers[Place{item, row}].Value)
			continue
		}
		var beyond map[string]any
		if id, has := w.form.BeyondOf(n.field); has {
			beyond = beyondOf(w.answers[Place{id, row}].Value)
		}
		to, _ = w.object(to, n, row, true, beyond)
	}
	return append(to, ']'), true
}

// appendItem writes an item of a list. Only a box can have none.
func (field *Field) appendItem(to []byte, v Value) []byte {
	if v.Absent() {
		return append(to, "false"...)
	}
	return field.appendValue(to, v)
}

// appendValue writes one value as JSON.
func (field *Field) appendValue(to []byte, v Value) []byte {
	switch v.Kind {
	case ValueNumber, ValueBoolean:
		return append(to, v.String()...)
	case ValueChoices:
		to = append(to, '[')
		for k, option := range v.Options() {
			if k > 0 {
				to = append(to, ',')
			}
			if field.Of == KindNumber || field.Of == KindInteger {
				to = append(to, option...)
			} else {
				to = AppendJSONString(to, option)
			}
		}
		return append(to, ']')
	default:
		return AppendJSONString(to, v.String())
	}
}

// AppendJSONString writes a JSON string (RFC 8259, section 7); what is not UTF-8
// becomes U+FFFD.
func AppendJSONString(to []byte, s string) []byte {
	to = append(to, '"')
	for _, r := range s {
		switch {
		case r == '"' || r == '\\':
			to = append(to, '\\', byte(r))
		case r == '\n':
			to = append(to, `\n`...)
		case r < 0x20 || r == 0x2028 || r == 0x2029 || r == 0x7f:
			to = append(to, `\u`...)
			hex := strconv.FormatUint(uint64(r), 16)
			to = append(to, "0000"[len(hex):]...)
			to = append(to, hex...)
		default:
			to = utf8.AppendRune(to, r)
		}
	}
	return append(to, '"')
}
