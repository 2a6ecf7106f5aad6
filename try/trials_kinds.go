package try

import (
	"fmt"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/sample"
)

// kindsOf are words for the kinds of control that are no text.
var kindsOf = map[form.FieldKind]string{
	form.KindNumber: "number", form.KindInteger: "number", form.KindDate: "date", form.KindTime: "time", form.KindDateTime: "date",
	form.KindBoolean: "box", form.KindChoice: "choice", form.KindChoices: "choices",
}

// change is another answer for a field.
type change struct{ path, kind, raw string }

// changes are a changed answer for one field of each kind of control that is no text: not
// its default, and not the record's. Loaded asks for fields that the record has.
func (p *plan) changes(loaded bool) (list []change) {
	for _, path := range p.paths {
		f, id := p.field(path)
		kind, known := kindsOf[f.Kind]
		group, _ := p.inRows(path)
		if !known || !p.free(path) || group != "" || loaded && p.loaded[path] == "" || slices.ContainsFunc(list, func(c change) bool { return c.kind == kind }) {
			continue
		}
		for _, raw := range sample.Some(p.form, id, 9) {
			if raw != "" && raw != p.loaded[path] && raw != p.form.Format(p.defaultOf(id)) {
				list = append(list, change{path, kind, raw})
				break
			}
		}
	}
	return list
}

// defaultOf is the default of a field, or an empty text.
func (p *plan) defaultOf(id form.FieldID) form.Value {
	for _, a := range p.form.Defaults {
		if a.Field == id {
			return a.Value
		}
	}
	return form.Value{}
}

func noOtherKind(loaded bool) func(*plan) string {
	return func(p *plan) string {
		if why := noPrefill(p); loaded && why != "" {
			return why
		}
		if len(p.changes(loaded)) == 0 {
			return "no other control than a text can be changed"
		}
		return ""
	}
}

// onPage keeps of the changes those whose control is there and can be changed.
func onPage(l look, list []change) (there []change) {
	for _, c := range list {
		if f, found := l.Fields[c.path]; found && f.Shown && f.Editable {
			there = append(there, c)
		}
	}
	return there
}

// asksAfterOthers changes one control of each kind, each on a page of its own, and expects
// to be asked at a reload.
func asksAfterOthers(t *tab) (Verdict, string) {
	list := onPage(t.open(), t.changes(false))
	if len(list) == 0 {
		return NotApplicable, "no other control than a text is on the page as it opens"
	}
	var kinds []string
	for k, c := range list {
		if k > 0 {
			t.open()
		}
		was := t.see().Fields[c.path].Value
		t.typeIn(c.path, c.raw)
		t.keys("\t") // a browser asks for nobody who has touched nothing
		if t.quiet().Fields[c.path].Value == was {
			continue // it held this
		}
		if asker, stays := t.leaving((*tab).reload); asker == "" && !stays {
			return Broken, fmt.Sprintf("the %s at %s was changed, and is gone without a question", c.kind, c.path)
		}
		kinds = append(kinds, c.kind)
	}
	if len(kinds) == 0 {
		return NotApplicable, "no other control than a text changes"
	}
	return Kept, "asked after a change of a " + strings.Join(kinds, ", a ")
}

// loadOverOthers changes one control of each kind while the load is on its way.
func loadOverOthers(t *tab) (Verdict, string) {
	t.replying("load", reply{never: true})
	t.arrive()
	t.loads()
	list := onPage(t.see(), t.changes(true))
	if len(list) == 0 {
		return Kept, "nothing can be changed before the load"
	}
	chosen := map[string]string{}
	for _, c := range list {
		t.typeIn(c.path, c.raw)
		chosen[c.path] = t.see().Fields[c.path].Value
	}
	t.release("load", reply{status: 200, body: string(t.record)})
	now := t.quiet()
	for _, c := range list {
		if value := now.Fields[c.path].Value; value != chosen[c.path] {
			return Broken, fmt.Sprintf("the %s at %s was %q, and became %q when the load came", c.kind, c.path, chosen[c.path], value)
		}
	}
	return Kept, "what was chosen stayed"
}
