package trace

import (
	"io"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Version is the version of the format.
const Version = 2

// covered stands for words that may repeat a private value.
const covered = "(private)"

// Events writes what happened to one session: events, times and what each came to. Whoever
// replays it gets effects and states, which a [Writer] records as well.
type Events struct {
	out     io.Writer
	form    *form.Form
	tokens  map[form.Value]string
	secrets []string          // private values as text, so that nobody's words repeat them
	told    map[string]string // destinations as they were written first: they are written so again
	plain   bool              // nothing is covered: a draft has no private values
	err     error
}

// NewEvents begins the record of a session that has just been opened. An error of writing
// is returned by the next [Events.Event] and by [Events.Err].
func NewEvents(out io.Writer, f *form.Form) *Events {
	w := newEvents(out, f)
	header := w.header()
	w.line(header.end())
	return w
}

func newEvents(out io.Writer, f *form.Form) *Events {
	// Everybody can read in the form where an acceptance leads.
	return &Events{out: out, form: f, tokens: map[form.Value]string{}, told: map[string]string{f.Accepted.To: f.Accepted.To}}
}

func (w *Events) header() object {
	var o object
	o.num("trace", Version)
	o.str("form", w.form.Name)
	o.str("lifecycle", hex(w.form.LifecycleFingerprint()))
	o.str("words", hex(w.form.WordsFingerprint()))
	var parts object
	for _, part := range w.form.LifecycleParts() {
		parts.str(part.Name, hex(uint64(part.Digest)))
	}
	o.raw("parts", parts.end())
	if defaults := w.form.OpeningDefaults(); len(defaults) > 0 {
		o.raw("defaults", w.answers(defaults))
	}
	return o
}

// Err is the first error of writing.
func (w *Events) Err() error { return w.err }

// Event writes an event, taken at a time since the opening, with the error that it came to.
func (w *Events) Event(at time.Duration, e *lifecycle.Event, came error) error {
	var o object
	w.step(&o, at, e)
	o.str("outcome", outcomeWord(came))
	w.line(o.end())
	return w.err
}

func (w *Events) step(o *object, at time.Duration, e *lifecycle.Event) {
	o.raw("at", strconv.AppendInt(nil, at.Milliseconds(), 10))
	o.raw("event", w.event(e))
}

func (w *Events) line(text []byte) {
	if w.err == nil {
		_, w.err = w.out.Write(append(text, '\n'))
	}
}

func outcomeWord(err error) string {
	if err == nil {
		return ""
	}
	if err == lifecycle.ErrStale {
		return "stale"
	}
	if _, away := err.(*lifecycle.TurnedAwayError); away { // the core wraps none, and errors.As is large
		return "turned away"
	}
	return "unknown"
}

func hex(n uint64) string { return strconv.FormatUint(n, 16) }

func (w *Events) private(id form.FieldID) bool {
	return !w.plain && id >= 0 && int(id) < len(w.form.Fields) && w.form.Fields[id].Covered()
}

// token numbers private values in the order in which they appear.
func (w *Events) token(v form.Value) string {
	token, known := w.tokens[v]
	if !known {
		token = "private-" + strconv.Itoa(len(w.tokens)+1)
		w.tokens[v] = token
		w.secrets = append(w.secrets, v.String())
	}
	return token
}

func (w *Events) redactValue(id form.FieldID, v form.Value) form.Value {
	return w.form.Redact(id, v, w.token)
}

func (w *Events) redactRaw(id form.FieldID, raw string) form.Value {
	if raw != "" {
		w.secrets = append(w.secrets, raw)
	}
	return w.redactValue(id, w.form.Parse(id, raw))
}

// words covers a text that repeats a private value.
func (w *Events) words(text string) string {
	for _, secret := range w.secrets {
		if secret != "" && strings.Contains(text, secret) {
			return covered
		}
	}
	return text
}

// destination covers an address that repeats a private value, unless it was written before that
// was typed: a replay, which knows no private value, goes by what was written.
func (w *Events) destination(to string) string {
	written, known := w.told[to]
	if !known {
		written = w.words(to)
		w.told[to] = written
	}
	return written
}
