package trace

import (
	"bufio"
	"bytes"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// Record is a trace that has been read.
type Record struct {
	Form      string // the form's name
	Lifecycle string // the fingerprint of its lifecycle
	Words     string // and that of its words
	lines     []map[string]any
}

// Steps is the number of steps.
func (r *Record) Steps() int { return len(r.lines) - 1 }

// LineError is a line of a trace that cannot be read.
type LineError struct {
	Line    int
	Problem string
}

func (e *LineError) Error() string {
	return "line " + strconv.Itoa(e.Line) + ": found " + e.Problem + "; right would be a line as play --trace writes it"
}

// Read reads a trace. The error is a LineError where a line is wrong.
func Read(in io.Reader) (*Record, error) {
	r := &Record{}
	scanner := bufio.NewScanner(in)
	scanner.Buffer(nil, 16<<20)
	for scanner.Scan() {
		line := bytes.TrimSpace(scanner.Bytes())
		if len(line) == 0 {
			continue
		}
		o, err := parseObject(string(line))
		if err != nil {
			return nil, &LineError{len(r.lines) + 1, err.Error()}
		}
		r.lines = append(r.lines, o)
	}
	if err := scanner.Err(); err != nil {
		return nil, &LineError{len(r.lines) + 1, err.Error()}
	}
	if len(r.lines) == 0 {
		return nil, &LineError{1, "an empty trace"}
	}
	header := r.lines[0]
	if version := num(header, "trace"); version != Version {
		return nil, &LineError{1, "format version " + strconv.FormatInt(version, 10)}
	}
	r.Form, r.Lifecycle, r.Words = str(header, "form"), str(header, "lifecycle"), str(header, "words")
	for k, line := range r.lines[1:] {
		if _, ok := line["event"].(map[string]any); !ok {
			return nil, &LineError{k + 2, "a step without an event"}
		}
	}
	return r, nil
}

// OtherLifecycleError is the error of a trace whose form had another lifecycle.
type OtherLifecycleError struct {
	Form  string   // the name in the trace
	Right string   // the name of the form that it was to be replayed on
	Parts []string // what differs: paths of fields, and parts of a form file
}

func (e *OtherLifecycleError) Error() string {
	if e.Form != e.Right {
		return "found a trace of the form " + e.Form + "; right would be one of " + e.Right
	}
	return "found a trace of another lifecycle of " + e.Form + ": " + strings.Join(e.Parts, ", ") + " declared otherwise; right would be the form as it was then"
}

// Fits returns nil where the form has the lifecycle that it had when the trace was written, and an
// OtherLifecycleError otherwise.
func (r *Record) Fits(form *form.Form) error {
	if r.Form == form.Name && r.Lifecycle == hex(form.LifecycleFingerprint()) {
		return nil
	}
	e := &OtherLifecycleError{Form: r.Form, Right: form.Name}
	written, _ := r.lines[0]["parts"].(map[string]any)
	then := maps.Clone(written)
	for _, part := range form.LifecycleParts() {
		if str(then, part.Name) != hex(uint64(part.Digest)) {
			e.Parts = append(e.Parts, part.Name)
		}
		delete(then, part.Name)
	}
	e.Parts = append(e.Parts, slices.Sorted(maps.Keys(then))...)
	return e
}

// Difference is the first line at which a replay went another way.
type Difference struct {
	Line     int
	What     string // state, effects, outcome
	Recorded string
	Replayed string
}

// Observer has functions that a replay calls as it goes. A function that is nil is not called.
type Observer struct {
	Opened func(s *lifecycle.Session, opening []lifecycle.Effect)
	Before func(e lifecycle.Event)
	// After is told each step; the effects are valid until the next.
	After func(at time.Duration, s lifecycle.Step)
}

// Replay gives a new session of the form every event of a trace, and compares
// effects, outcome and state at each. It returns the first difference, or nil.
// The form's words may be others than they were. The error tells a trace of another lifecycle, or a
// line that cannot be read.
func Replay(form *form.Form, r *Record, o Observer) (*Difference, error) {
	if err := r.Fits(form); err != nil {
		return nil, err
	}
	reader := eventReader{form: form}
	form = form.Opening(reader.answers(r.lines[0]["defaults"]))
	if reader.bad != "" {
		return nil, &LineError{1, reader.bad}
	}
	s, effects := lifecycle.Open(form, lifecycle.Seed{})
	w := NewWriter(io.Discard, s, effects)
	if o.Opened != nil {
		o.Opened(s, effects)
	}
	if d := w.compare(1, r.lines[0], effects, nil); d != nil {
		return d, nil
	}
	for k, line := range r.lines[1:] {
		e := reader.event(line["event"].(map[string]any))
		if reader.bad != "" {
			return nil, &LineError{k + 2, reader.bad}
		}
		if o.Before != nil {
			o.Before(e)
		}
		step := lifecycle.Drive(s, e)
		if o.After != nil {
			o.After(time.Duration(num(line, "at"))*time.Millisecond, step)
		}
		if d := w.compare(k+2, line, step.Effects, step.Err); d != nil {
			return d, nil
		}
	}
	return nil, nil
}

// Breach is a guarantee that a recorded session has broken at a line.
type Breach struct {
	guarantee.Breach
	Line int
}

// Guarantees replays a trace and checks the guarantees at each step, up to the
// first difference.
func Guarantees(form *form.Form, r *Record) ([]Breach, *Difference, error) {
	var watch *guarantee.Watch
	var found []Breach
	line := 1
	difference, err := Replay(form, r, Observer{
		Opened: func(s *lifecycle.Session, opening []lifecycle.Effect) { watch = guarantee.NewWatch(s, opening) },
		Before: func(e lifecycle.Event) { watch.Before(e) },
		After: func(_ time.Duration, s lifecycle.Step) {
			line++
			watch.After(s)
			for _, b := range watch.Breaches() {
				found = append(found, Breach{b, line})
			}
		},
	})
	return found, difference, err
}

// compare holds a step against its line.
func (w *Writer) compare(number int, line map[string]any, effects []lifecycle.Effect, outcome error) *Difference {
	recorded := []byte{}
	for k, effect := range texts(line["effects"]) {
		if k > 0 {
			recorded = append(recorded, "; "...)
		}
		recorded = append(recorded, effect...)
	}
	replayed := []byte{}
	for k := range effects {
		if k > 0 {
			replayed = append(replayed, "; "...)
		}
		replayed = append(replayed, w.effect(&effects[k])...)
	}
	_, whole := line["effects"]
	switch {
	case str(line, "outcome") != outcomeWord(outcome):
		return &Difference{number, "outcome", str(line, "outcome"), outcomeWord(outcome)}
	case !whole: // a page has written it, and has only the events
		return nil
	case !bytes.Equal(recorded, replayed):
		return &Difference{number, "effects", string(recorded), string(replayed)}
	}
	if state := w.fingerprint(); state != str(line, "state") {
		return &Difference{number, "state", str(line, "state"), state}
	}
	return nil
}
