package lifecycle

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"pgregory.net/rapid"
)

// randomForm draws a form that uses every kind of field, constraint and policy.
func randomForm(t *rapid.T) *Form {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	number := func(n int64) Value { return Number(n, 0) }
	d := Declaration{
		Name: "permit",
		Fields: []Field{
			{Path: "vessel/name", Kind: KindText, Constraints: []Constraint{{Op: OpRequired}, {Op: OpMaxLength, Value: number(5)}}},
			{Path: "vessel/length", Kind: KindNumber, Constraints: []Constraint{{Op: OpMinimum, Value: number(1)}, {Op: OpMultipleOf, Value: Number(1, -1)}}},
			{Path: "arrival", Kind: KindDate},
			{Path: "departure", Kind: KindDate, Constraints: []Constraint{{Op: OpGreaterThan, Other: 2}}},
			{Path: "power", Kind: KindBoolean},
			{
				Path: "amperage", Kind: KindChoice, Of: KindInteger, Options: []Option{{Value: number(6)}, {Value: number(16)}},
				Constraints: []Constraint{{Op: OpEnum}, {Op: OpRequired, When: []Condition{{{{Field: 4, Values: []Value{True()}}}}}}},
			},
			{Path: "berth", Kind: KindText},
			{Path: "crew", Kind: KindRows, Constraints: []Constraint{{Op: OpMaxItems, Value: number(2)}}},
			{Path: "crew/*/name", Kind: KindText, Constraints: []Constraint{{Op: OpRequired}}},
			{Path: "crew/*/pilot", Kind: KindBoolean},
			{Path: "crew/*/licence", Kind: KindText, Asked: []Condition{{{{Field: 9, Values: []Value{True()}}}}}},
			{Path: "extras", Kind: KindChoices, Of: KindText, Options: []Option{{Value: Text("water")}, {Value: Text("fuel")}}, Constraints: []Constraint{{Op: OpEnum}}},
		},
		Buttons: []string{"apply", "save"},
		Submit:  SubmitPolicy{Method: rapid.SampledFrom([]string{"POST", "PUT", "PATCH"}).Draw(t, "method"), Timeout: 10 * time.Second, ResendWait: time.Second, ResendLongest: time.Minute},
		Show:    ShowPolicy(rapid.IntRange(0, 2).Draw(t, "show")),
	}
	if flip("asked") {
		d.Fields[5].Asked = []Condition{{{{Field: 4, Values: []Value{True()}}}}}
	}
	if flip("rows asked") {
		d.Fields[7].Asked = []Condition{{{{Field: 4, OrAbsent: true}}}}
	}
	if flip("check") {
		d.Fields[6].Check = CheckPolicy{URL: "/berths", Delay: 300 * time.Millisecond, Timeout: 4 * time.Second}
	}
	if flip("prefill") {
		d.Prefill = PrefillPolicy{URL: "/registry", Needed: flip("needed"), Timeout: 5 * time.Second, Lock: flip("lock"), Ask: flip("ask")}
	}
	if flip("defaults") {
		d.Defaults = []Answer{
			{Place: Place{0, -1}, Value: Text("Egret")}, {Place: Place{7, -1}, Value: number(1)}, {Place: Place{8, 0}, Value: Text("Ada")},
		}
	}
	d.Submit.Edit = flip("edit while sending")
	d.Submit.ResendTimes = rapid.IntRange(0, 2).Draw(t, "resend")
	d.Submit.HoldUnchanged = flip("hold unchanged")
	d.Accepted = AcceptedPolicy{Then: Then(rapid.IntRange(0, 3).Draw(t, "then")), To: "/permits"}
	if flip("lasts") {
		d.Accepted.Lasts = 5 * time.Second
	}
	d.Leave = LeavePolicy{When: LeaveWhen(rapid.IntRange(0, 2).Draw(t, "leave")), AllowInFlight: flip("allow in flight")}
	form, err := NewForm(d)
	if err != nil {
		t.Fatal(err)
	}
	return form
}

var samples = map[FieldKind][]string{
	KindText:    {"", "Egret", "Heron", "Hérons of the marsh"},
	KindNumber:  {"", "9.40", "9.4", "0", "abc", "9.45"},
	KindDate:    {"", "2031-05-02", "2031-05-09", "2031"},
	KindBoolean: {"true", ""},
	KindChoice:  {"", "6", "16", "7"},
	KindChoices: {"", "water", "fuel\nwater", "rum"},
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
			Checked(request, []Entry{{Path: "arrival", Text: "Closed that day."}}),
		}).Draw(t, "checked")
	case kind < 26 && len(w.timers) > 0:
		return Elapsed(rapid.SampledFrom(w.timers[max(0, len(w.timers)-4):]).Draw(t, "timer"))
	case len(w.tries) > 0:
		try := rapid.SampledFrom(w.tries[max(0, len(w.tries)-3):]).Draw(t, "try")
		return Replied(try.Attempt, try.Try, w.reply(t))
	default:
		return Blur("berth")
	}
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
				answers = append(answers, Answer{Place: Place{FieldID(id) + 1, int32(row)}, Value: Text(rapid.SampledFrom([]string{"Ada", "Ben"}).Draw(t, "name"))})
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
			nil, {{Path: "vessel/name", Text: "Taken."}}, {{Path: "crew/1/name", Text: "Unknown."}, {Text: "Closed."}, {Path: "amperage", Text: "No power."}},
		}).Draw(t, "entries")
	case ReplyUnavailable:
		r.RetryAfter = rapid.SampledFrom([]time.Duration{-1, 0, time.Second, time.Hour}).Draw(t, "after")
	}
	return r
}

func TestAnyOrderOfEventsKeepsEveryGuarantee(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := newWorld(randomForm(t))
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
