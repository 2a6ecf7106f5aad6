package trace

import (
	"errors"
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// AppendKept writes what a page keeps for the next one, as a JSON object with the
// form's fingerprint. It has no private value: lifecycle.Session.Kept leaves those out.
func AppendKept(to []byte, form *form.Form, r *lifecycle.Restored) []byte {
	w := &Writer{form: form}
	var o object
	o.str("fingerprint", hex(form.Fingerprint()))
	if r.Attempt != nil {
		o.str("key", r.Attempt.Key.String())
	}
	o.raw("kept", w.kept(r))
	return append(to, o.end()...)
}

// ErrOtherForm is the error of what another form, or another version of this one,
// has kept.
var ErrOtherForm = errors.New("another version of the form has kept this")

// ReadKept reads what AppendKept wrote.
func ReadKept(form *form.Form, text string) (*lifecycle.Restored, error) {
	o, err := parseObject(text)
	if err != nil {
		return nil, err
	}
	if str(o, "fingerprint") != hex(form.Fingerprint()) {
		return nil, ErrOtherForm
	}
	kept, ok := o["kept"].(map[string]any)
	if !ok {
		return nil, errJSON
	}
	r := &eventReader{form: form}
	restored := r.kept(kept)
	if restored.Attempt != nil {
		if restored.Attempt.Key, ok = lifecycle.ParseKey(str(o, "key")); !ok {
			return nil, errJSON
		}
	}
	if r.bad != "" {
		return nil, errors.New("found " + r.bad)
	}
	return restored, nil
}

func (w *Writer) kept(r *lifecycle.Restored) []byte {
	var o object
	o.raw("values", w.keptAnswers(r.Values))
	if len(r.Groups) > 0 {
		groups := make([][]byte, len(r.Groups))
		for k := range r.Groups {
			groups[k] = w.keptGroup(&r.Groups[k])
		}
		o.raw("groups", array(groups))
	}
	if a := r.Attempt; a != nil {
		var attempt object
		attempt.str("button", a.Button)
		attempt.str("version", a.Version)
		attempt.raw("values", w.answers(a.Values))
		o.raw("attempt", attempt.end())
	}
	return o.end()
}

func (w *Writer) keptAnswers(answers []lifecycle.Kept) []byte {
	items := make([][]byte, len(answers))
	for k, v := range answers {
		raw, over := "r"+v.Raw, v.Baseline
		if place, ok := w.form.Lookup(strings.Replace(v.Path, "*", "0", 1)); ok && w.private(place.Field) {
			raw, over = valueText(w.veilRaw(place.Field, v.Raw)), w.veilValue(place.Field, over)
		}
		item := [][]byte{quoted(v.Path), quoted(raw), quoted(valueText(over))}
		if marks := marksText(mark{"since", v.Since}, mark{"contested", v.Contested}, mark{"clean", v.Clean}); marks != "" {
			item = append(item, quoted(marks))
		}
		items[k] = array(item)
	}
	return array(items)
}

func (w *Writer) keptGroup(g *lifecycle.KeptGroup) []byte {
	var o object
	o.str("path", g.Path)
	rows := make([][]byte, len(g.Rows))
	for k := range g.Rows {
		rows[k] = w.keptAnswers(g.Rows[k])
	}
	o.raw("rows", array(rows))
	o.num("now", int64(g.Now))
	o.raw("base", numbers(g.Base))
	o.raw("sent", numbers(g.Sent))
	o.str("marks", marksText(mark{"since", g.Since}, mark{"contested", g.Contested}, mark{"clean", g.Clean}, mark{"based", g.Based}, mark{"private", g.Private}))
	return o.end()
}

// mark is a word that stands in a record where something is so.
type mark struct {
	word string
	on   bool
}

func marksText(marks ...mark) string {
	var words []string
	for _, m := range marks {
		if m.on {
			words = append(words, m.word)
		}
	}
	return strings.Join(words, " ")
}

func hasMark(marks, word string) bool { return slices.Contains(strings.Fields(marks), word) }

func numbers(list []int32) []byte {
	items := make([][]byte, len(list))
	for k, n := range list {
		items[k] = strconv.AppendInt(nil, int64(n), 10)
	}
	return array(items)
}

func (r *eventReader) kept(o map[string]any) *lifecycle.Restored {
	kept := &lifecycle.Restored{Values: r.keptAnswers(o["values"])}
	for _, item := range asList(o["groups"]) {
		g, ok := item.(map[string]any)
		if !ok {
			r.bad = "a kept group"
			return kept
		}
		kept.Groups = append(kept.Groups, r.keptGroup(g))
	}
	if a, ok := o["attempt"].(map[string]any); ok {
		kept.Attempt = &lifecycle.KeptAttempt{Button: str(a, "button"), Version: str(a, "version"), Values: r.answers(a["values"])}
	}
	return kept
}

func (r *eventReader) keptAnswers(v any) []lifecycle.Kept {
	var answers []lifecycle.Kept
	for _, item := range asList(v) {
		parts := texts(item)
		if len(parts) != 3 && len(parts) != 4 {
			r.bad = "a kept value"
			return nil
		}
		v := lifecycle.Kept{Path: parts[0], Baseline: r.value(parts[2])}
		if raw, plain := strings.CutPrefix(parts[1], "r"); plain {
			v.Raw = raw
		} else if v.Veiled = r.value(parts[1]); parts[1] != "" {
			v.Raw = v.Veiled.Text
		}
		if len(parts) == 4 {
			v.Since, v.Contested, v.Clean = hasMark(parts[3], "since"), hasMark(parts[3], "contested"), hasMark(parts[3], "clean")
		}
		answers = append(answers, v)
	}
	return answers
}

func (r *eventReader) keptGroup(o map[string]any) lifecycle.KeptGroup {
	marks := str(o, "marks")
	g := lifecycle.KeptGroup{
		Path: str(o, "path"), Now: r.number32(o["now"]), Base: r.numbers(o["base"]), Sent: r.numbers(o["sent"]),
		Since: hasMark(marks, "since"), Contested: hasMark(marks, "contested"), Clean: hasMark(marks, "clean"), Based: hasMark(marks, "based"), Private: hasMark(marks, "private"),
	}
	for _, row := range asList(o["rows"]) {
		g.Rows = append(g.Rows, r.keptAnswers(row))
	}
	return g
}

// numbers reads places in a list.
func (r *eventReader) numbers(v any) []int32 {
	var list []int32
	for _, item := range asList(v) {
		list = append(list, r.number32(item))
	}
	return list
}

// number32 reads a number that an int32 holds; none is 0.
func (r *eventReader) number32(v any) int32 {
	n, ok := v.(int64)
	if v != nil && !ok || int64(int32(n)) != n {
		r.bad = "a number that is none"
	}
	return int32(n)
}
