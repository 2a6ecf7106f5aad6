package verify

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// write walks a path again and writes it as a scenario file. It reports false
// where no clock can run like this.
func (w *walker) write(numbers []uint16, b lifecycle.Breach) (events []lifecycle.Event, text []byte, feasible bool) {
	x := open(w.mover.form)
	t := newSchedule()
	t.opened(x)
	var steps []move
	apply := func(m move) {
		before := append([]armed(nil), x.timers...)
		x.apply(m.event)
		t.step(m.event, before, x)
		steps = append(steps, m)
	}
	for _, e := range w.startWith(w.mover.form) {
		apply(move{event: e})
	}
	for _, number := range numbers {
		var chosen *move
		k := uint16(0)
		w.mover.moves(x, func(m move) {
			if k == number {
				chosen = &m
			}
			k++
		})
		if chosen == nil {
			return nil, nil, false
		}
		apply(*chosen)
	}
	times, ok := t.solve()
	if !ok {
		return nil, nil, false
	}
	for _, m := range steps {
		events = append(events, m.event)
	}
	return events, scenarioText(w.mover.form, b, steps, times, t), true
}

// schedule is a system of difference constraints between the times of events:
// t[to] - t[from] ≤ bound. Event 0 is the opening.
type schedule struct {
	count  int
	bounds []bound
	armed  map[lifecycle.TimerID]int // the event that armed it
	after  map[lifecycle.TimerID]time.Duration
	asked  map[request]int // the event that sent the request
}

type bound struct {
	from, to int
	most     time.Duration
}

// request names a load, a check or a try.
type request struct {
	id           lifecycle.RequestID
	attempt, try int32
}

func newSchedule() *schedule {
	return &schedule{count: 1, armed: map[lifecycle.TimerID]int{}, after: map[lifecycle.TimerID]time.Duration{}, asked: map[request]int{}}
}

func (t *schedule) opened(x *world) { t.note(0, x) }

func (t *schedule) note(event int, x *world) {
	for _, timer := range x.timers {
		if _, known := t.armed[timer.id]; !known {
			t.armed[timer.id], t.after[timer.id] = event, timer.after
		}
	}
	for _, list := range [][]lifecycle.RequestID{x.outstanding(x.loads, 0), x.outstanding(x.checks, 1)} {
		for _, id := range list {
			if _, known := t.asked[request{id: id}]; !known {
				t.asked[request{id: id}] = event
			}
		}
	}
	for _, s := range x.tries {
		if _, known := t.asked[request{attempt: s.attempt, try: s.try}]; !known {
			t.asked[request{attempt: s.attempt, try: s.try}] = event
		}
	}
}

// step adds an event: not before the last one, at its timer's very time, and
// before any other timer that was armed has run out.
func (t *schedule) step(e lifecycle.Event, before []armed, x *world) {
	event := t.count
	t.count++
	t.bounds = append(t.bounds, bound{event, event - 1, -time.Millisecond})
	for _, timer := range before {
		from := t.armed[timer.id]
		if e.Kind == lifecycle.EventElapsed && e.Timer == timer.id {
			t.bounds = append(t.bounds, bound{from, event, timer.after}, bound{event, from, -timer.after})
			continue
		}
		t.bounds = append(t.bounds, bound{from, event, timer.after - time.Millisecond})
	}
	if e.Kind == lifecycle.EventElapsed { // it is the timer's moment, not a millisecond later
		t.bounds[len(t.bounds)-1-len(before)].most = 0
	}
	t.note(event, x)
}

// solve finds the earliest times (Bellman and Ford), or reports that there are
// none.
func (t *schedule) solve() ([]time.Duration, bool) {
	// Earliest times: t[to] ≥ t[from] - most for the bounds read backwards.
	times := make([]time.Duration, t.count)
	for range t.count + 1 {
		changed := false
		for _, b := range t.bounds {
			if least := times[b.to] - b.most; times[b.from] < least {
				times[b.from] = least
				changed = true
			}
		}
		if !changed {
			return times, times[0] == 0
		}
	}
	return nil, false
}

// scenarioText writes the file: the breach as a comment, the answers in the
// order of their requests, the timeline.
func scenarioText(form *lifecycle.Form, b lifecycle.Breach, steps []move, times []time.Duration, t *schedule) []byte {
	answers := map[string][]string{}
	given := map[request]*move{}
	at := map[request]time.Duration{}
	for k := range steps {
		if r, isAnswer := requestOf(steps[k].event); isAnswer {
			given[r], at[r] = &steps[k], times[k+1]
		}
	}
	x := open(form)
	seen := map[request]bool{}
	collect := func() {
		add := func(key string, r request) {
			if seen[r] {
				return
			}
			seen[r] = true
			line := "{never: true}"
			if m := given[r]; m != nil {
				line = answerText(m.response, at[r]-times[t.asked[r]])
			}
			answers[key] = append(answers[key], line)
		}
		for _, id := range x.outstanding(x.loads, 0) {
			add("prefill", request{id: id})
		}
		for _, s := range x.tries {
			add("submit", request{attempt: s.attempt, try: s.try})
		}
		for _, id := range x.outstanding(x.checks, 1) {
			for f := range x.session.Fields() {
				if f.Checking() {
					add("check "+f.Path(), request{id: id})
					break
				}
			}
		}
	}
	collect()
	var timeline strings.Builder
	for k, m := range steps {
		x.apply(m.event)
		collect()
		if action := actionText(m.event); action != "" {
			fmt.Fprintf(&timeline, "  - {at: %s, %s}\n", times[k+1], action)
		}
	}
	end := times[len(times)-1] + time.Millisecond
	fmt.Fprintf(&timeline, "  - {at: %s, expect: {ignored: %d}} # the end\n", end, x.session.Ignored())
	var text strings.Builder
	fmt.Fprintf(&text, "# %s\nscenario: %s\nform: %s\n", b.Error(), quote("The shortest session that breaks "+b.Guarantee.String()), quote(form.Name+".form.yaml"))
	writeBackend(&text, answers)
	text.WriteString("timeline:\n" + timeline.String())
	return []byte(text.String())
}

func writeBackend(text *strings.Builder, answers map[string][]string) {
	if len(answers) == 0 {
		return
	}
	text.WriteString("backend:\n")
	for _, key := range []string{"prefill", "submit"} {
		if len(answers[key]) > 0 {
			fmt.Fprintf(text, "  %s: [%s]\n", key, strings.Join(answers[key], ", "))
		}
	}
	checks := ""
	for key, list := range answers {
		if path, ok := strings.CutPrefix(key, "check "); ok {
			checks += fmt.Sprintf("    %s: [%s]\n", quote(path), strings.Join(list, ", "))
		}
	}
	if checks != "" {
		text.WriteString("  checks:\n" + checks)
	}
}

func requestOf(e lifecycle.Event) (request, bool) {
	switch e.Kind {
	case lifecycle.EventLoaded, lifecycle.EventLoadFailed, lifecycle.EventChecked, lifecycle.EventCheckFailed:
		return request{id: e.Request}, true
	case lifecycle.EventReplied:
		return request{attempt: e.Attempt, try: e.Try}, true
	default:
		return request{}, false
	}
}

func answerText(r *replies.Response, after time.Duration) string {
	if r.Broken {
		return fmt.Sprintf("{after: %s, broken: true}", after)
	}
	text := fmt.Sprintf("{after: %s, status: %d", after, r.Status)
	if len(r.Header) > 0 {
		headers, _ := json.Marshal(r.Header) // texts alone
		text += ", headers: " + string(headers)
	}
	if r.Body != nil {
		body, _ := json.Marshal(r.Body) // made here, of texts
		text += ", body: " + string(body)
	}
	return text + "}"
}

func quote(s string) string {
	b, _ := json.Marshal(s) // a text
	return string(b)
}

func actionText(e lifecycle.Event) string {
	switch e.Kind {
	case lifecycle.EventEdit:
		return fmt.Sprintf("edit: {%s: %s}", quote(e.Path), quote(e.Raw))
	case lifecycle.EventBlur:
		return "blur: " + quote(e.Path)
	case lifecycle.EventSubmit:
		return "submit: " + quote(e.Button)
	case lifecycle.EventAddRow:
		return "add: " + quote(e.Path)
	case lifecycle.EventRemoveRow:
		return "remove: " + quote(e.Path)
	case lifecycle.EventMoveRow:
		return fmt.Sprintf("move: {from: %s, to: %s}", quote(e.Path), quote(e.To))
	case lifecycle.EventResolve:
		return fmt.Sprintf("resolve: {%s: %s}", quote(e.Path), e.Choice)
	case lifecycle.EventLeaveAsked:
		return fmt.Sprintf("leave: {to: %s, kind: %s}", quote(e.To), e.LeaveKind)
	case lifecycle.EventLeaveAnswered:
		return "answerLeave: " + e.Answer.String()
	case lifecycle.EventCancel, lifecycle.EventRetry, lifecycle.EventReset, lifecycle.EventRefresh, lifecycle.EventReturned:
		return e.Kind.String() + ": true"
	default:
		return ""
	}
}
