// Package walk draws random forms, and random sessions on them: what an
// applicant, a backend and a clock can do, in any order.
package walk

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// Form draws a form: any fields, rules and conditions, and any policies.
func Form(t *rapid.T) *form.Form {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	d := form.Declaration{
		Name:    "permit",
		Buttons: []string{"apply", "save"},
		Submit: form.SubmitPolicy{
			Method: rapid.SampledFrom([]string{"POST", "PUT", "PATCH"}).Draw(t, "method"), Timeout: 10 * time.Second,
			Edit: flip("edit while sending"), ResendTimes: rapid.IntRange(0, 2).Draw(t, "resend"),
			ResendWait: time.Second, ResendLongest: time.Minute, HoldUnchanged: flip("hold unchanged"),
		},
		Show:     form.ShowPolicy(rapid.IntRange(0, 2).Draw(t, "show")),
		Accepted: form.AcceptedPolicy{Then: form.Then(rapid.IntRange(0, 3).Draw(t, "then")), To: "/permits"},
		Leave:    form.LeavePolicy{When: form.LeaveWhen(rapid.IntRange(0, 2).Draw(t, "leave")), AllowInFlight: flip("allow in flight")},
	}
	if flip("prefill") {
		d.Prefill = form.PrefillPolicy{URL: "/registry", Needed: flip("needed"), Timeout: 5 * time.Second, Lock: flip("lock"), Ask: flip("ask")}
	}
	if flip("lasts") {
		d.Accepted.Lasts = 5 * time.Second
	}
	for k := range rapid.IntRange(1, 5).Draw(t, "fields") {
		randomField(t, &d, "f"+strconv.Itoa(k), 0)
	}
	for _, group := range []string{"crew", "boats"}[:rapid.SampledFrom([]int{0, 1, 1, 2}).Draw(t, "groups")] {
		randomGroup(t, &d, group)
	}
	if flip("a field after the rows") { // that may depend on them
		randomField(t, &d, "last", 0)
	}
	form, err := form.New(d)
	if err != nil {
		t.Fatal(err)
	}
	return form
}

// randomGroup appends a group and its members.
func randomGroup(t *rapid.T, d *form.Declaration, name string) {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	head := form.Field{Path: name, Kind: form.KindRows}
	add := func(op form.ConstraintOp, rows int64) {
		head.Constraints = append(head.Constraints, form.Constraint{Op: op, Value: form.Number(rows, 0)})
	}
	if flip("rows required") {
		head.Constraints = append(head.Constraints, form.Constraint{Op: form.OpRequired})
	}
	if flip("fewest rows") {
		add(form.OpMinItems, rapid.Int64Range(1, 2).Draw(t, "fewest"))
	}
	add(form.OpMaxItems, rapid.SampledFrom([]int64{2, 2, 2, 9, 10, 11, 20, 100}).Draw(t, "most rows"))
	if flip("rows asked sometimes") {
		head.Asked = randomCondition(t, d, 0)
	}
	d.Fields = append(d.Fields, head)
	first := len(d.Fields)
	if rapid.IntRange(0, 2).Draw(t, "a list") == 0 {
		randomField(t, d, name+"/*", first)
		item := &d.Fields[first]
		item.Constraints = slices.DeleteFunc(item.Constraints, func(c form.Constraint) bool { return c.Op == form.OpRequired }) // a blank item is none
		if flip("each once") {
			add(form.OpUniqueItems, 0)
			d.Fields[first-1] = head
		}
	} else {
		for k := range rapid.IntRange(1, 3).Draw(t, "members") {
			path := name + "/*/m" + strconv.Itoa(k)
			if rapid.IntRange(0, 3).Draw(t, "in an object") == 0 {
				path = name + "/*/of/m" + strconv.Itoa(k)
			}
			randomField(t, d, path, first)
		}
	}
	if flip("default row") { // beside what a member of any row begins with
		d.Defaults = append(d.Defaults, form.Answer{Place: form.Place{Field: form.FieldID(first - 1), Row: -1}, Value: form.Number(1, 0)})
	}
}

// randomField appends a field that may look at those from first on.
func randomField(t *rapid.T, d *form.Declaration, path string, first int) {
	kinds := []form.FieldKind{form.KindText, form.KindText, form.KindNumber, form.KindInteger, form.KindBoolean, form.KindBoolean, form.KindDate, form.KindChoice, form.KindChoices, form.KindFile}
	f := form.Field{Path: path, Kind: rapid.SampledFrom(kinds).Draw(t, "kind")}
	add := func(c form.Constraint) { f.Constraints = append(f.Constraints, c) }
	for rapid.IntRange(0, 2).Draw(t, "rule") == 0 {
		add(randomRule(t, d, f.Kind, first))
	}
	if f.Kind == form.KindChoice || f.Kind == form.KindChoices {
		f.Options = []form.Option{{Value: form.Text("water")}, {Value: form.Text("fuel")}}
		add(form.Constraint{Op: form.OpEnum})
	}
	if rapid.IntRange(0, 3).Draw(t, "required") == 0 && f.Kind != form.KindBoolean {
		add(form.Constraint{Op: form.OpRequired})
	}
	f.Private = rapid.IntRange(0, 5).Draw(t, "private") == 0
	for other := first; other < len(d.Fields); other++ {
		if d.Fields[other].Kind != f.Kind || inRows(d, other) && first == 0 || rapid.Bool().Draw(t, "not compared") {
			continue
		}
		ops := []form.ConstraintOp{form.OpGreaterThan, form.OpAtLeast, form.OpLessThan, form.OpAtMost, form.OpEqualTo}
		if f.Kind != form.KindDate && f.Kind != form.KindNumber && f.Kind != form.KindInteger || f.Private {
			ops = ops[len(ops)-1:] // private values, and those without an order, can only be equal
		}
		if f.Private == d.Fields[other].Private {
			add(form.Constraint{Op: rapid.SampledFrom(ops).Draw(t, "compares"), Other: form.FieldID(other)})
		}
	}
	if rapid.IntRange(0, 3).Draw(t, "asked sometimes") == 0 {
		f.Asked = randomCondition(t, d, first)
	}
	if f.Kind != form.KindBoolean && rapid.IntRange(0, 3).Draw(t, "checked") == 0 {
		f.Check = form.CheckPolicy{URL: "/check", Delay: 300 * time.Millisecond, Timeout: 4 * time.Second}
	}
	d.Fields = append(d.Fields, f)
	if rapid.IntRange(0, 3).Draw(t, "default") == 0 && f.Kind == form.KindText && !f.Private {
		d.Defaults = append(d.Defaults, form.Answer{Place: form.Place{Field: form.FieldID(len(d.Fields) - 1), Row: -1}, Value: form.Text("Egret")})
	}
}

// inRows reports whether a field stands in rows: only others there may look at it.
func inRows(d *form.Declaration, id int) bool {
	return strings.Contains(d.Fields[id].Path, "*")
}

// randomRule draws a rule that a kind of field can have.
func randomRule(t *rapid.T, d *form.Declaration, kind form.FieldKind, first int) form.Constraint {
	number := func(op form.ConstraintOp, coefficient int64, exponent int32) form.Constraint {
		return form.Constraint{Op: op, Value: form.Number(coefficient, exponent), Say: form.Wording{Other: rapid.SampledFrom([]string{"", "", "{label} is not right."}).Draw(t, "say")}}
	}
	rules := []form.Constraint{{Op: form.OpRequired, When: randomCondition(t, d, first)}}
	switch kind {
	case form.KindText:
		rules = append(rules, number(form.OpMaxLength, 6, 0), number(form.OpMinLength, 6, 0), number(form.OpMaxLength, 10, 0), number(form.OpMinLength, 10, 0), form.Constraint{Op: form.OpPattern, Text: "^[A-Z]"},
			form.Constraint{Op: form.OpEqual, Value: form.Text("Egret")}, form.Constraint{Op: form.OpFormat, Text: "email"})
	case form.KindNumber, form.KindInteger:
		rules = append(rules, number(form.OpMinimum, 3, 0), number(form.OpMaximum, 3, 0), number(form.OpExclusiveMinimum, 94, -1),
			number(form.OpExclusiveMaximum, 94, -1), number(form.OpMultipleOf, 1, -1), number(form.OpEqual, 3, 0))
	case form.KindBoolean:
		rules = append(rules, form.Constraint{Op: form.OpTicked})
	case form.KindChoices:
		rules = append(rules, number(form.OpMinItems, 2, 0), number(form.OpMaxItems, 1, 0))
	}
	return rapid.SampledFrom(rules).Draw(t, "kind of rule")
}

// randomCondition draws a condition on an earlier field, or none.
func randomCondition(t *rapid.T, d *form.Declaration, first int) []form.Condition {
	var usable []form.FieldID
	for id := first; id < len(d.Fields); id++ {
		if !d.Fields[id].Private && (first > 0 || !inRows(d, int(id))) {
			usable = append(usable, form.FieldID(id))
		}
	}
	if len(usable) == 0 {
		return nil
	}
	on := rapid.SampledFrom(usable).Draw(t, "depends on")
	l := rapid.SampledFrom([]form.Literal{
		{Field: on, Present: true},
		{Field: on, Present: true, Negate: true},
		{Field: on, OrAbsent: true},
		{Field: on, Values: []form.Value{form.True(), form.Text("Egret"), form.Text("water")}},
	}).Draw(t, "literal")
	return []form.Condition{{{l}}}
}

var samples = map[form.FieldKind][]string{
	form.KindText:    {"", "Egret", "Heron", "Hérons of the marsh"},
	form.KindNumber:  {"", "9.40", "9.4", "0", "abc", "9.45", "10", "200"},
	form.KindInteger: {"", "3", "0", "4.5", "10", "20"},
	form.KindDate:    {"", "2031-05-02", "2031-05-09", "2031"},
	form.KindBoolean: {"true", ""},
	form.KindChoice:  {"", "water", "rum"},
	form.KindChoices: {"", "water", "fuel\nwater", "rum"},
	form.KindFile:    {"", "papers.pdf"},
}

// World is a backend and a clock that hold what a session waits for, and give
// it back in any order.
type World struct {
	Session *lifecycle.Session
	watch   *guarantee.Watch
	loads   []lifecycle.RequestID
	checks  []lifecycle.RequestID
	tries   []lifecycle.Effect
	timers  []lifecycle.TimerID
	Log     []string
	// Opening are the effects of the opening, Breaches those of the newest step.
	Opening  []lifecycle.Effect
	Breaches []guarantee.Breach
}

// New opens a session of a form.
func New(form *form.Form) *World {
	s, effects := lifecycle.Open(form, lifecycle.Seed{7})
	w := &World{Session: s, watch: guarantee.NewWatch(s, effects), Opening: append([]lifecycle.Effect(nil), effects...)}
	w.keep(effects)
	return w
}

func (w *World) keep(effects []lifecycle.Effect) {
	for _, e := range effects {
		switch e.Kind {
		case lifecycle.EffectLoad:
			w.loads = append(w.loads, e.Request)
		case lifecycle.EffectCheck:
			w.checks = append(w.checks, e.Request)
		case lifecycle.EffectSend:
			e.Values = append([]form.Answer(nil), e.Values...)
			w.tries = append(w.tries, e)
		case lifecycle.EffectArm:
			w.timers = append(w.timers, e.Timer)
		}
	}
}

// Step gives the session one event; Breaches are the guarantees that it broke.
func (w *World) Step(e lifecycle.Event) lifecycle.Step {
	line := fmt.Sprintf("%s %s %q", e.Kind, e.Path, e.Raw)
	if e.Reply != nil {
		line = fmt.Sprintf("replied to try %d.%d: %s %v", e.Attempt, e.Try, e.Reply.Kind, e.Reply.Values)
	}
	w.Log = append(w.Log, line)
	step := lifecycle.Drive(w.Session, e, w.watch)
	w.Breaches = w.watch.Breaches()
	w.keep(step.Effects)
	return step
}

// path draws the path of a field, in any row.
func (w *World) path(t *rapid.T) string {
	f := rapid.SampledFrom(w.Session.Form().Fields).Draw(t, "field")
	return strings.Replace(f.Path, "*", rapid.SampledFrom([]string{"0", "0", "1", "2"}).Draw(t, "row"), 1)
}

// Event draws something that may happen now, current or not.
func (w *World) Event(t *rapid.T) lifecycle.Event {
	f := w.Session.Form()
	fieldPath := func() (string, form.FieldKind) {
		path := w.path(t)
		place, _ := f.Lookup(path)
		return path, f.Fields[place.Field].Kind
	}
	switch kind := rapid.IntRange(0, 30).Draw(t, "event"); {
	case kind < 9:
		path, of := fieldPath()
		if of == form.KindRows {
			return rapid.SampledFrom([]lifecycle.Event{
				lifecycle.AddRow(path), lifecycle.AddRow(path), lifecycle.RemoveRow(path + "/0"), lifecycle.RemoveRow(path + "/1"), lifecycle.MoveRow(path+"/0", path+"/1"),
			}).Draw(t, "rows")
		}
		return lifecycle.Edit(path, rapid.SampledFrom(samples[of]).Draw(t, "raw"))
	case kind < 10:
		path, _ := fieldPath()
		return lifecycle.Blur(path)
	case kind < 14:
		return lifecycle.Submit(rapid.SampledFrom(f.Buttons).Draw(t, "button"))
	case kind < 16:
		return rapid.SampledFrom([]lifecycle.Event{lifecycle.Cancel(), lifecycle.Retry(), lifecycle.Retry(), lifecycle.Reset(), lifecycle.Refresh(), lifecycle.Returned()}).Draw(t, "button event")
	case kind < 17:
		path, _ := fieldPath()
		return lifecycle.Resolve(path, rapid.SampledFrom([]lifecycle.Choice{lifecycle.ChooseMine, lifecycle.ChooseTheirs}).Draw(t, "choice"))
	case kind < 19:
		return rapid.SampledFrom([]lifecycle.Event{
			lifecycle.LeaveAsked("/tides", lifecycle.LeaveInside), lifecycle.LeaveAsked("", lifecycle.LeaveUnload),
			lifecycle.LeaveDecided(lifecycle.DecisionStay), lifecycle.LeaveDecided(lifecycle.DecisionDiscard), lifecycle.LeaveDecided(lifecycle.DecisionSubmit), lifecycle.LeaveDecided(lifecycle.DecisionSubmit),
		}).Draw(t, "leaving")
	case kind < 21 && len(w.loads) > 0:
		request := rapid.SampledFrom(w.loads).Draw(t, "load")
		if rapid.IntRange(0, 3).Draw(t, "fails") == 0 {
			return lifecycle.LoadFailed(request, "status 500")
		}
		return lifecycle.Loaded(request, w.body(t), rapid.SampledFrom([]string{"", "1", "2"}).Draw(t, "version"))
	case kind < 23 && len(w.checks) > 0:
		request := rapid.SampledFrom(w.checks).Draw(t, "check")
		return rapid.SampledFrom([]lifecycle.Event{
			lifecycle.Checked(request, nil), lifecycle.CheckFailed(request), lifecycle.Checked(request, []lifecycle.Entry{{Text: "The berth is taken."}}),
			lifecycle.Checked(request, []lifecycle.Entry{{Path: w.path(t), Text: "Closed that day."}}),
		}).Draw(t, "checked")
	case kind < 26 && len(w.timers) > 0:
		return lifecycle.Elapsed(rapid.SampledFrom(w.timers[max(0, len(w.timers)-4):]).Draw(t, "timer"))
	case kind == 30:
		after := w.Session.Changes()
		if after > 0 && rapid.IntRange(0, 3).Draw(t, "read before") == 0 {
			after--
		}
		return lifecycle.Supplied(w.body(t), rapid.SampledFrom([]string{"", "1", "2"}).Draw(t, "supplied version"), after)
	case len(w.tries) > 0:
		try := rapid.SampledFrom(w.tries[max(0, len(w.tries)-3):]).Draw(t, "try")
		return lifecycle.Replied(try.Attempt, try.Try, w.reply(t))
	default:
		return lifecycle.Blur(w.path(t))
	}
}

// Draft draws what an earlier page kept.
func (w *World) Draft(t *rapid.T) *lifecycle.Draft {
	declared := w.Session.Form()
	r := &lifecycle.Draft{}
	for id, f := range declared.Declared() {
		if f.Kind == form.KindRows || !rapid.Bool().Draw(t, "kept value") {
			continue
		}
		place := form.Place{Field: form.FieldID(id), Row: -1}
		if _, inRows := declared.Group(place.Field); inRows {
			place.Row = 0
		}
		raw := func(name string) string { return rapid.SampledFrom(samples[f.Kind]).Draw(t, name) }
		r.Values = append(r.Values, lifecycle.DraftAnswer{Path: declared.Path(place), Raw: raw("raw"), Baseline: declared.Parse(place.Field, raw("over"))})
	}
	if rapid.Bool().Draw(t, "kept attempt") {
		r.Attempt = &lifecycle.DraftAttempt{Key: lifecycle.Key{9}, Button: "save", Version: "1", Values: w.body(t)}
	}
	return r
}

func (w *World) body(t *rapid.T) []form.Answer {
	declared := w.Session.Form()
	var answers []form.Answer
	for id, f := range declared.Declared() {
		if _, inRows := declared.Group(form.FieldID(id)); inRows || !rapid.Bool().Draw(t, "mentioned") {
			continue
		}
		if f.Kind == form.KindRows {
			count := rapid.SampledFrom([]int{0, 1, 1, 2, 2, 2, 3, 9, 10, 11, 20}).Draw(t, "rows")
			answers = append(answers, form.Answer{Place: form.Place{Field: form.FieldID(id), Row: -1}, Value: form.Number(int64(count), 0)})
			for row := range count {
				for _, member := range declared.Members(form.FieldID(id)) {
					raw := rapid.SampledFrom(samples[declared.Fields[member].Kind]).Draw(t, "value")
					answers = append(answers, form.Answer{Place: form.Place{Field: member, Row: int32(row)}, Value: declared.Parse(member, raw)})
				}
			}
			continue
		}
		raw := rapid.SampledFrom(samples[f.Kind]).Draw(t, "value")
		answers = append(answers, form.Answer{Place: form.Place{Field: form.FieldID(id), Row: -1}, Value: declared.Parse(form.FieldID(id), raw)})
	}
	return answers
}

func (w *World) reply(t *rapid.T) *lifecycle.Reply {
	r := &lifecycle.Reply{Kind: lifecycle.ReplyKind(rapid.IntRange(0, 6).Draw(t, "reply")), RetryAfter: -1}
	switch r.Kind {
	case lifecycle.ReplyAccepted:
		r.Values = w.body(t)
		r.Version = "9"
	case lifecycle.ReplyRefused, lifecycle.ReplyOutdated:
		for range rapid.IntRange(0, 3).Draw(t, "entries") {
			path := rapid.SampledFrom([]string{"", "ghost", w.path(t), w.path(t)}).Draw(t, "of")
			r.Entries = append(r.Entries, lifecycle.Entry{Path: path, Text: "Not that."})
		}
	case lifecycle.ReplyUnavailable:
		r.RetryAfter = rapid.SampledFrom([]time.Duration{-1, 0, time.Second, time.Hour}).Draw(t, "after")
	}
	return r
}
