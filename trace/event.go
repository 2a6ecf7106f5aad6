package trace

import (
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/jsontext"
	"leanwicket.dev/lifecycle"
)

// valueMarks are the letters before the values of each kind.
var valueMarks = map[form.ValueKind]byte{
	form.ValueText: 't', form.ValueNumber: 'n', form.ValueBoolean: 'b', form.ValueDate: 'd', form.ValueTime: 'm',
	form.ValueDateTime: 's', form.ValueChoices: 'c', form.ValueFile: 'f', form.ValueUnparsed: 'x', form.ValueRedacted: 'p',
}

// valueText writes a value as a letter and a text; absent is empty.
func valueText(v form.Value) string {
	switch v.Kind {
	case form.ValueAbsent:
		return ""
	case form.ValueRedacted:
		return "p" + strconv.FormatInt(v.Coef, 10) + ":" + v.Text
	default:
		return string(valueMarks[v.Kind]) + v.String()
	}
}

func parseValue(s string) (v form.Value, ok bool) {
	if s == "" {
		return v, true
	}
	text := s[1:]
	switch s[0] {
	case 'n':
		return form.NumberFromText(text)
	case 'd':
		return form.ParseDate(text)
	case 'm':
		return form.ParseTime(text)
	case 's':
		return form.ParseDateTime(text)
	case 'b':
		return form.True(), text == "true"
	case 'p':
		codes, token, _ := strings.Cut(text, ":")
		n, err := strconv.ParseInt(codes, 10, 16)
		return form.Value{Kind: form.ValueRedacted, Coef: n, Text: token}, err == nil && token != "" && n >= 0
	}
	for kind, mark := range valueMarks {
		if mark == s[0] && text != "" {
			return form.Value{Kind: kind, Text: text}, true
		}
	}
	return v, false
}

// event writes an event, with what is private in it redacted.
func (w *Events) event(e *lifecycle.Event) []byte {
	var o object
	o.str("kind", e.Kind.String())
	o.str("path", e.Path)
	if place, ok := w.form.Lookup(e.Path); ok && e.Kind == lifecycle.EventEdit && w.private(place.Field) {
		o.str("redacted", valueText(w.redactRaw(place.Field, e.Raw)))
	} else {
		o.str("raw", e.Raw)
	}
	o.str("button", e.Button)
	if e.Kind == lifecycle.EventMoveRow {
		o.str("to", e.To) // a path has no private words
	} else {
		o.str("to", w.destination(e.To))
	}
	switch e.Kind {
	case lifecycle.EventResolve:
		o.str("choice", e.Choice.String())
	case lifecycle.EventLeaveAsked:
		o.str("leave", e.LeaveKind.String())
	case lifecycle.EventLeaveDecided:
		o.str("decision", e.Decision.String())
	}
	o.num("request", int64(e.Request))
	o.num("timer", int64(e.Timer))
	o.num("attempt", int64(e.Attempt))
	o.num("try", int64(e.Try))
	if e.Kind == lifecycle.EventLoaded || e.Kind == lifecycle.EventSupplied {
		o.raw("values", w.answers(e.Values))
	}
	o.str("version", e.Version)
	o.num("after", int64(e.After))
	o.str("why", w.words(e.Why))
	o.flag("denied", e.Denied)
	if c := e.Came; c != nil {
		var came object
		came.num("status", int64(c.Status))
		came.str("type", w.words(c.Type))
		came.str("from", w.words(c.From))
		came.str("unfit", w.words(c.Unfit))
		o.raw("came", came.end())
	}
	if len(e.Issues) > 0 {
		o.raw("issues", w.entries(e.Issues))
	}
	if e.Reply != nil {
		o.raw("reply", w.reply(e.Reply))
	}
	if e.Draft != nil {
		o.raw("kept", w.draft(e.Draft))
	}
	return o.end()
}

func (w *Events) answers(answers []form.Answer) []byte {
	items := make([][]byte, len(answers))
	for k, a := range answers {
		v := a.Value
		if w.private(a.Field) {
			v = w.redactValue(a.Field, v)
		}
		pair := [][]byte{quoted(w.form.Path(a.Place)), quoted(valueText(v))}
		if a.Changed {
			pair = append(pair, []byte("true"))
		}
		items[k] = array(pair)
	}
	return array(items)
}

func (w *Events) entries(entries []lifecycle.Entry) []byte {
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

func (w *Events) reply(r *lifecycle.Reply) []byte {
	var o object
	o.str("kind", r.Kind.String())
	if len(r.Entries) > 0 {
		o.raw("entries", w.entries(r.Entries))
	}
	if len(r.Values) > 0 {
		o.raw("values", w.answers(r.Values))
	}
	o.str("version", r.Version)
	o.str("to", w.destination(r.To))
	if r.RetryAfter >= 0 {
		o.num("retryAfter", r.RetryAfter.Milliseconds()+1) // 0 means that none was given
	}
	o.str("text", w.words(r.Text))
	o.flag("signedOut", r.SignedOut)
	return o.end()
}

// eventReader reads what event wrote.
type eventReader struct {
	form  *form.Form
	bad   string
	other bool // another version of the form has written the event
	unfit bool // something in the event has no place in this version
}

func (r *eventReader) event(o map[string]any) lifecycle.Event {
	e := lifecycle.Event{
		Kind: lifecycle.EventKind(r.word(o, "kind", func(k int) string { return lifecycle.EventKind(k).String() })),
		Path: str(o, "path"), Raw: str(o, "raw"), To: str(o, "to"), Button: str(o, "button"), Version: str(o, "version"), Why: str(o, "why"),
		Request: lifecycle.RequestID(num(o, "request")), Timer: lifecycle.TimerID(num(o, "timer")), Attempt: int32(num(o, "attempt")), Try: int32(num(o, "try")),
		After: uint32(num(o, "after")),
	}
	if redacted := str(o, "redacted"); redacted != "" {
		e.Redacted = r.value(redacted)
		e.Raw = e.Redacted.Text
	}
	if o["choice"] != nil {
		e.Choice = lifecycle.Choice(r.word(o, "choice", func(k int) string { return lifecycle.Choice(k).String() }))
	}
	if o["leave"] != nil {
		e.LeaveKind = lifecycle.LeaveKind(r.word(o, "leave", func(k int) string { return lifecycle.LeaveKind(k).String() }))
	}
	if o["decision"] != nil {
		e.Decision = lifecycle.LeaveDecision(r.word(o, "decision", func(k int) string { return lifecycle.LeaveDecision(k).String() }))
	}
	e.Values = r.answers(o["values"])
	e.Issues = r.entries(o["issues"])
	if reply, ok := o["reply"].(map[string]any); ok {
		e.Reply = &lifecycle.Reply{
			Kind:    lifecycle.ReplyKind(r.word(reply, "kind", func(k int) string { return lifecycle.ReplyKind(k).String() })),
			Entries: r.entries(reply["entries"]), Values: r.answers(reply["values"]), Version: str(reply, "version"), To: str(reply, "to"),
			RetryAfter: time.Duration(num(reply, "retryAfter")-1) * time.Millisecond, Text: str(reply, "text"), SignedOut: reply["signedOut"] == true,
		}
	}
	e.Denied = o["denied"] == true
	if came, ok := o["came"].(map[string]any); ok {
		e.Came = &lifecycle.Came{Status: int(num(came, "status")), Type: str(came, "type"), From: str(came, "from"), Unfit: str(came, "unfit")}
	}
	if kept, ok := o["kept"].(map[string]any); ok {
		e.Draft = r.draft(kept)
	}
	return e
}

func (r *eventReader) value(s string) form.Value {
	v, ok := parseValue(s)
	if !ok {
		r.bad = `the value "` + s + `"`
	}
	return v
}

func (r *eventReader) answers(v any) []form.Answer {
	var answers []form.Answer
	for _, item := range asList(v) {
		parts := texts(item)
		if len(parts) != 2 {
			r.bad = "an answer"
			return nil
		}
		place, ok := r.form.LookupAnswer(parts[0])
		if !ok && r.other {
			r.unfit = true
			continue
		}
		if !ok {
			r.bad = `the path "` + parts[0] + `"`
		}
		answers = append(answers, form.Answer{Place: place, Value: r.value(parts[1]), Changed: len(asList(item)) == 3})
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
	number, _ := o[key].(jsontext.Number)
	n, _ := strconv.ParseInt(string(number), 10, 64)
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
