package lifecycle

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"pgregory.net/rapid"
)

// randomForm draws a form: any fields, rules and conditions, and any policies.
func randomForm(t *rapid.T) *Form {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	d := Declaration{
		Name:    "permit",
		Buttons: []string{"apply", "save"},
		Submit: SubmitPolicy{
			Method: rapid.SampledFrom([]string{"POST", "PUT", "PATCH"}).Draw(t, "method"), Timeout: 10 * time.Second,
			Edit: flip("edit while sending"), ResendTimes: rapid.IntRange(0, 2).Draw(t, "resend"),
			ResendWait: time.Second, ResendLongest: time.Minute, HoldUnchanged: flip("hold unchanged"),
		},
		Show:     ShowPolicy(rapid.IntRange(0, 2).Draw(t, "show")),
		Accepted: AcceptedPolicy{Then: Then(rapid.IntRange(0, 3).Draw(t, "then")), To: "/permits"},
		Leave:    LeavePolicy{When: LeaveWhen(rapid.IntRange(0, 2).Draw(t, "leave")), AllowInFlight: flip("allow in flight")},
	}
	if flip("prefill") {
		d.Prefill = PrefillPolicy{URL: "/registry", Needed: flip("needed"), Timeout: 5 * time.Second, Lock: flip("lock"), Ask: flip("ask")}
	}
	if flip("lasts") {
		d.Accepted.Lasts = 5 * time.Second
	}
	for k := range rapid.IntRange(1, 5).Draw(t, "fields") {
		randomField(t, &d, "f"+strconv.Itoa(k), 0)
	}
	if flip("rows") {
		head := Field{Path: "crew", Kind: KindRows, Constraints: []Constraint{{Op: OpMaxItems, Value: Number(2, 0)}}}
		if flip("rows asked sometimes") {
			head.Asked = randomCondition(t, &d, 0)
		}
		d.Fields = append(d.Fields, head)
		first := len(d.Fields)
		for k := range rapid.IntRange(1, 3).Draw(t, "members") {
			randomField(t, &d, "crew/*/m"+strconv.Itoa(k), first)
		}
		if flip("default row") {
			d.Defaults = append(d.Defaults, Answer{Place: Place{FieldID(first - 1), -1}, Value: Number(1, 0)})
		}
	}
	form, err := NewForm(d)
	if err != nil {
		t.Fatal(err)
	}
	return form
}

// randomField appends a field that may look at those from first on.
func randomField(t *rapid.T, d *Declaration, path string, first int) {
	kinds := []FieldKind{KindText, KindText, KindNumber, KindInteger, KindBoolean, KindBoolean, KindDate, KindChoice, KindChoices, KindFile}
	f := Field{Path: path, Kind: rapid.SampledFrom(kinds).Draw(t, "kind")}
	add := func(c Constraint) { f.Constraints = append(f.Constraints, c) }
	for rapid.IntRange(0, 2).Draw(t, "rule") == 0 {
		switch f.Kind {
		case KindText:
			add(Constraint{Op: OpMaxLength, Value: Number(6, 0)})
		case KindNumber, KindInteger:
			add(rapid.SampledFrom([]Constraint{{Op: OpMinimum, Value: Number(1, 0)}, {Op: OpMultipleOf, Value: Number(1, -1)}}).Draw(t, "bound"))
		case KindBoolean:
			add(Constraint{Op: OpTicked})
		default:
			add(Constraint{Op: OpRequired, When: randomCondition(t, d, first)})
		}
	}
	if f.Kind == KindChoice || f.Kind == KindChoices {
		f.Options = []Option{{Value: Text("water")}, {Value: Text("fuel")}}
		add(Constraint{Op: OpEnum})
	}
	if rapid.IntRange(0, 3).Draw(t, "required") == 0 && f.Kind != KindBoolean {
		add(Constraint{Op: OpRequired})
	}
	for other := first; other < len(d.Fields); other++ {
		if d.Fields[other].Kind == f.Kind && f.Kind == KindDate {
			add(Constraint{Op: OpGreaterThan, Other: FieldID(other)})
		}
	}
	if rapid.IntRange(0, 3).Draw(t, "asked sometimes") == 0 {
		f.Asked = randomCondition(t, d, first)
	}
	if f.Kind != KindBoolean && rapid.IntRange(0, 3).Draw(t, "checked") == 0 {
		f.Check = CheckPolicy{URL: "/check", Delay: 300 * time.Millisecond, Timeout: 4 * time.Second}
	}
	d.Fields = append(d.Fields, f)
	if rapid.IntRange(0, 3).Draw(t, "default") == 0 && f.Kind == KindText {
		d.Defaults = append(d.Defaults, Answer{Place: Place{FieldID(len(d.Fields) - 1), -1}, Value: Text("Egret")})
	}
}

// randomCondition draws a condition on an earlier field, or none.
func randomCondition(t *rapid.T, d *Declaration, first int) []Condition {
	var usable []FieldID
	for id := first; id < len(d.Fields); id++ {
		if d.Fields[id].Kind != KindRows {
			usable = append(usable, FieldID(id))
		}
	}
	if len(usable) == 0 {
		return nil
	}
	on := rapid.SampledFrom(usable).Draw(t, "depends on")
	l := rapid.SampledFrom([]Literal{
		{Field: on, Present: true}, {Field: on, Present: true, Negate: true}, {Field: on, OrAbsent: true},
		{Field: on, Values: []Value{True(), Text("Egret"), Text("water")}},
	}).Draw(t, "literal")
	return []Condition{{{l}}}
}

var samples = map[FieldKind][]string{
	KindText:    {"", "Egret", "Heron", "Hérons of the marsh"},
	KindNumber:  {"", "9.40", "9.4", "0", "abc", "9.45"},
	KindInteger: {"", "3", "0", "4.5"},
	KindDate:    {"", "2031-05-02", "2031-05-09", "2031"},
	KindBoolean: {"true", ""},
	KindChoice:  {"", "water", "rum"},
	KindChoices: {"", "water", "fuel\nwater", "rum"},
	KindFile:    {"", "papers.pdf"},
}

// world is a backend and a clock that hold what a session waits for, and give
// it back in any order.
type world struct {
	session *Session
	watch   *Watch
	loads   []RequestID
	checks  []RequestID
	tries   []Effect
	timers  []TimerID
	log     []string
}

func newWorld(form *Form) *world {
	s, effects := Open(form, Seed{7})
	w := &world{session: s, watch: NewWatch(s, effects)}
	w.keep(effects)
	return w
}

func (w *world) keep(effects []Effect) {
	for _, e := range effects {
		switch e.Kind {
		case EffectLoad:
			w.loads = append(w.loads, e.Request)
		case EffectCheck:
			w.checks = append(w.checks, e.Request)
		case EffectSend:
			e.Values = append([]Answer(nil), e.Values...)
			w.tries = append(w.tries, e)
		case EffectArm:
			w.timers = append(w.timers, e.Timer)
		}
	}
}

// apply takes one event and returns the guarantees that it broke.
func (w *world) apply(e Event) []Breach {
	line := fmt.Sprintf("%s %s %q", e.Kind, e.Path, e.Raw)
	if e.Reply != nil {
		line = fmt.Sprintf("replied to try %d.%d: %s %v", e.Attempt, e.Try, e.Reply.Kind, e.Reply.Values)
	}
	w.log = append(w.log, line)
	w.watch.Before(e)
	effects, err := w.session.Apply(e)
	breaches := w.watch.After(e, effects, err)
	w.keep(effects)
	return breaches
}

// event draws something that may happen now, current or not.
func (w *world) event(t *rapid.T) Event {
	form := w.session.form
	fieldPath := func() (string, FieldKind) {
		f := form.Fields[rapid.IntRange(0, len(form.Fields)-1).Draw(t, "field")]
		row := rapid.SampledFrom([]string{"0", "0", "1", "2"}).Draw(t, "row")
		return strings.Replace(f.Path, "*", row, 1), f.Kind
	}
	switch kind := rapid.IntRange(0, 29).Draw(t, "event"); {
	case kind < 9:
		path, of := fieldPath()
		if of == KindRows {
			return rapid.SampledFrom([]Event{
				AddRow(path), AddRow(path), RemoveRow(path + "/0"), RemoveRow(path + "/1"), MoveRow(path+"/0", path+"/1"),
			}).Draw(t, "rows")
		}
		return Edit(path, rapid.SampledFrom(samples[of]).Draw(t, "raw"))
	case kind < 10:
		path, _ := fieldPath()
		return Blur(path)
	case kind < 14:
		return Submit(rapid.SampledFrom([]string{"apply", "save"}).Draw(t, "button"))
	case kind < 16:
		return rapid.SampledFrom([]Event{Cancel(), Retry(), Retry(), Reset(), Refresh(), Returned()}).Draw(t, "button event")
	case kind < 17:
		path, _ := fieldPath()
		return Resolve(path, rapid.SampledFrom([]Choice{ChooseMine, ChooseTheirs}).Draw(t, "choice"))
	case kind < 19:
		return rapid.SampledFrom([]Event{
			LeaveAsked("/tides", LeaveInside), LeaveAsked("", LeaveUnload),
			LeaveAnswered(AnswerStay), LeaveAnswered(AnswerDiscard), LeaveAnswered(AnswerSubmit), LeaveAnswered(AnswerSubmit),
		}).Draw(t, "leaving")
	case kind < 21 && len(w.loads) > 0:
		request := rapid.SampledFrom(w.loads).Draw(t, "load")
		if rapid.IntRange(0, 3).Draw(t, "fails") == 0 {
			return LoadFailed(request, "status 500")
		}
		return Loaded(request, w.body(t), rapid.SampledFrom([]string{"", "1", "2"}).Draw(t, "version"))
	case kind < 23 && len(w.checks) > 0:
		request := rapid.SampledFrom(w.checks).Draw(t, "check")
		return rapid.SampledFrom([]Event{
			Checked(request, nil), CheckFailed(request), Checked(request, []Entry{{Text: "The berth is taken."}}),
			Checked(request, []Entry{{Path: "f0", Text: "Closed that day."}}),
		}).Draw(t, "checked")
	case kind < 26 && len(w.timers) > 0:
		return Elapsed(rapid.SampledFrom(w.timers[max(0, len(w.timers)-4):]).Draw(t, "timer"))
	case len(w.tries) > 0:
		try := rapid.SampledFrom(w.tries[max(0, len(w.tries)-3):]).Draw(t, "try")
		return Replied(try.Attempt, try.Try, w.reply(t))
	default:
		return Blur("f0")
	}
}

// kept draws what an earlier page kept.
func (w *world) kept(t *rapid.T) *Restored {
	form := w.session.form
	r := &Restored{}
	for id, f := range form.Fields {
		if f.Kind == KindRows || !rapid.Bool().Draw(t, "kept value") {
			continue
		}
		place := Place{FieldID(id), -1}
		if _, inRows := form.Group(place.Field); inRows {
			place.Row = 0
		}
		raw := func(name string) string { return rapid.SampledFrom(samples[f.Kind]).Draw(t, name) }
		r.Values = append(r.Values, Kept{form.Path(place), raw("raw"), form.Parse(place.Field, raw("over"))})
	}
	if rapid.Bool().Draw(t, "kept attempt") {
		r.Attempt = &KeptAttempt{Key: Key{9}, Button: "save", Version: "1", Values: w.body(t)}
	}
	return r
}

func (w *world) body(t *rapid.T) []Answer {
	form := w.session.form
	var answers []Answer
	for id, f := range form.Fields {
		if _, inRows := form.Group(FieldID(id)); inRows || !rapid.Bool().Draw(t, "mentioned") {
			continue
		}
		if f.Kind == KindRows {
			count := rapid.IntRange(0, 2).Draw(t, "rows")
			answers = append(answers, Answer{Place: Place{FieldID(id), -1}, Value: Number(int64(count), 0)})
			for row := range count {
				member := form.Members(FieldID(id))[0]
				raw := rapid.SampledFrom(samples[form.Fields[member].Kind]).Draw(t, "value")
				answers = append(answers, Answer{Place: Place{member, int32(row)}, Value: form.Parse(member, raw)})
			}
			continue
		}
		raw := rapid.SampledFrom(samples[f.Kind]).Draw(t, "value")
		answers = append(answers, Answer{Place: Place{FieldID(id), -1}, Value: form.Parse(FieldID(id), raw)})
	}
	return answers
}

func (w *world) reply(t *rapid.T) *Reply {
	r := &Reply{Kind: ReplyKind(rapid.IntRange(0, 6).Draw(t, "reply")), RetryAfter: -1}
	switch r.Kind {
	case ReplyAccepted:
		r.Values = w.body(t)
		r.Version = "9"
	case ReplyRefused, ReplyOutdated:
		r.Entries = rapid.SampledFrom([][]Entry{
			nil, {{Path: "f0", Text: "Taken."}}, {{Path: "crew/1/m0", Text: "Unknown."}, {Text: "Closed."}, {Path: "f1", Text: "No power."}, {Path: "ghost", Text: "Who?"}},
		}).Draw(t, "entries")
	case ReplyUnavailable:
		r.RetryAfter = rapid.SampledFrom([]time.Duration{-1, 0, time.Second, time.Hour}).Draw(t, "after")
	}
	return r
}

func TestAnyOrderOfEventsKeepsEveryGuarantee(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := newWorld(randomForm(t))
		if rapid.IntRange(0, 3).Draw(t, "kept") == 0 {
			for _, breach := range w.apply(Restore(w.kept(t))) {
				t.Fatal(breach)
			}
		}
		copied := &Session{}
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			e := w.event(t)
			for _, breach := range w.apply(e) {
				t.Fatalf("%v\n%s", breach, strings.Join(w.log, "\n"))
			}
			if problem := recount(w.session); problem != "" {
				t.Fatalf("%s\n%s", problem, strings.Join(w.log, "\n"))
			}
		}
		copied.CopyFrom(w.session)
		if string(copied.AppendExact(nil)) != string(w.session.AppendExact(nil)) {
			t.Fatal("a copy is another state")
		}
		e := w.event(t)
		a, errA := w.session.Apply(e)
		b, errB := copied.Apply(e)
		if fmt.Sprint(a, errA) != fmt.Sprint(b, errB) || string(copied.AppendExact(nil)) != string(w.session.AppendExact(nil)) {
			t.Fatalf("a copy goes another way at %v", e)
		}
	})
}

// recount compares the kept counts and bits with what a look at every cell
// gives.
func recount(s *Session) string {
	var fresh tally
	for i := range s.cells {
		set := s.cells[i].classes()
		for k := range classCount {
			if set&(1<<k) != 0 {
				fresh[k]++
			}
		}
	}
	if fresh != s.tally {
		return fmt.Sprintf("counts %v, recounted %v", s.tally, fresh)
	}
	for i := range s.inOrder() {
		c := s.cells[i]
		if asked := s.isAsked(i, sideNow); asked != s.has(i, bitAsked) {
			return fmt.Sprintf("cell %d: asked is out of date", i)
		}
		if base := s.isAsked(i, sideBase); base != s.has(i, bitBaseAsked) && s.inBaseline(i) {
			return fmt.Sprintf("cell %d: asked in the baseline is out of date", i)
		}
		s.recompute(i)
		if s.cells[i].bits&^bitChanged != c.bits&^bitChanged || s.cells[i].rules != c.rules {
			return fmt.Sprintf("cell %d (%s): bits %b rules %b, recomputed %b %b", i, s.form.Fields[c.field].Path, c.bits, c.rules, s.cells[i].bits, s.cells[i].rules)
		}
	}
	return ""
}
