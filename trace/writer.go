package trace

import (
	"hash/fnv"
	"io"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// Version is the version of the format.
const Version = 1

// covered stands for words that may repeat a private value.
const covered = "(private)"

// Writer writes the trace of one session.
type Writer struct {
	out     io.Writer
	form    *form.Form
	session *lifecycle.Session
	tokens  map[form.Value]string
	secrets []string          // private values as text, so that nobody's words repeat them
	told    map[string]string // destinations as they were written first: they are written so again
	state   []byte
	err     error
}

// NewWriter begins the trace of a session that has just been opened. An error of writing
// is returned by the next [Writer.Step] and by [Writer.Err].
func NewWriter(out io.Writer, s *lifecycle.Session, opening []lifecycle.Effect) *Writer {
	w := &Writer{out: out, form: s.Form(), session: s, tokens: map[form.Value]string{}, told: map[string]string{}}
	w.told[w.form.Accepted.To] = w.form.Accepted.To // everybody can read it in the form
	var header object
	header.num("trace", Version)
	header.str("form", w.form.Name)
	header.str("fingerprint", hex(w.form.Fingerprint()))
	if defaults := w.form.OpeningDefaults(); len(defaults) > 0 {
		header.raw("defaults", w.answers(defaults))
	}
	header.raw("effects", w.effects(opening))
	header.str("state", w.fingerprint())
	w.line(header.end())
	return w
}

// Err is the first error of writing.
func (w *Writer) Err() error { return w.err }

// Step writes one step, taken at a time since the opening.
func (w *Writer) Step(at time.Duration, s lifecycle.Step) error {
	var o object
	o.raw("at", strconv.AppendInt(nil, at.Milliseconds(), 10))
	o.raw("event", w.event(&s.Event))
	o.raw("effects", w.effects(s.Effects))
	o.str("outcome", outcomeWord(s.Err))
	o.str("state", w.fingerprint())
	w.line(o.end())
	return w.err
}

func (w *Writer) line(text []byte) {
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

func (w *Writer) fingerprint() string {
	w.state = state.AppendRedacted(w.state[:0], w.session, w.form, w.token)
	h := fnv.New64a()
	h.Write(w.state)
	return hex(h.Sum64())
}

func (w *Writer) private(id form.FieldID) bool {
	return id >= 0 && int(id) < len(w.form.Fields) && w.form.Fields[id].Private
}

// token numbers private values in the order in which they appear.
func (w *Writer) token(v form.Value) string {
	token, known := w.tokens[v]
	if !known {
		token = "private-" + strconv.Itoa(len(w.tokens)+1)
		w.tokens[v] = token
		w.secrets = append(w.secrets, v.String())
	}
	return token
}

func (w *Writer) veilValue(id form.FieldID, v form.Value) form.Value {
	return w.form.VeilOf(id, v, w.token)
}

func (w *Writer) veilRaw(id form.FieldID, raw string) form.Value {
	if raw != "" {
		w.secrets = append(w.secrets, raw)
	}
	return w.veilValue(id, w.form.Parse(id, raw))
}

// words covers a text that repeats a private value.
func (w *Writer) words(text string) string {
	for _, secret := range w.secrets {
		if secret != "" && strings.Contains(text, secret) {
			return covered
		}
	}
	return text
}

// destination covers an address that repeats a private value, unless it was written before that
// was typed: a replay, which knows no private value, goes by what was written.
func (w *Writer) destination(to string) string {
	written, known := w.told[to]
	if !known {
		written = w.words(to)
		w.told[to] = written
	}
	return written
}

// effects writes each effect as a few words. What a send carries follows from
// the state.
func (w *Writer) effects(effects []lifecycle.Effect) []byte {
	items := make([][]byte, len(effects))
	for k := range effects {
		items[k] = quoted(w.effect(&effects[k]))
	}
	return array(items)
}

func (w *Writer) effect(e *lifecycle.Effect) string {
	number := func(n int64) string { return strconv.FormatInt(n, 10) }
	where := "the form"
	if e.Place != lifecycle.WholeForm && (e.Kind == lifecycle.EffectCheck || e.Kind == lifecycle.EffectFocus) {
		where = w.form.Path(e.Place)
	}
	text := e.Kind.String()
	switch e.Kind {
	case lifecycle.EffectLoad:
		text += " " + number(int64(e.Request))
	case lifecycle.EffectCheck:
		text += " " + number(int64(e.Request)) + " " + where
	case lifecycle.EffectSend:
		text += " " + number(int64(e.Attempt)) + "." + number(int64(e.Try)) + " " + e.Button
		if e.Version != "" {
			text += " over " + e.Version
		}
	case lifecycle.EffectAbort:
		if e.Request != 0 {
			text += " request " + number(int64(e.Request))
		} else {
			text += " try " + number(int64(e.Attempt)) + "." + number(int64(e.Try))
		}
	case lifecycle.EffectArm:
		text += " " + number(int64(e.Timer)) + " " + e.Of.String() + " " + e.After.String()
	case lifecycle.EffectDisarm:
		text += " " + number(int64(e.Timer)) + " " + e.Of.String()
	case lifecycle.EffectAsk:
		text += " " + e.Reason.String() + " to " + w.destination(e.To)
	case lifecycle.EffectLeave, lifecycle.EffectNavigate:
		text += " to " + w.destination(e.To)
	case lifecycle.EffectGuardUnload:
		text += map[bool]string{true: " on", false: " off"}[e.On]
	case lifecycle.EffectFocus:
		text += " " + where
	case lifecycle.EffectSay:
		text += " " + e.Level.String() + " " + e.Message.ID.String() + " " + number(int64(e.Message.Count))
		if e.Message.And != form.MessageNone {
			text += " and " + e.Message.And.String() + " " + number(int64(e.Message.AndCount))
		}
	}
	return text
}
