package scenario

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
)

// keptKey is the key of an attempt that an earlier page kept.
var keptKey = lifecycle.Key{0: 0xea, 15: 0x1e}

// keptPart is one of the maps in kept: values by their paths, and how many rows a
// group has in it.
type keptPart struct {
	at     map[string]document.Entry
	listed map[form.FieldID]int // groups that stand in it as a list
	rows   map[form.FieldID]int // of groups with single paths: one more than the highest row
}

// has reports whether the part says anything of a group.
func (k *keptPart) has(group form.FieldID) bool {
	_, listed := k.listed[group]
	return listed || k.rows[group] > 0
}

func (k *keptPart) count(group form.FieldID) int { return max(k.listed[group], k.rows[group]) }

// keptPart takes lists of rows apart: crew: [{name: Heron}] is crew/0/name: Heron.
func (p *scenarioReader) keptPart(n *document.Node) *keptPart {
	k := &keptPart{map[string]document.Entry{}, map[form.FieldID]int{}, map[form.FieldID]int{}}
	if n == nil {
		return k
	}
	for _, e := range p.Map(n) {
		place, ok := p.kept(e.Key, e.At)
		switch {
		case !ok:
		case p.form().Fields[place.Field].Kind != form.KindRows:
			k.at[e.Key] = e
			if group, inRows := p.form().Group(place.Field); inRows {
				k.rows[group] = max(k.rows[group], int(place.Row)+1)
			}
		case place.Row >= 0 || e.Value.Kind != document.List && e.Value.Kind != document.Null:
			p.Wrong(e.At, document.Describe(e.Value)+" for "+e.Key, "a list with one mapping a row, or the items of a list, [] for none; or the path of a field in a row, such as "+e.Key+"/0/…")
		default:
			k.listed[place.Field] = len(e.Value.Items)
			for row, item := range e.Value.Items {
				if p.form().IsList(place.Field) {
					name := e.Key + "/" + itoa(row)
					k.at[name] = document.Entry{Key: name, At: item, Value: item}
					continue
				}
				for _, member := range p.Map(item) {
					member.Key = e.Key + "/" + itoa(row) + "/" + member.Key
					if _, ok := p.kept(member.Key, member.At); ok {
						k.at[member.Key] = member
					}
				}
			}
		}
	}
	return k
}

// value reads the value that a path has.
func (k *keptPart) value(p *scenarioReader, path string) (form.Value, bool) {
	e, given := k.at[path]
	if !given {
		return form.Value{}, false
	}
	place, _ := p.form().LookupAnswer(path)
	if p.form().Fields[place.Field].Kind == form.KindBeyond {
		return p.beyond(e.Value), true
	}
	v, _ := p.fieldValue(place, e.Value)
	return v, true
}

// kept checks that a draft can have a path. Beside those of the fields it is *, at the end of the path of a row too: what the
// record has beyond the form, where the form sends that back.
func (p *scenarioReader) kept(name string, at *document.Node) (form.Place, bool) {
	if place, ok := p.form().LookupAnswer(name); ok && p.form().Fields[place.Field].Kind == form.KindBeyond {
		return place, true
	}
	return p.path(name, at)
}

// beyond reads what a record has beyond the form.
func (p *scenarioReader) beyond(n *document.Node) form.Value {
	members, is := n.Any().(map[string]any)
	if !is {
		p.Wrong(n, document.Describe(n), "a mapping with the members that the form does not have")
	}
	return form.BeyondValue(members)
}

// keptReader reads what an earlier page kept.
type keptReader struct {
	*scenarioReader
	values, baseline, sent *keptPart
	contested              map[string]bool
	opened                 *lifecycle.Session
	kept                   *lifecycle.Draft
}

// kept reads what an earlier page kept. A list at a group's path says that its rows
// were changed, so that the group is kept whole. A path into a row says that the rows were as saved.
// With an attempt the group is kept whole as well, and what is not said of a row was
// saved as it was sent.
func (p *scenarioReader) draft(n *document.Node) {
	if n == nil {
		return
	}
	p.Map(n, "values", "baseline", "attempt", "contested", "version")
	k := keptReader{
		scenarioReader: p, values: p.keptPart(n.Get("values")), baseline: p.keptPart(n.Get("baseline")), sent: p.keptPart(nil),
		contested: map[string]bool{}, kept: &lifecycle.Draft{},
	}
	k.opened, _ = lifecycle.Open(p.form(), lifecycle.Seed{})
	if v := n.Get("version"); v != nil {
		k.kept.Version = p.Text(v)
	}
	if c := n.Get("contested"); c != nil {
		for _, item := range p.List(c) {
			if _, ok := p.path(p.Text(item), item); ok {
				k.contested[p.Text(item)] = true
			}
		}
	}
	if a := n.Get("attempt"); a != nil {
		k.kept.Attempt = &lifecycle.DraftAttempt{Key: keptKey, Button: p.form().Buttons[0]}
		for _, e := range p.Map(a, "button", "version", "values") {
			switch e.Key {
			case "button":
				k.kept.Attempt.Button = p.Word(e.Value, p.form().Buttons...)
			case "version":
				k.kept.Attempt.Version = p.Text(e.Value)
			case "values":
				k.sent = p.keptPart(e.Value)
			}
		}
	}
	for id := range p.form().Fields {
		if _, inRows := p.form().Group(form.FieldID(id)); !inRows {
			k.field(form.FieldID(id))
		}
	}
	p.s.Draft = k.kept
}

// field reads what is kept of a field, or of a group.
func (k *keptReader) field(id form.FieldID) {
	f := &k.form().Fields[id]
	if f.Kind == form.KindRows {
		_, listed := k.values.listed[id]
		if listed || k.sent.has(id) {
			k.group(id, listed)
			return
		}
		for row := range k.values.count(id) {
			for _, member := range k.form().Members(id) {
				path := k.form().Path(form.Place{Field: member, Row: int32(row)})
				baseline, _ := k.baseline.value(k.scenarioReader, path)
				k.answer(path, baseline)
			}
		}
		return
	}
	baseline, given := k.baseline.value(k.scenarioReader, f.Path)
	if opened, there := k.opened.Field(f.Path); !given && there {
		baseline = opened.Baseline()
	}
	k.answer(f.Path, baseline)
	if sent, given := k.sent.value(k.scenarioReader, f.Path); given {
		place := form.Place{Field: id, Row: -1}
		k.kept.Attempt.Values = append(k.kept.Attempt.Values, form.Answer{Place: place, Value: sent, Changed: sent != baseline})
	}
}

// answer keeps a value that is given at a path.
func (k *keptReader) answer(path string, baseline form.Value) {
	if e, given := k.values.at[path]; given {
		if raw, ok := k.raw(e); ok {
			k.kept.Values = append(k.kept.Values, lifecycle.DraftAnswer{Path: path, Raw: raw, Baseline: baseline, Contested: k.contested[path]})
		}
	}
}

// group keeps a group whole. Rows at the same place are the same row.
func (k *keptReader) group(id form.FieldID, listed bool) {
	f, path := k.form(), k.form().Fields[id].Path
	now, base, sent := k.values.count(id), k.baseline.count(id), k.sent.count(id)
	if !listed { // as saved
		now = max(now, base, sent)
		base = now
	}
	g := lifecycle.DraftGroup{Path: path, Now: int32(now), Based: true, Contested: k.contested[path], Clean: !listed, Since: listed && k.sent.has(id) && now != sent}
	changed := sent != base
	var sentValues []form.Answer
	for row := range max(now, base, sent) {
		answers := []lifecycle.DraftAnswer{}
		for _, member := range f.RowFields(id) {
			place := form.Place{Field: member, Row: int32(row)}
			at := f.Path(place)
			wasSent, isSent := k.sent.value(k.scenarioReader, at)
			baseline, given := k.baseline.value(k.scenarioReader, at)
			if !given && !listed {
				baseline = wasSent
			}
			if row < sent {
				changed = changed || wasSent != baseline
			}
			if isSent {
				sentValues = append(sentValues, form.Answer{Place: place, Value: wasSent})
			}
			v := lifecycle.DraftAnswer{Path: f.Fields[member].Path, Raw: f.Format(baseline), Baseline: baseline, Clean: true, Contested: k.contested[at]}
			e, typed := k.values.at[at]
			if typed && f.Fields[member].Kind == form.KindBeyond {
				v.Raw = k.beyond(e.Value).Text
			} else if typed {
				v.Raw, _ = k.raw(e)
			} else if listed {
				v.Raw = ""
			}
			v.Clean = !v.Contested && f.Parse(member, v.Raw) == baseline && (listed || !typed)
			if v != (lifecycle.DraftAnswer{Path: v.Path, Clean: true}) {
				answers = append(answers, v)
			}
		}
		g.Rows = append(g.Rows, answers)
		if row < base {
			g.Base = append(g.Base, int32(row))
		}
		if row < sent {
			g.Sent = append(g.Sent, int32(row))
		}
	}
	k.kept.Groups = append(k.kept.Groups, g)
	if k.sent.has(id) {
		head := form.Answer{Place: form.Place{Field: id, Row: -1}, Value: form.Number(int64(sent), 0), Changed: changed}
		for n := range sentValues {
			sentValues[n].Changed = changed
		}
		k.kept.Attempt.Values = append(append(k.kept.Attempt.Values, head), sentValues...)
	}
}
