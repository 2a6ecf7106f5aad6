package reference

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/internal/wire"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/trace"
)

// Account is one applicant, the pages they open one after the other, and an office.
type Account struct {
	t      *rapid.T
	rules  rules
	office *office
	log    []string
	pages  int

	s      *lifecycle.Session
	watch  *guarantee.Watch
	mirror *walk.Mirror
	timers map[lifecycle.TimerID]lifecycle.TimerKind
	reads  []*request // loads and checks that are out
	posts  []post     // submissions on their way to the office, of earlier pages too
	mail   []lifecycle.Event
	// What the application has read of its own accord, and not supplied yet.
	readings []newerRecord

	list
	work map[string]*work // by key: what was on the screen when it was sent first
	open string           // the key of which the outcome is not known
	last string           // the key that was accepted last
	// What was ever typed in, on any page.
	ever     map[string]bool
	everRows bool
}

// request is a load or check. The office may have answered it already.
type request struct {
	asked  lifecycle.Effect
	field  int // of a check: the checked field's ID
	answer *replies.Response
}

// newerRecord is a record that the application read, and what the session had seen then.
type newerRecord struct {
	changes int
	after   uint32
	answer  replies.Response
}

type post struct {
	page int
	sent lifecycle.Effect
	body []byte
}

// Run plays one session at random. It fails the test where the form has lost or
// falsified something.
func Run(t *rapid.T) {
	a := &Account{t: t, rules: drawForm(t), work: map[string]*work{}, ever: map[string]bool{}}
	a.office = newOffice(t, &a.rules)
	a.list = newList(&a.rules)
	a.openPage(nil)
	for range rapid.IntRange(1, 40).Draw(t, "steps") {
		a.act()
	}
	a.drain()
	a.checkClean()
}

func (a *Account) fail(format string, args ...any) {
	a.t.Helper()
	a.t.Fatalf("%s\n%s", fmt.Sprintf(format, args...), strings.Join(a.log, "\n"))
}

func (a *Account) note(format string, args ...any) {
	a.log = append(a.log, fmt.Sprintf(format, args...))
}

// openPage opens a page with what an earlier one kept.
func (a *Account) openPage(kept *lifecycle.Draft) {
	a.pages++
	s, effects := lifecycle.Open(a.rules.form, lifecycle.Seed{byte(a.pages), byte(a.pages >> 8)})
	a.s, a.watch, a.mirror = s, guarantee.NewWatch(s, effects), walk.NewMirror(s)
	a.timers, a.reads, a.mail, a.readings = map[lifecycle.TimerID]lifecycle.TimerKind{}, nil, nil, nil
	a.changes = 0
	a.note("page %d opens: %s %s", a.pages, a.rules.form.Submit.Method, a.screen())
	a.carryOut(effects)
	if kept != nil {
		a.apply(lifecycle.Restore(kept))
	}
}

// closePage closes the page, and opens another one with what this one kept.
func (a *Account) closePage() {
	kept, more := a.s.Draft()
	a.checkReload(kept)
	a.newPage(kept)
	a.note("the page closes and keeps %v", kept)
	if more {
		a.open = "" // the next page says that it is not known
	}
	if kept != nil { // through the text that a page keeps
		text := string(trace.AppendDraft(nil, a.rules.form, kept))
		var err error
		if kept, _, err = trace.ReadDraft(a.rules.form, text); err != nil {
			a.fail("what was kept cannot be read: %v: %s", err, text)
		}
	}
	a.openPage(kept)
	if again, _ := a.s.Draft(); show(a.rules.form, again) != show(a.rules.form, kept) && !a.privateKept(kept) {
		a.fail("opened from\n%s\nthe page keeps\n%s", show(a.rules.form, kept), show(a.rules.form, again))
	}
}

func (a *Account) privateKept(kept *lifecycle.Draft) bool {
	return kept != nil && slices.ContainsFunc(kept.Groups, func(g lifecycle.DraftGroup) bool { return g.Private })
}

func show(form *form.Form, kept *lifecycle.Draft) string {
	if kept == nil {
		return "nothing"
	}
	return string(trace.AppendDraft(nil, form, kept))
}

// screen is what the applicant sees: the values that are asked, and the rows.
func (a *Account) screen() *screen {
	v := &screen{plain: map[string]string{}, asked: map[string]bool{}}
	row := -1
	for f := range a.s.Fields() {
		path := f.Declared().Path
		switch {
		case f.Declared().Kind == form.KindRows:
			v.groupAsked = f.Asked()
		case f.Place().Row < 0:
			v.plain[path], v.asked[path] = f.Underlying().String(), f.Asked()
		default:
			if row = int(f.Place().Row); row >= len(v.rows) {
				v.rows = append(v.rows, map[string]string{})
			}
			v.rows[row][path[strings.LastIndexByte(path, '/')+1:]] = f.Underlying().String()
		}
	}
	if a.rules.beyond && a.rules.group { // what the form does not know of a row
		group, _ := a.rules.form.FieldAt("crew")
		id, _ := a.rules.form.BeyondOf(group)
		for k := range v.rows {
			f, _ := a.s.At(form.Place{Field: id, Row: int32(k)})
			if text := f.Underlying().String(); text != "" {
				v.rows[k]["id"] = at(decode([]byte(text)), "id")
			} else {
				v.rows[k]["id"] = ""
			}
		}
	}
	return v
}

type screen struct {
	plain      map[string]string
	asked      map[string]bool
	rows       []map[string]string
	groupAsked bool
}

func (v *screen) String() string {
	text := ""
	for _, path := range slices.Sorted(maps.Keys(v.plain)) {
		if v.plain[path] != "" {
			text += path + "=" + v.plain[path]
			if !v.asked[path] {
				text += " (not asked)"
			}
			text += " "
		}
	}
	for _, row := range v.rows {
		text += fmt.Sprint("[", row["id"], " ", row["name"], " ", row["role"], "]")
	}
	return text
}

// apply gives the page an event, and holds what it does against the model.
func (a *Account) apply(e lifecycle.Event) bool {
	before := a.screen()
	a.before()
	step := lifecycle.Drive(a.s, e, a.watch)
	effects, err, breaches := slices.Clone(step.Effects), step.Err, a.watch.Breaches()
	holds := ""
	if h := a.s.Holds(""); h != 0 {
		holds = fmt.Sprint(" holds ", h.Words())
	}
	a.note("%s → %s%s v%s | %s (%v)", describe(e), a.s.Submission(), holds, a.s.Version(), a.screen(), err)
	for _, breach := range breaches {
		a.fail("%v", breach)
	}
	if err == nil {
		a.mirror.Follow(a.s)
		a.took(&e, before)
	}
	if difference := a.mirror.Difference(a.s); difference != "" {
		a.fail("%s", difference)
	}
	a.carryOut(effects)
	a.check()
	return err == nil
}

func describe(e lifecycle.Event) string {
	text := strings.TrimSpace(fmt.Sprintf("%s %s %s%s", e.Kind, e.Path, e.Raw, e.To))
	if e.Kind == lifecycle.EventResolve {
		text += " " + e.Choice.String()
	}
	if e.Reply != nil {
		text += fmt.Sprintf("%d.%d %s %s", e.Attempt, e.Try, e.Reply.Kind, e.Reply.Version)
	}
	return text
}

func (a *Account) carryOut(effects []lifecycle.Effect) {
	for _, f := range effects {
		switch f.Kind {
		case lifecycle.EffectSend:
			f.Values = slices.Clone(f.Values)
			body := a.rules.form.AppendBody(nil, f.Values)
			a.sends(f, body)
			a.posts = append(a.posts, post{a.pages, f, body})
		case lifecycle.EffectLoad, lifecycle.EffectCheck:
			checked, _ := a.s.At(f.Place)
			a.reads = append(a.reads, &request{asked: f, field: checked.ID()})
		case lifecycle.EffectArm:
			a.timers[f.Timer] = f.Of
		case lifecycle.EffectDisarm:
			delete(a.timers, f.Timer)
		}
	}
}

// deliver brings a submission to the office, and its reply on its way, unless the
// page is not there any more.
func (a *Account) deliver(k int, doubled bool) {
	p := a.posts[k]
	if !doubled {
		a.posts = slices.Delete(a.posts, k, k+1)
	}
	key, before := p.sent.Key.String(), copyOf(a.office.record)
	applied := len(a.office.applied)
	tag := a.office.tag()
	response, complaint := a.office.receive(a.t, key, p.sent.Version, p.body)
	a.note("the office gets %s of try %d.%d: %d %s", key[:6], p.sent.Attempt, p.sent.Try, response.Status, p.body)
	if complaint != "" {
		a.fail("%s", complaint)
	}
	if len(a.office.applied) > applied && a.rules.replaces {
		a.checkRecord(a.work[key], before, p.sent.Version == tag)
	}
	if p.page == a.pages {
		a.mail = append(a.mail, replies.Event(a.rules.form, p.sent, wire.Received(response)))
	}
}

// answer brings the answer of a load or check.
func (a *Account) answer(k int, fails bool) {
	r := a.reads[k]
	a.reads = slices.Delete(a.reads, k, k+1)
	response := replies.Response{Status: 500}
	switch {
	case fails:
	case r.asked.Kind == lifecycle.EffectCheck:
		response.Status = rapid.SampledFrom([]int{204, 204, 422}).Draw(a.t, "check")
		response.Body = record{"errors": []any{record{"pointer": "/" + a.rules.form.Path(r.asked.Place), "detail": "Not that."}}}
	case r.answer != nil:
		response = *r.answer
	default:
		response = a.office.load(!a.loaded)
	}
	e := replies.Event(a.rules.form, r.asked, wire.Received(response))
	if a.apply(e) && len(e.Issues) > 0 {
		if f, there := a.s.ByID(r.field); there && f.Asked() && !f.HasIssueOf(lifecycle.SourceCheck) {
			a.fail("a check had something to say of %s, and it is not there", f.Path())
		}
	}
}

// read is the application reading the record of its own accord. A form has the answers of one office at most.
func (a *Account) read() {
	a.readings = append(a.readings, newerRecord{a.changes, a.s.Changes(), a.office.load(!a.loaded)})
	a.note("the application reads %s", a.office.tag())
}

// supply is the application supplying what it has read. It is stale after an acceptance or an outdated reply.
func (a *Account) supply(k int) {
	r := a.readings[k]
	a.readings = slices.Delete(a.readings, k, k+1)
	values, version, _ := replies.Load(a.rules.form, r.answer)
	stale := r.changes != a.changes || a.s.Leaving() == lifecycle.LeaveGone
	if taken := a.apply(lifecycle.Supplied(values, version, r.after)); taken == stale && a.rules.form.Prefill.Loads() {
		a.fail("what the application read %d changes ago was taken: %v", a.changes-r.changes, taken)
	}
}

func (a *Account) elapse(timer lifecycle.TimerID) {
	delete(a.timers, timer)
	a.apply(lifecycle.Elapsed(timer))
}

// drain lets everything arrive, and retries until the outcome is known: pending
// ends.
func (a *Account) drain() {
	for range 200 {
		if a.s.Leaving() == lifecycle.LeaveGone {
			return
		}
		switch {
		case len(a.reads) > 0:
			a.answer(0, false)
		case len(a.posts) > 0:
			a.deliver(0, false)
		case len(a.mail) > 0:
			e := a.mail[0]
			a.mail = a.mail[1:]
			a.apply(e)
		case a.s.Activity() != lifecycle.ActivityIdle && len(a.timers) > 0:
			a.elapse(slices.Min(slices.Collect(maps.Keys(a.timers))))
		case a.s.Submission() == lifecycle.SubmissionUnsettled:
			a.apply(lifecycle.Retry())
		default:
			if a.s.Activity() != lifecycle.ActivityIdle || a.s.Prefill() == lifecycle.PrefillLoading {
				a.fail("it waits, and nothing is on its way")
			}
			return
		}
	}
	a.fail("pending does not end")
}
