package verify

import (
	"fmt"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// earlier is what an earlier page kept, and how a scenario file says it. Where there was no earlier
// page, kept is nil.
type earlier struct {
	name string
	kept *lifecycle.Draft
	text string
}

// earlierPages are what an earlier page can have kept: unsaved work, with rows that were added
// where there are any, and an attempt that was open, by each button. That page is played: its
// load arrives, it is filled in and submitted.
func (m *successors) earlierPages() []earlier {
	var pages []earlier
	s := m.earlierSession()
	if kept, _ := s.Draft(); kept != nil { // else nothing is unsaved yet
		pages = append(pages, earlier{"with unsaved work of an earlier page", kept, m.keptText(kept)})
	}
	with := &lifecycle.Session{}
	for _, group := range m.groups {
		with.CopyFrom(s)
		if _, err := with.Apply(lifecycle.AddRow(group)); err != nil {
			continue // it has as many as it may have
		}
		if kept, _ := with.Draft(); kept != nil {
			pages = append(pages, earlier{"with a row that was added on an earlier page", kept, m.keptText(kept)})
		}
	}
	for k, button := range m.buttons() {
		with.CopyFrom(s)
		effects, err := with.Apply(lifecycle.Submit(button))
		if err != nil {
			continue
		}
		for _, e := range slices.Clone(effects) {
			if e.Kind == lifecycle.EffectCheck {
				_, _ = with.Apply(lifecycle.Checked(e.Request, nil)) // the submit goes on when the last one has passed
			}
		}
		kept, _ := with.Draft()
		if kept == nil || kept.Attempt == nil { // it sent a private answer
			continue
		}
		kept.Attempt.Key = lifecycle.Key{0: 0xea, 15: 0x1e}
		name := "with an open attempt of an earlier page"
		if k > 0 {
			name += ", by " + button
		}
		pages = append(pages, earlier{name, kept, m.keptText(kept)})
	}
	return pages
}

// earlierSession is the session of an earlier page, as its fields were when it ended.
func (m *successors) earlierSession() *lifecycle.Session {
	s, opening := lifecycle.Open(m.form, lifecycle.Seed{})
	for _, e := range slices.Clone(opening) {
		if e.Kind == lifecycle.EffectLoad {
			load := m.loads[0].event
			load.Request = e.Request
			_, _ = s.Apply(load) // it is the newest load's answer
		}
	}
	if s.Prefill() != lifecycle.PrefillReady { // else the record has it all
		for _, e := range m.filled {
			_, _ = s.Apply(e) // what is turned away is not kept
		}
	}
	for _, f := range m.fields {
		if raw, ok := f.accepted(m.form); ok {
			_, _ = s.Apply(lifecycle.Edit(f.path, raw))
		}
	}
	return s
}

// keptText writes what an earlier page kept as a scenario file says it.
func (m *successors) keptText(kept *lifecycle.Draft) string {
	var values, baseline, sent members
	for _, v := range kept.Values {
		values.add(v.Path, quote(v.Raw))
		baseline.addValue(m.form, v.Path, v.Baseline)
	}
	for k := range kept.Groups {
		m.keptGroupText(&kept.Groups[k], &values, &baseline)
	}
	text := "draft: {values: " + values.String() + ", baseline: " + baseline.String()
	if a := kept.Attempt; a != nil {
		rows := map[form.FieldID][]members{}
		for _, v := range a.Values {
			path := m.form.Fields[v.Field].Path
			group, inRows := m.form.Group(v.Field)
			switch {
			case m.form.Fields[v.Field].Kind == form.KindRows:
				rows[v.Field] = make([]members, v.Value.Integer())
			case inRows:
				rows[group][v.Row].addValue(m.form, memberOf(path), v.Value)
			case v.Value.Absent():
				sent.add(path, "null")
			default:
				sent.addValue(m.form, path, v.Value)
			}
		}
		for id := range m.form.Declared() {
			if list, there := rows[form.FieldID(id)]; there {
				sent.add(m.form.Fields[id].Path, m.listText(form.FieldID(id), list))
			}
		}
		text += fmt.Sprintf(", attempt: {button: %s, version: %s, values: %s}", quote(a.Button), quote(a.Version), sent.String())
	}
	return text + "}\n"
}

// keptGroupText writes a group that is kept whole: as a list where its rows were
// changed, else as single answers.
func (m *successors) keptGroupText(g *lifecycle.DraftGroup, values, baseline *members) {
	now, base := make([]members, g.Now), make([]members, len(g.Base))
	for row := range now {
		for _, v := range g.Rows[row] {
			if v.Raw != "" {
				now[row].addRaw(memberOf(v.Path), v.Raw)
			}
			if g.Clean && !v.Clean {
				values.add(strings.Replace(v.Path, "*", fmt.Sprint(row), 1), quote(v.Raw))
			}
		}
	}
	for place, row := range g.Base {
		for _, v := range g.Rows[row] {
			base[place].addValue(m.form, memberOf(v.Path), v.Baseline)
		}
	}
	group, _ := m.form.FieldAt(g.Path)
	if !g.Clean {
		values.add(g.Path, m.listText(group, now))
	}
	baseline.add(g.Path, m.listText(group, base))
}

// memberOf is the path of a field within its row; empty for an item of a list.
func memberOf(path string) string {
	_, member, _ := form.CutRow(path)
	return strings.TrimPrefix(member, "/")
}

// members are the members of a mapping in a scenario file.
type members []string

func (s *members) add(name, text string) { *s = append(*s, quote(name)+": "+text) }

// addRaw adds what was typed. What the record has beyond the form is JSON, which is YAML as well.
func (s *members) addRaw(name, raw string) {
	if name == beyondMember {
		s.add(name, raw)
		return
	}
	s.add(name, quote(raw))
}

// beyondMember is the path of what a record or a row has beyond the form.
const beyondMember = "*"

func (s *members) addValue(form *form.Form, name string, v form.Value) {
	if !v.Absent() {
		s.addRaw(name, form.Format(v))
	}
}

func (s members) String() string { return "{" + strings.Join(s, ", ") + "}" }

// listText writes the rows of a group, or the items of a list, which have no names.
func (m *successors) listText(group form.FieldID, rows []members) string {
	texts := make([]string, len(rows))
	for k := range rows {
		switch {
		case !m.form.IsList(group):
			texts[k] = rows[k].String()
		case len(rows[k]) == 0:
			texts[k] = "null"
		default:
			texts[k] = strings.TrimPrefix(rows[k][0], quote("")+": ")
		}
	}
	return "[" + strings.Join(texts, ", ") + "]"
}

// accepted is the first text that is typed at the field and accepted, and is not
// what a load brings.
func (f *edited) accepted(form *form.Form) (string, bool) {
	for _, raw := range f.raws {
		if v := form.Parse(f.field, raw); !v.Absent() && v != f.saved && form.Accepts(f.field, v) {
			return raw, true
		}
	}
	return "", false
}
