package verify

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// purpose says what a session is written for. last chooses one more move, which ends the session
// beyond the state that it leads to. Where last is nil, the session ends in that state.
type purpose struct {
	title, comment string
	expects        bool // the states at the end
	last           func(m move, before, after *world, breaches []guarantee.Breach, effects []lifecycle.Effect) bool
}

// write takes the way to a state again with a real session, and writes it as a
// scenario file. It reports false where no clock can run like this.
func (w *walker) write(id int32, why purpose) (Session, bool) {
	root, way := w.way(id)
	r := newRetaker(w, w.roots[root])
	for _, target := range way {
		found := r.choose(func(_ move, _, after *world, _ []guarantee.Breach, _ []lifecycle.Effect, taken bool) bool {
			r.text = r.text[:0]
			if taken {
				r.text = after.pack(r.text, r.packer, &r.successors.options)
			}
			return taken && bytes.Equal(r.text, target)
		})
		if !found {
			return Session{}, false
		}
	}
	if why.last != nil && !r.end(why) {
		return Session{}, false
	}
	times, ok := r.schedule.solve()
	if !ok {
		return Session{}, false
	}
	text, ok := r.scenario(why, times)
	var events []lifecycle.Event
	if r.earlier.kept != nil {
		events = append(events, lifecycle.Restore(r.earlier.kept))
	}
	for _, m := range r.steps {
		events = append(events, m.event)
	}
	return Session{events, text}, ok
}

// way lists the packed states from one of the first states to another one, without the first
// itself.
func (w *walker) way(id int32) (root int32, way [][]byte) {
	for ; w.store.parents[id] >= 0; id = w.store.parents[id] {
		way = append(way, w.store.packed(id))
	}
	slices.Reverse(way)
	return id, way
}

// retaker takes a way again.
type retaker struct {
	successors *successors
	packer     *guarantee.Packer
	world      *world
	scratch    *world
	schedule   *schedule
	steps      []move
	answers    []request // in the order in which they were sent
	paths      map[lifecycle.RequestID]string
	earlier    earlier
	moves      []move
	text       []byte
}

func newRetaker(w *walker, page earlier) *retaker {
	s, opening := lifecycle.Open(w.successors.form, lifecycle.Seed{})
	r := &retaker{
		successors: w.successors, packer: w.packer.Fork(), scratch: newWorld(), schedule: newSchedule(),
		world: &world{session: s, watch: guarantee.NewWatch(s, opening)}, paths: map[lifecycle.RequestID]string{}, earlier: page,
	}
	r.world.follow(opening)
	r.note(0, opening)
	for _, e := range w.successors.beginning(page) {
		if e.Kind != lifecycle.EventRestored {
			r.apply(move{event: e})
			continue
		}
		r.world.watch.Before(e) // it is part of the opening
		_, _, effects := r.world.apply(e)
		r.note(0, effects)
	}
	return r
}

// choose takes the first move that is wanted.
func (r *retaker) choose(wanted func(m move, before, after *world, breaches []guarantee.Breach, effects []lifecycle.Effect, taken bool) bool) bool {
	r.moves, _ = r.successors.moves(r.world, r.moves[:0])
	r.world.watch.BeforeAny()
	for k := range r.moves {
		m := &r.moves[k]
		r.scratch.copyFrom(r.world)
		taken, breaches, effects := r.scratch.take(m)
		if wanted(*m, r.world, r.scratch, breaches, effects, taken) {
			r.apply(*m)
			for _, e := range m.also {
				r.apply(move{event: e})
			}
			return true
		}
	}
	return false
}

// end takes the last move. Where the move does not do what it is wanted for, end first sets the marks
// that the state stands for: the fields are left, and a blocked submit shows what is wrong.
func (r *retaker) end(why purpose) bool {
	last := func(m move, before, after *world, breaches []guarantee.Breach, effects []lifecycle.Effect, _ bool) bool {
		return why.last(m, before, after, breaches, effects)
	}
	if r.choose(last) {
		return true
	}
	for _, f := range r.successors.fields {
		if state, there := r.world.session.Field(f.path); there && !state.Touched() {
			r.apply(move{event: lifecycle.Blur(f.path)})
		}
	}
	if r.choose(last) {
		return true
	}
	begun := r.world.attempts
	r.apply(move{event: lifecycle.Submit("")})
	return r.world.attempts == begun && r.choose(last)
}

func (r *retaker) apply(m move) {
	var previous *move
	if n := len(r.steps); n > 0 {
		previous = &r.steps[n-1]
	}
	event := r.schedule.step(m.event, previous, r.world.watch.Armed())
	r.world.watch.Before(m.event)
	_, _, effects := r.world.apply(m.event)
	r.note(event, effects)
	r.steps = append(r.steps, m)
}

// note remembers when timers were armed and requests sent.
func (r *retaker) note(event int, effects []lifecycle.Effect) {
	t := r.schedule
	for k := range effects {
		e := &effects[k]
		sent := request{}
		switch e.Kind {
		case lifecycle.EffectArm:
			t.armed[e.Timer] = event
			continue
		case lifecycle.EffectLoad:
			sent.id = e.Request
		case lifecycle.EffectCheck:
			sent.id = e.Request
			r.paths[e.Request] = r.successors.form.Path(e.Place)
		case lifecycle.EffectSend:
			sent.attempt, sent.try = e.Attempt, e.Try
		default:
			continue
		}
		t.asked[sent] = event
		r.answers = append(r.answers, sent)
	}
}

// schedule is a system of difference constraints between the times of events:
// t[to] - t[from] ≤ bound. Event 0 is the opening.
type schedule struct {
	count  int
	bounds []bound
	armed  map[lifecycle.TimerID]int // the event that armed it
	asked  map[request]int           // the event that sent the request
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
	return &schedule{count: 1, armed: map[lifecycle.TimerID]int{}, asked: map[request]int{}}
}

// step adds an event: after the one before it, at its timer's very time, and
// before any other timer that is armed has run out. At one time answers come
// first, then timers, then the applicant.
func (t *schedule) step(e lifecycle.Event, previous *move, armed []guarantee.ArmedTimer) (event int) {
	event = t.count
	t.count++
	apart := -time.Millisecond
	if e.Kind == lifecycle.EventElapsed && previous != nil && !isAction(previous.event) {
		apart = 0
	}
	t.bounds = append(t.bounds, bound{event, event - 1, apart})
	for _, timer := range armed {
		from := t.armed[timer.ID]
		if e.Kind == lifecycle.EventElapsed && e.Timer == timer.ID {
			t.bounds = append(t.bounds, bound{from, event, timer.After}, bound{event, from, -timer.After})
			continue
		}
		t.bounds = append(t.bounds, bound{from, event, timer.After - time.Millisecond})
	}
	return event
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

// scenario writes the file: what it is for as a comment, the answers in the order
// of their requests, the timeline. It reports false where a file cannot say it:
// a request that is answered twice with different answers.
func (r *retaker) scenario(why purpose, times []time.Duration) ([]byte, bool) {
	given := map[request][]int{} // the events that answer it
	for k, m := range r.steps {
		if answered, isAnswer := requestOf(m.event); isAnswer {
			given[answered] = append(given[answered], k+1)
		}
	}
	answers := map[string][]string{}
	for _, asked := range r.answers {
		line, events := "{never: true}", given[asked]
		switch len(events) {
		case 0:
		case 1, 2:
			m := r.steps[events[0]-1]
			again := time.Duration(0)
			if len(events) == 2 {
				again = times[events[1]] - times[events[0]]
				if r.steps[events[1]-1].response != m.response {
					return nil, false
				}
			}
			line = answerText(m.response, times[events[0]]-times[r.schedule.asked[asked]], again)
		default:
			return nil, false
		}
		key := "prefill"
		if asked.attempt > 0 {
			key = "submit"
		} else if path, isCheck := r.paths[asked.id]; isCheck {
			key = "check " + path
		}
		answers[key] = append(answers[key], line)
	}
	var text strings.Builder
	fmt.Fprintf(&text, "# %s\nscenario: %s\nform: %s\n", why.comment, quote(why.title), quote(r.successors.form.Name+".form.yaml"))
	text.WriteString(r.earlier.text)
	writeBackend(&text, answers)
	text.WriteString("timeline:\n")
	for k, m := range r.steps {
		if action := r.actionText(m); action != "" {
			fmt.Fprintf(&text, "  - {at: %s, %s}\n", times[k+1], action)
		}
	}
	end := times[len(times)-1] + time.Millisecond
	expect := fmt.Sprintf("ignored: %d", r.world.session.Ignored())
	if now := r.world.session.Standing(); why.expects {
		expect = fmt.Sprintf("prefill: %s, submission: %s, leave: %s", now.Prefill, now.Submission, now.Leave)
	}
	fmt.Fprintf(&text, "  - {at: %s, expect: {%s}}\n", end, expect)
	return []byte(text.String()), true
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

func answerText(r *replies.Response, after, again time.Duration) string {
	text := fmt.Sprintf("{after: %s", after)
	if again > 0 {
		text += fmt.Sprintf(", again: %s", again)
	}
	if r.Broken {
		return text + ", broken: true}"
	}
	text += fmt.Sprintf(", status: %d", r.Status)
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
