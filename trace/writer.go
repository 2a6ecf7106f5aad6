package trace

import (
	"hash/fnv"
	"io"
	"strconv"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// Writer writes the trace of one session: beside its events the effects, and a fingerprint of
// each state.
type Writer struct {
	*Events
	session *lifecycle.Session
	state   []byte
}

// NewWriter begins the trace of a session that has just been opened. An error of writing
// is returned by the next [Writer.Step] and by [Events.Err].
func NewWriter(out io.Writer, s *lifecycle.Session, opening []lifecycle.Effect) *Writer {
	w := &Writer{Events: newEvents(out, s.Form()), session: s}
	header := w.header()
	header.raw("effects", w.effects(opening))
	header.str("state", w.fingerprint())
	w.line(header.end())
	return w
}

// Step writes one step, taken at a time since the opening.
func (w *Writer) Step(at time.Duration, s lifecycle.Step) error {
	var o object
	w.step(&o, at, &s.Event)
	o.raw("effects", w.effects(s.Effects))
	o.str("outcome", outcomeWord(s.Err))
	o.str("state", w.fingerprint())
	w.line(o.end())
	return w.err
}

func (w *Writer) fingerprint() string {
	w.state = state.AppendRedacted(w.state[:0], w.session, w.form, w.token)
	h := fnv.New64a()
	h.Write(w.state)
	return hex(h.Sum64())
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
