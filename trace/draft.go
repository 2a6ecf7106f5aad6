package trace

import (
	"errors"
	"hash/fnv"
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/jsontext"
	"leanwicket.dev/lifecycle"
)

// AppendDraft writes what a page keeps for the next one, as a JSON object with the
// form's name and the fingerprint of its lifecycle. It has no private value: [lifecycle.Session.Draft] leaves those
// out.
func AppendDraft(to []byte, form *form.Form, r *lifecycle.Draft) []byte {
	w := &Events{form: form, plain: true}
	var o object
	o.str("form", form.Name)
	o.str("lifecycle", hex(form.LifecycleFingerprint()))
	if r.Attempt != nil {
		o.str("key", r.Attempt.Key.String())
		o.str("sent", sentAs(form, r.Attempt))
		o.str("body", r.Attempt.Body)
	}
	o.raw("kept", w.draft(r))
	return append(to, o.end()...)
}

// sentAs is a fingerprint of how an attempt went out: where to, and its body.
func sentAs(form *form.Form, a *lifecycle.DraftAttempt) string {
	h := fnv.New64a()
	h.Write([]byte(form.Submit.Method + " " + form.Submit.URL + "\n"))
	h.Write(form.AppendBody(nil, a.Values))
	return hex(h.Sum64())
}

// canSend reports whether a form has the button and can hold the values of an attempt.
func canSend(form *form.Form, a *lifecycle.DraftAttempt) bool {
	_, known := form.ButtonAt(a.Button)
	for _, v := range a.Values {
		known = known && form.CanHold(v.Field, v.Value)
	}
	return known
}

// ErrOtherForm is the error of what another form has kept.
var ErrOtherForm = errors.New("another form has kept this")

// ReadDraft reads what AppendDraft wrote. What another version of the form has kept is read
// as well: a session takes over what still fits. An attempt is kept only where it would go
// out exactly as it was sent; else it reports lost, for the outcome is not known and the
// attempt cannot be repeated.
func ReadDraft(form *form.Form, text string) (kept *lifecycle.Draft, lost bool, err error) {
	o, err := parseObject(text)
	if err != nil {
		return nil, false, err
	}
	if str(o, "form") != form.Name {
		return nil, false, ErrOtherForm
	}
	written, ok := o["kept"].(map[string]any)
	if !ok {
		return nil, false, errJSON
	}
	other := str(o, "lifecycle") != hex(form.LifecycleFingerprint())
	r := &eventReader{form: form, other: other}
	kept = r.draft(written)
	if kept.Attempt != nil {
		if kept.Attempt.Key, ok = lifecycle.ParseKey(str(o, "key")); !ok {
			return nil, false, errJSON
		}
		kept.Attempt.Body = str(o, "body")
		if other && (r.unfit || !canSend(form, kept.Attempt) || str(o, "sent") != sentAs(form, kept.Attempt)) {
			kept.Attempt, lost = nil, true
		}
	}
	if r.bad != "" {
		return nil, false, errors.New("found " + r.bad)
	}
	return kept, lost, nil
}

// LeftOut lists the kept answers that the form has no place for, each with its path and what was
// typed.
func LeftOut(form *form.Form, kept *lifecycle.Draft) (list []lifecycle.DraftAnswer) {
	look := func(path string, v *lifecycle.DraftAnswer) {
		place, ok := form.LookupAnswer(path)
		if (!ok || !form.CanHold(place.Field, v.Baseline)) && v.Raw != "" {
			left := *v
			left.Path = path
			list = append(list, left)
		}
	}
	for k := range kept.Values {
		look(kept.Values[k].Path, &kept.Values[k])
	}
	for _, group := range kept.Groups {
		for row := range group.Rows[:min(int(group.Now), len(group.Rows))] {
			for k := range group.Rows[row] {
				look(strings.Replace(group.Rows[row][k].Path, "*", strconv.Itoa(row), 1), &group.Rows[row][k])
			}
		}
	}
	return list
}

func (w *Events) draft(r *lifecycle.Draft) []byte {
	var o object
	o.raw("values", w.draftAnswers(r.Values))
	if len(r.Groups) > 0 {
		groups := make([][]byte, len(r.Groups))
		for k := range r.Groups {
			groups[k] = w.draftGroup(&r.Groups[k])
		}
		o.raw("groups", array(groups))
	}
	o.str("version", r.Version)
	if a := r.Attempt; a != nil {
		var attempt object
		attempt.str("button", a.Button)
		attempt.str("version", a.Version)
		attempt.raw("values", w.answers(a.Values))
		o.raw("attempt", attempt.end())
	}
	return o.end()
}

func (w *Events) draftAnswers(answers []lifecycle.DraftAnswer) []byte {
	items := make([][]byte, len(answers))
	for k, v := range answers {
		raw, over := "r"+v.Raw, v.Baseline
		if place, ok := w.form.LookupAnswer(strings.Replace(v.Path, "*", "0", 1)); ok && w.private(place.Field) {
			raw, over = valueText(w.redactRaw(place.Field, v.Raw)), w.redactValue(place.Field, over)
		}
		item := [][]byte{quoted(v.Path), quoted(raw), quoted(valueText(over))}
		if marks := marksText(mark{"since", v.Since}, mark{"contested", v.Contested}, mark{"clean", v.Clean}); marks != "" {
			item = append(item, quoted(marks))
		}
		items[k] = array(item)
	}
	return array(items)
}

func (w *Events) draftGroup(g *lifecycle.DraftGroup) []byte {
	var o object
	o.str("path", g.Path)
	rows := make([][]byte, len(g.Rows))
	for k := range g.Rows {
		rows[k] = w.draftAnswers(g.Rows[k])
	}
	o.raw("rows", array(rows))
	o.num("now", int64(g.Now))
	o.raw("base", numbers(g.Base))
	o.raw("sent", numbers(g.Sent))
	o.str("marks", marksText(mark{"since", g.Since}, mark{"contested", g.Contested}, mark{"clean", g.Clean}, mark{"based", g.Based}, mark{"private", g.Private}))
	return o.end()
}

// mark is a word that a record has where a flag is set.
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

func (r *eventReader) draft(o map[string]any) *lifecycle.Draft {
	kept := &lifecycle.Draft{Values: r.draftAnswers(o["values"]), Version: str(o, "version")}
	for _, item := range asList(o["groups"]) {
		g, ok := item.(map[string]any)
		if !ok {
			r.bad = "a kept group"
			return kept
		}
		kept.Groups = append(kept.Groups, r.draftGroup(g))
	}
	if a, ok := o["attempt"].(map[string]any); ok {
		kept.Attempt = &lifecycle.DraftAttempt{Button: str(a, "button"), Version: str(a, "version"), Values: r.answers(a["values"])}
	}
	return kept
}

func (r *eventReader) draftAnswers(v any) []lifecycle.DraftAnswer {
	var answers []lifecycle.DraftAnswer
	for _, item := range asList(v) {
		parts := texts(item)
		if len(parts) != 3 && len(parts) != 4 {
			r.bad = "a kept value"
			return nil
		}
		v := lifecycle.DraftAnswer{Path: parts[0], Baseline: r.value(parts[2])}
		if raw, plain := strings.CutPrefix(parts[1], "r"); plain {
			v.Raw = raw
		} else if v.Redacted = r.value(parts[1]); parts[1] != "" {
			v.Raw = v.Redacted.Text
		}
		if len(parts) == 4 {
			v.Since, v.Contested, v.Clean = hasMark(parts[3], "since"), hasMark(parts[3], "contested"), hasMark(parts[3], "clean")
		}
		answers = append(answers, v)
	}
	return answers
}

func (r *eventReader) draftGroup(o map[string]any) lifecycle.DraftGroup {
	marks := str(o, "marks")
	g := lifecycle.DraftGroup{
		Path: str(o, "path"), Now: r.number32(o["now"]), Base: r.numbers(o["base"]), Sent: r.numbers(o["sent"]),
		Since: hasMark(marks, "since"), Contested: hasMark(marks, "contested"), Clean: hasMark(marks, "clean"), Based: hasMark(marks, "based"), Private: hasMark(marks, "private"),
	}
	for _, row := range asList(o["rows"]) {
		g.Rows = append(g.Rows, r.draftAnswers(row))
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

// number32 reads a number that an int32 holds. It returns 0 where there is none.
func (r *eventReader) number32(v any) int32 {
	if v == nil {
		return 0
	}
	number, _ := v.(jsontext.Number)
	n, err := strconv.ParseInt(string(number), 10, 32)
	if err != nil {
		r.bad = "a number that is none"
	}
	return int32(n)
}
