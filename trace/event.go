package trace

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/lifecycle"
)

// valueMarks are the letters before the values of each kind.
var valueMarks = map[lifecycle.ValueKind]byte{
	lifecycle.ValueText: 't', lifecycle.ValueNumber: 'n', lifecycle.ValueBoolean: 'b', lifecycle.ValueDate: 'd', lifecycle.ValueTime: 'm',
	lifecycle.ValueDateTime: 's', lifecycle.ValueChoices: 'c', lifecycle.ValueFile: 'f', lifecycle.ValueUnparsed: 'x', lifecycle.ValueVeiled: 'p',
}

// valueText writes a value as a letter and a text; absent is empty.
func valueText(v lifecycle.Value) string {
	switch v.Kind {
	case lifecycle.ValueAbsent:
		return ""
	case lifecycle.ValueVeiled:
		return "p" + strconv.FormatInt(v.Coef, 10) + ":" + v.Text
	default:
		return string(valueMarks[v.Kind]) + v.String()
	}
}

func parseValue(s string) (v lifecycle.Value, ok bool) {
	if s == "" {
		return v, true
	}
	text := s[1:]
	switch s[0] {
	case 'n':
		return lifecycle.NumberFromText(text)
	case 'd':
		return lifecycle.ParseDate(text)
	case 'm':
		return lifecycle.ParseTime(text)
	case 's':
		return lifecycle.ParseDateTime(text)
	case 'b':
		return lifecycle.True(), text == "true"
	case 'p':
		codes, token, _ := strings.Cut(text, ":")
		n, err := strconv.ParseInt(codes, 10, 16)
		return lifecycle.Value{Kind: lifecycle.ValueVeiled, Coef: n, Text: token}, err == nil && token != "" && n >= 0
	}
	for kind, mark := range valueMarks {
		if mark == s[0] && text != "" {
			return lifecycle.Value{Kind: kind, Text: text}, true
		}
	}
	return v, false
}

// event writes an event, with what is private in it veiled.
func (w *Writer) event(e *lifecycle.Event) []byte {
	var o object
	o.str("kind", e.Kind.String())
	o.str("path", e.Path)
	if place, ok := w.form.Lookup(e.Path); ok && e.Kind == lifecycle.EventEdit && w.private(place.Field) {
		o.str("veiled", valueText(w.veilRaw(place.Field, e.Raw)))
	} else {
		o.str("raw", e.Raw)
	}
	o.str("button", e.Button)
	if e.Kind == lifecycle.EventMoveRow {
		o.str("to", e.To) // a path has no private words
	} else {
		o.str("to", w.words(e.To))
	}
	switch e.Kind {
	case lifecycle.EventResolve:
		o.str("choice", e.Choice.String())
	case lifecycle.EventLeaveAsked:
		o.str("leave", e.LeaveKind.String())
	case lifecycle.EventLeaveAnswered:
		o.str("answer", e.Answer.String())
	}
	o.num("request", int64(e.Request))
	o.num("timer", int64(e.Timer))
	o.num("attempt", int64(e.Attempt))
	o.num("try", int64(e.Try))
	if e.Kind == lifecycle.EventLoaded {
		o.raw("values", w.answers(e.Values))
	}
	o.str("version", e.Version)
	o.str("why", w.words(e.Why))
	if len(e.Issues) > 0 {
		o.raw("issues", w.entries(e.Issues))
	}
	if e.Reply != nil {
		o.raw("reply", w.reply(e.Reply))
	}
	if e.Restored != nil {
		o.raw("kept", w.kept(e.Restored))
	}
	return o.end()
}

func (w *Writer) answers(answers []lifecycle.Answer) []byte {
	items := make([][]byte, len(answers))
	for k, a := range answers {
		v := a.Value
		if w.private(a.Field) {
			v = w.veilValue(a.Field, v)
		}
		pair := [][]byte{quoted(w.form.Path(a.Place)), quoted(valueText(v))}
		if a.Changed {
			pair = append(pair, []byte("true"))
		}
		items[k] = array(pair)
	}
	return array(items)
}

func (w *Writer) entries(entries []lifecycle.Entry) []byte {
	items := make([][]byte, len(entries))
	for k, e := range entries {
		text := w.words(e.Text)
		if place, ok := w.form.Lookup(e.Path); ok && w.private(place.Field) {
			text = covered
		}
		items[k] = array([][]byte{quoted(e.Path), quoted(e.Code), quoted(text)})
	}
	return array(items)
}

func (w *Writer) reply(r *lifecycle.Reply) []byte {
	var o object
	o.str("kind", r.Kind.String())
	if len(r.Entries) > 0 {
		o.raw("entries", w.entries(r.Entries))
	}
	if len(r.Values) > 0 {
		o.raw("values", w.answers(r.Values))
	}
	o.str("version", r.Version)
	o.str("to", w.words(r.To))
	if r.RetryAfter >= 0 {
		o.num("retryAfter", r.RetryAfter.Milliseconds()+1) // 0 is not given
	}
	o.str("text", w.words(r.Text))
	return o.end()
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

// eventReader reads what event wrote.
type eventReader struct {
	form *lifecycle.Form
	bad  string
}

func (r *eventReader) event(o map[string]any) lifecycle.Event {
	e := lifecycle.Event{
		Kind: lifecycle.EventKind(r.word(o, "kind", func(k int) string { return lifecycle.EventKind(k).String() })),
		Path: str(o, "path"), Raw: str(o, "raw"), To: str(o, "to"), Button: str(o, "button"), Version: str(o, "version"), Why: str(o, "why"),
		Request: lifecycle.RequestID(num(o, "request")), Timer: lifecycle.TimerID(num(o, "timer")), Attempt: int32(num(o, "attempt")), Try: int32(num(o, "try")),
	}
	if veiled := str(o, "veiled"); veiled != "" {
		e.Veiled = r.value(veiled)
		e.Raw = e.Veiled.Text
	}
	if o["choice"] != nil {
		e.Choice = lifecycle.Choice(r.word(o, "choice", func(k int) string { return lifecycle.Choice(k).String() }))
	}
	if o["leave"] != nil {
		e.LeaveKind = lifecycle.LeaveKind(r.word(o, "leave", func(k int) string { return lifecycle.LeaveKind(k).String() }))
	}
	if o["answer"] != nil {
		e.Answer = lifecycle.LeaveAnswer(r.word(o, "answer", func(k int) string { return lifecycle.LeaveAnswer(k).String() }))
	}
	e.Values = r.answers(o["values"])
	e.Issues = r.entries(o["issues"])
	if reply, ok := o["reply"].(map[string]any); ok {
		e.Reply = &lifecycle.Reply{
			Kind:    lifecycle.ReplyKind(r.word(reply, "kind", func(k int) string { return lifecycle.ReplyKind(k).String() })),
			Entries: r.entries(reply["entries"]), Values: r.answers(reply["values"]), Version: str(reply, "version"), To: str(reply, "to"),
			RetryAfter: time.Duration(num(reply, "retryAfter")-1) * time.Millisecond, Text: str(reply, "text"),
		}
	}
	if kept, ok := o["kept"].(map[string]any); ok {
		e.Restored = r.kept(kept)
	}
	return e
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

func (r *eventReader) value(s string) lifecycle.Value {
	v, ok := parseValue(s)
	if !ok {
		r.bad = `the value "` + s + `"`
	}
	return v
}

func (r *eventReader) answers(v any) []lifecycle.Answer {
	var answers []lifecycle.Answer
	for _, item := range asList(v) {
		parts := texts(item)
		if len(parts) != 2 {
			r.bad = "an answer"
			return nil
		}
		place, ok := r.form.Lookup(parts[0])
		if !ok {
			r.bad = `the path "` + parts[0] + `"`
		}
		answers = append(answers, lifecycle.Answer{Place: place, Value: r.value(parts[1]), Changed: len(asList(item)) == 3})
	}
	return answers
}

func (r *eventReader) entries(v any) []lifecycle.Entry {
	var entries []lifecycle.Entry
	for _, item := range asList(v) {
		parts := texts(item)
		if len(parts) != 3 {
			r.bad = "an entry"
			return nil
		}
		entries = append(entries, lifecycle.Entry{Path: parts[0], Code: parts[1], Text: parts[2]})
	}
	return entries
}

// word finds the constant that a word stands for.
func (r *eventReader) word(o map[string]any, key string, of func(k int) string) int {
	for k := range 64 {
		if of(k) == str(o, key) {
			return k
		}
	}
	r.bad = "the " + key + ` "` + str(o, key) + `"`
	return 0
}

func str(o map[string]any, key string) string {
	s, _ := o[key].(string)
	return s
}

func num(o map[string]any, key string) int64 {
	n, _ := o[key].(int64)
	return n
}

func asList(v any) []any {
	list, _ := v.([]any)
	return list
}

// texts are the leading strings of a list.
func texts(v any) []string {
	var list []string
	for _, item := range asList(v) {
		if s, ok := item.(string); ok {
			list = append(list, s)
		}
	}
	return list
}
