package verify

import (
	"encoding/json"
	"maps"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/sample"
)

// record is what a load brings: an accepted answer for every field, as many rows of
// each group as it must have, at least one, and for the fields that are edited one of the texts
// that are typed.
func (m *successors) record() map[string]any {
	var answers []form.Answer
	for id := range m.form.Declared() {
		field := form.FieldID(id)
		if m.form.Fields[id].Kind == form.KindRows {
			count := int64(m.form.Fields[id].LeastRows())
			answers = append(answers, form.Answer{Place: form.Place{Field: field, Row: -1}, Value: form.Number(count, 0), Changed: true})
			continue
		}
		raw, ok := m.sample(field)
		if !ok {
			continue
		}
		answer := m.answerOf(field, m.form.Parse(field, raw))
		answers = append(answers, answer)
		if group, inRows := m.form.Group(field); inRows {
			for answer.Row+1 < int32(m.form.Fields[group].LeastRows()) {
				answer.Row++
				answers = append(answers, answer)
			}
		}
	}
	record := m.body(answers)
	if m.form.Submit.Undeclared {
		m.knowsMore(record)
	}
	return record
}

// knowsMore gives a record, and each of its rows, a member that the form does not declare.
func (m *successors) knowsMore(record map[string]any) {
	number := 0
	var walk func(v any)
	walk = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			for _, name := range slices.Sorted(maps.Keys(v)) {
				walk(v[name])
			}
		case []any:
			for _, row := range v {
				if object, is := row.(map[string]any); is {
					number++
					object["beyond the form"] = number
				}
			}
		}
	}
	walk(record)
	record["beyond the form"] = 0
}

// sample is a text that goes with the other answers. For a field that is compared with another
// one, a text is known only where the field has to be filled in.
func (m *successors) sample(id form.FieldID) (string, bool) {
	for _, e := range m.filled {
		if e.Kind == lifecycle.EventEdit && e.Path == walkedPath(m.form, id) {
			return e.Raw, true
		}
	}
	if len(comparedWith(m.form, id)) > 0 {
		return "", false
	}
	return sample.One(m.form, id)
}

// accepted is what an acceptance returns: with adopt the edited fields, as the
// office has them.
func (m *successors) accepted() map[string]any {
	if m.form.Accepted.Then != form.ThenAdopt {
		return nil
	}
	var answers []form.Answer
	for _, f := range m.fields {
		if _, inRows := m.form.Group(f.field); !inRows && !f.saved.Absent() {
			answers = append(answers, m.answerOf(f.field, f.saved))
		}
	}
	return m.body(answers)
}

func (m *successors) answerOf(id form.FieldID, v form.Value) form.Answer {
	for _, f := range m.fields {
		if f.field == id && !f.saved.Absent() {
			v = f.saved
		}
	}
	row := int32(-1)
	if _, inRows := m.form.Group(id); inRows {
		row = 0
	}
	return form.Answer{Place: form.Place{Field: id, Row: row}, Value: v, Changed: true}
}

func (m *successors) body(answers []form.Answer) map[string]any {
	body := map[string]any{}
	_ = json.Unmarshal(m.form.AppendBody(nil, answers), &body) // what AppendBody writes is JSON
	return body
}

// refusal refuses each field that is edited, and one that the form does not have. Of a field in
// rows it refuses one row.
func (m *successors) refusal(row int32) *replies.Response {
	errors := map[string]any{"nobody's": "Not that."}
	for _, f := range m.fields {
		place := form.Place{Field: f.field, Row: -1}
		if _, inRows := m.form.Group(f.field); inRows {
			place.Row = row
		}
		errors[m.form.Path(place)] = "Not this."
	}
	r := replies.Refusing(m.form, errors)
	return &r
}
