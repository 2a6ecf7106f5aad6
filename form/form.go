package form

import (
	"errors"
	"iter"
	"slices"
	"strconv"
	"strings"
)

// Form is declared once and shared by all sessions. Nobody may change it.
type Form struct {
	Declaration

	declaredCount int // of Fields; behind them stand those of kind KindBeyond

	byPath      map[string]FieldID
	group       []FieldID // of each field: the head of its repeated group, or -1
	offset      []int32   // of a field in a group: its cell within a row
	groups      []FieldID
	groupIndex  []int32 // of a KindRows field: its place in groups
	members     [][]FieldID
	dependents  [][]FieldID    // fields whose rules or asking look at this one
	askedOrder  []FieldID      // every field after those that decide whether it is asked
	texts       [][][]textRule // beside Constraints: the pattern or format of each, and its alternatives
	optionTexts [][]string     // beside Options: as they are typed
	comma       bool
	tree        node

	prints *fingerprints

	declared *Form    // of a form with an opening's own defaults: the one without
	opening  []Answer // those defaults
}

// A matcher tells whether a pattern is found in a text.
type matcher interface{ MatchString(string) bool }

// A textRule is a pattern, compiled, or a format.
type textRule struct {
	Alternative
	pattern matcher
}

func (r *textRule) keptBy(text string) bool {
	if r.Op == OpPattern {
		return r.pattern.MatchString(text)
	}
	return HasFormat(r.Text, text)
}

// Error is one thing that is wrong with a [Declaration]. Path is the field, and empty where it is
// the whole form.
type Error struct{ Path, Problem string }

func (e *Error) Error() string {
	if e.Path == "" {
		return e.Problem
	}
	return e.Path + ": " + e.Problem
}

// New checks a declaration and derives what a session needs. The error
// joins one [Error] for each thing that is wrong.
func New(d Declaration) (*Form, error) { return newForm(d.clone()) }

// clone copies the tables of a declaration, so that whoever made it can go on with its own.
func (d Declaration) clone() Declaration {
	d.Fields = slices.Clone(d.Fields)
	for k := range d.Fields {
		f := &d.Fields[k]
		f.Options, f.Constraints, f.Asked = slices.Clone(f.Options), slices.Clone(f.Constraints), slices.Clone(f.Asked)
		f.Says, f.Samples = slices.Clone(f.Says), slices.Clone(f.Samples)
	}
	d.Objects, d.Defaults, d.Buttons, d.Texts = slices.Clone(d.Objects), slices.Clone(d.Defaults), slices.Clone(d.Buttons), slices.Clone(d.Texts)
	d.Nulls = slices.Clone(d.Nulls)
	d.ServerNames, d.InBody, d.Given = slices.Clone(d.ServerNames), slices.Clone(d.InBody), slices.Clone(d.Given)
	d.SignInPaths, d.Origins = slices.Clone(d.SignInPaths), slices.Clone(d.Origins)
	return d
}

func newForm(d Declaration) (*Form, error) {
	d.Fields = slices.DeleteFunc(d.Fields, func(f Field) bool { return f.Kind == KindBeyond }) // of a form that was made before
	f := &Form{Declaration: d, declaredCount: len(d.Fields), comma: decimalComma(d.Lang), prints: &fingerprints{}}
	f.addBeyond()
	fields := len(f.Fields)
	f.byPath = make(map[string]FieldID, fields)
	f.group, f.offset, f.groupIndex = make([]FieldID, fields), make([]int32, fields), make([]int32, fields)
	f.dependents, f.texts, f.optionTexts = make([][]FieldID, fields), make([][][]textRule, fields), make([][]string, fields)
	var problems []error
	wrong := func(path, problem string) { problems = append(problems, &Error{path, problem}) }
	if d.Name == "" {
		wrong("", "a form needs a name")
	}
	if len(d.Fields) == 0 {
		wrong("", "a form needs a field")
	}
	if len(f.Buttons) == 0 {
		f.Buttons = []string{"submit"}
	}
	for i := range f.Fields {
		f.place(FieldID(i), wrong)
	}
	for i := range f.Fields {
		f.link(FieldID(i), wrong)
	}
	if path := f.askedCycle(); path != "" {
		wrong(path, "whether this is asked depends on itself")
	}
	if len(problems) > 0 {
		return nil, errors.Join(problems...)
	}
	f.growTree()
	return f, nil
}

// place registers a field's path and its repeated group.
func (f *Form) place(id FieldID, wrong func(path, problem string)) {
	field := &f.Fields[id]
	f.group[id] = -1
	if field.Path == "" || strings.HasPrefix(field.Path, "/") {
		wrong(field.Path, "a path is a JSON Pointer without the leading slash")
	}
	if _, twice := f.byPath[field.Path]; twice {
		wrong(field.Path, "declared twice")
	}
	f.byPath[field.Path] = id
	head, rest, inRows := CutRow(field.Path)
	group, declared := f.byPath[head]
	if field.Label == "" {
		field.Label = field.Path[strings.LastIndexByte(field.Path, '/')+1:]
		if inRows && rest == "" && declared { // an item of a list
			field.Label = f.Fields[group].Label
		}
	}
	for _, option := range field.Options {
		text := option.Value.String()
		if field.Kind == KindChoices && strings.ContainsAny(text, "\r\n") {
			wrong(field.Path, "the option "+string(AppendJSONString(nil, text))+" has a line break, and chosen options stand one a line; right would be an option on one line")
		}
		f.optionTexts[id] = append(f.optionTexts[id], text)
	}
	if field.Kind == KindRows {
		f.groupIndex[id] = int32(len(f.groups))
		f.groups = append(f.groups, id)
		f.members = append(f.members, nil)
	}
	if !inRows {
		return
	}
	if !declared || f.Fields[group].Kind != KindRows {
		wrong(field.Path, "no rows are declared before it at "+head)
		return
	}
	if field.Kind == KindRows || strings.Contains(rest, "*") && field.Kind != KindBeyond {
		wrong(field.Path, "rows inside rows are not supported")
		return
	}
	g := f.groupIndex[group]
	if len(f.members[g]) > 0 && (rest == "" || f.IsList(group)) {
		wrong(field.Path, "the items of a list have no fields")
		return
	}
	f.group[id] = group
	f.offset[id] = int32(len(f.members[g]))
	f.members[g] = append(f.members[g], id)
}

// link records who depends on whom, and compiles patterns.
func (f *Form) link(id FieldID, wrong func(path, problem string)) {
	field := &f.Fields[id]
	look := func(other FieldID) {
		if other < 0 || int(other) >= len(f.Fields) {
			wrong(field.Path, "refers to a field that does not exist")
			return
		}
		if f.group[other] >= 0 && f.group[other] != f.group[id] {
			wrong(field.Path, "refers to "+f.Fields[other].Path+", which is in other rows")
			return
		}
		for _, known := range f.dependents[other] {
			if known == id {
				return
			}
		}
		f.dependents[other] = append(f.dependents[other], id)
	}
	lookAll := func(conditions []Condition) {
		for _, condition := range conditions {
			for _, clause := range condition {
				for _, literal := range clause {
					look(literal.Field)
				}
			}
		}
	}
	f.texts[id] = make([][]textRule, len(field.Constraints))
	for i, c := range field.Constraints {
		if c.Op.Compares() {
			look(c.Other)
		}
		lookAll(c.When)
		if c.Op != OpPattern && c.Op != OpFormat {
			continue
		}
		for _, a := range append([]Alternative{{c.Op, c.Text}}, c.Or...) {
			rule := textRule{Alternative: a}
			if a.Op == OpPattern {
				var err error
				if rule.pattern, err = compilePattern(a.Text); err != nil {
					wrong(field.Path, `the pattern "`+a.Text+`" cannot be compiled: `+err.Error())
				}
			}
			f.texts[id][i] = append(f.texts[id][i], rule)
		}
	}
	lookAll(field.Asked)
	if f.group[id] >= 0 {
		look(f.group[id]) // rows that are not asked take their fields along
	}
	if f.IsItem(id) {
		f.dependents[id] = append(f.dependents[id], f.group[id]) // blank items do not count
	}
}

// askedCycle returns the path of a field that decides whether it is asked
// itself, or "". It puts the fields into the order in which that is decided.
func (f *Form) askedCycle() string {
	const (
		unseen = iota
		open
		done
	)
	state := make([]uint8, len(f.Fields))
	var visit func(id FieldID) bool
	visit = func(id FieldID) bool {
		state[id] = open
		if group := f.group[id]; group >= 0 && state[group] == unseen && visit(group) {
			return true
		}
		for _, condition := range f.Fields[id].Asked {
			for _, clause := range condition {
				for _, literal := range clause {
					other := literal.Field
					if int(other) >= len(state) || other < 0 {
						continue
					}
					if state[other] == open || state[other] == unseen && visit(other) {
						return true
					}
				}
			}
		}
		state[id] = done
		f.askedOrder = append(f.askedOrder, id)
		return false
	}
	for i := range f.Fields {
		if state[i] == unseen && visit(FieldID(i)) {
			return f.Fields[i].Path
		}
	}
	return ""
}

// Place is one field of a session's form: a declared field, and the position
// of its row where it is inside rows, else -1.
type Place struct {
	Field FieldID
	Row   int32
}

// Lookup finds the field that a path names: crew/0/name is the field
// crew/*/name at row 0, crew/0 the rows field at row 0. It reports false for a
// path that this form cannot have.
func (f *Form) Lookup(path string) (Place, bool) {
	p, ok := f.LookupAnswer(path)
	return p, ok && f.Fields[p.Field].Kind != KindBeyond
}

// LookupAnswer is Lookup for an answer of a body, which can also be one of kind [KindBeyond].
func (f *Form) LookupAnswer(path string) (Place, bool) {
	if id, ok := f.byPath[path]; ok {
		return Place{id, -1}, f.group[id] < 0
	}
	for _, group := range f.groups {
		head := f.Fields[group].Path
		if len(path) <= len(head) || path[:len(head)] != head || path[len(head)] != '/' {
			continue
		}
		position, _, deeper := strings.Cut(path[len(head)+1:], "/")
		row, ok := rowNumber(position)
		if !ok {
			continue
		}
		rest := path[len(head)+1+len(position):]
		for _, id := range f.members[f.groupIndex[group]] {
			if f.Fields[id].Path[len(head)+2:] == rest {
				return Place{id, row}, true
			}
		}
		if !deeper {
			return Place{group, row}, true
		}
	}
	return Place{}, false
}

// Path is the path of a place: the * of a field inside rows becomes the row's
// position.
func (f *Form) Path(p Place) string {
	path := f.Fields[p.Field].Path
	if p.Row < 0 {
		return path
	}
	if f.Fields[p.Field].Kind == KindRows {
		return path + "/" + strconv.Itoa(int(p.Row))
	}
	return PathInRow(path, int(p.Row))
}

// FirstFile is the path of the first field that takes a file, or an empty text.
func (f *Form) FirstFile() string {
	for k := range f.Declared() {
		if f.Fields[k].Kind == KindFile {
			return f.Fields[k].Path
		}
	}
	return ""
}

// Dependents lists the fields whose rules or asking look at this one.
func (f *Form) Dependents(id FieldID) []FieldID { return f.dependents[id] }

// ButtonAt returns the index of a submit button; the empty name is the first.
func (f *Form) ButtonAt(name string) (int, bool) {
	if name == "" {
		return 0, true
	}
	for i, b := range f.Buttons {
		if b == name {
			return i, true
		}
	}
	return 0, false
}

// FieldAt finds a declared field by its path, as it is declared.
func (f *Form) FieldAt(path string) (FieldID, bool) {
	id, ok := f.byPath[path]
	return id, ok
}

// AskedOrder goes through all fields: each comes after those that decide whether it is
// asked.
func (f *Form) AskedOrder() iter.Seq[FieldID] { return slices.Values(f.askedOrder) }
