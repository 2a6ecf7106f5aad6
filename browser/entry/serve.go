package entry

import (
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/runner"
	"leanwicket.dev/trace"
)

// page is one form on a page: its session, and what the script is to do next.
type page struct {
	number  number
	out     patch
	form    *form.Form
	own     string // the origin of the document
	runner  *runner.Runner
	now     time.Duration
	begun   time.Duration
	opened  bool
	next    int // names timers and requests
	timers  map[string]func()
	answers map[string]func(replies.Received)
	events  []happening
	attempt int32 // the one that the script was told of, while it is under way
}

// happening is an event, when it was, and what it came to.
type happening struct {
	at    time.Duration
	event lifecycle.Event
	came  error
}

var pages []*page

// number is a page as its session's clock and its way to the network, which are
// the browser's.
type number int

// texts are what the script tells with a word, in the order of the table. What is left out at
// the end is empty.
type texts []string

func (t texts) at(k int) string {
	if k < len(t) {
		return t[k]
	}
	return ""
}

func (t texts) fact(k int) bool { return t.at(k) != "" }

func (t texts) number(k int) int {
	n, _ := strconv.Atoi(t.at(k))
	return n
}

// Call gives a page what happened, with the time in milliseconds, texts, and bytes: the
// compiled form, or the body of a reply. It returns a patch. A page begins with "read" and
// the origin of its document, which gives it a number, and goes on with "open"; after "close"
// nothing is left of it.
func Call(n int, ms float64, what string, told []string, bytes []byte) string {
	now := time.Duration(ms * float64(time.Millisecond))
	if what == "read" {
		return read(bytes, texts(told).at(0), now)
	}
	p := pages[n]
	if what == "close" {
		pages[n] = nil
	}
	if p == nil || what == "close" {
		return ""
	}
	p.now = now
	p.happened(what, told, bytes)
	return p.out.take()
}

// read takes a compiled form for a page, and tells what it declares.
func read(compiled []byte, own string, now time.Duration) string {
	f, err := form.Read(compiled)
	if err != nil {
		var out patch
		out.table(table)
		out.error(err.Error())
		return out.take()
	}
	p := &page{number: number(len(pages)), form: f, own: own, now: now, timers: map[string]func(){}, answers: map[string]func(replies.Received){}}
	pages = append(pages, p)
	p.out.table(table)
	p.out.form(strconv.Itoa(int(p.number)), f.Name, f.Title, f.Buttons, !f.Submit.Creates())
	p.out.words(f)
	for k := range f.Declared() {
		p.out.declared(&f.Fields[k])
	}
	return p.out.take()
}

// open opens the session, with a seed in hexadecimal and what an earlier page kept, or
// nothing: the mark and the text of keep. What is given are names and values as parts, and
// defaults are paths and values, with the number of rows for each group.
func (p *page) open(c callOpen) {
	p.form = p.form.Opening(p.defaults(c.defaults))
	f := p.form
	values := named(c.given)
	for _, name := range f.Given {
		if values[name] == "" {
			p.out.error("found no value for " + name + ", which the form declares as given; right would be one for each of: " + strings.Join(f.Given, ", "))
			return
		}
	}
	p.begun = p.now
	o := runner.Options{Transport: p.number, Clock: p.number, Observe: p.observe, Keep: p.keep, KeepLater: true, Given: values}
	if key, ok := lifecycle.ParseKey(c.seed); ok {
		o.Seed = lifecycle.Seed(key)
	}
	lost := c.mark == "!"
	if c.kept != "" {
		earlier, unrepeatable, err := trace.ReadDraft(f, c.kept)
		if err != nil {
			p.out.unreadable(err.Error())
		} else {
			o.Draft, lost = earlier, lost || unrepeatable
			for _, left := range trace.LeftOut(f, earlier) {
				p.out.leftOut(left.Path, left.Raw)
			}
		}
	}
	p.runner = runner.New(f, o)
	p.everything()
	p.runner.Read(p.underway)
	if lost {
		p.out.say(lifecycle.Assertive.String(), f.Text(form.Message{ID: form.MessageUnsettledPrivate}), "unsure", "submission")
	}
}

// named are names and values, which stand in turn as parts of a text.
func named(text string) map[string]string {
	values, parts := map[string]string{}, strings.Split(text, string(partEnd))
	for k := 0; k+1 < len(parts); k += 2 {
		values[parts[k]] = parts[k+1]
	}
	return values
}

// defaults reads what the markup has. A path that the form does not have is left out.
func (p *page) defaults(markup string) (answers []form.Answer) {
	parts := strings.Split(markup, string(partEnd))
	for k := 0; k+1 < len(parts); k += 2 {
		place, ok := p.form.Lookup(parts[k])
		if !ok {
			continue
		}
		a := form.Answer{Place: place, Value: p.form.Parse(place.Field, parts[k+1])}
		if p.form.Fields[place.Field].Kind == form.KindRows {
			rows, _ := strconv.Atoi(parts[k+1])
			a.Value = form.Number(int64(min(max(rows, 0), 1<<15)), 0)
		}
		answers = append(answers, a)
	}
	return answers
}

// trace is the record of the session. It has events and times: whoever replays it gets effects
// and states.
func (p *page) trace() string {
	var text strings.Builder
	w := trace.NewEvents(&text, p.form)
	for k := range p.events {
		h := &p.events[k]
		_ = w.Event(h.at, &h.event, h.came) // a text takes everything
	}
	return text.String()
}

// everything tells how each field is.
func (p *page) everything() {
	p.runner.Read(func(s *lifecycle.Session) {
		for f := range s.Fields() {
			p.out.field(f)
		}
		p.out.whole(s)
	})
}

// happened gives the session what the script saw.
func (p *page) happened(what string, told texts, bytes []byte) {
	switch what {
	case "open":
		p.open(openOf(told))
	case "elapsed":
		id := elapsedOf(told).id
		if f := p.timers[id]; f != nil {
			delete(p.timers, id)
			f()
		}
	case "answered":
		c := answeredOf(told)
		if done := p.answers[c.id]; done != nil {
			delete(p.answers, c.id)
			done(p.received(c, bytes))
		}
	case "prepared":
		p.runner.Prepared(bytes)
	case "supply":
		c := supplyOf(told)
		e, err := runner.Supplied(p.form, runner.Record{Values: bytes, Version: c.version}, uint32(c.after))
		if err == nil {
			err = p.runner.Apply(e)
		}
		if err == lifecycle.ErrStale {
			p.out.turnedAway("")
		} else if err != nil {
			p.out.turnedAway(err.Error())
		}
	case "keep":
		p.runner.Keep()
	case "values":
		p.runner.Read(p.out.values)
	case "trace":
		p.out.trace(p.trace())
	default:
		e, ok := eventOf(what, told)
		if !ok {
			p.out.error("unknown: " + what)
			return
		}
		if err := p.runner.Apply(e); err != nil {
			p.out.turnedAway(err.Error())
			if f, ok := p.field(e.Path); ok { // what its control shows is not what it holds
				p.out.field(f)
			}
		}
	}
}

func (p *page) field(path string) (f lifecycle.FieldState, ok bool) {
	p.runner.Read(func(s *lifecycle.Session) { f, ok = s.Field(path) })
	return f, ok
}

func choiceOf(word string) lifecycle.Choice {
	if word == lifecycle.ChooseTheirs.String() {
		return lifecycle.ChooseTheirs
	}
	return lifecycle.ChooseMine
}

func leaveKindOf(word string) lifecycle.LeaveKind {
	if word == lifecycle.LeaveUnload.String() {
		return lifecycle.LeaveUnload
	}
	return lifecycle.LeaveInside
}

// decisionOf reads what was decided at leaving. Of any other word the applicant
// stays, for then nothing is lost.
func decisionOf(word string) lifecycle.LeaveDecision {
	for _, a := range [...]lifecycle.LeaveDecision{lifecycle.DecisionDiscard, lifecycle.DecisionSubmit} {
		if a.String() == word {
			return a
		}
	}
	return lifecycle.DecisionStay
}

// headersOf are the headers of a request as pairs of name and value.
func headersOf(r *runner.Request) (pairs [][]string) {
	all := r.Headers()
	for k := 0; k+1 < len(all); k += 2 {
		pairs = append(pairs, all[k:k+2])
	}
	return pairs
}

// received is what came of a request.
func (p *page) received(c callAnswered, body []byte) replies.Received {
	return replies.Received{Status: c.status, Header: named(c.headers), From: c.from, Own: p.own, Body: body, Redirected: c.redirected, Cut: c.cut, SignedOut: c.signedOut, Refusal: c.refusal}
}

// mostEvents is how many events are recorded. A longer session is recorded as far as that.
const mostEvents = 10_000

// observe tells the script what a step changed.
func (p *page) observe(s lifecycle.Step) {
	if p.opened && len(p.events) < mostEvents { // the first step has no event
		p.events = append(p.events, happening{p.now - p.begun, s.Event, s.Err})
	}
	p.opened = true
	if s.Err == nil && runner.IsDenied(s.Event) {
		kind := lifecycle.EffectLoad
		if s.Event.Reply != nil {
			kind = lifecycle.EffectSend
		}
		p.out.denied(kind.String())
	}
	if c := s.Event.Came; c != nil && c.Unfit != "" {
		p.out.unfit(c.Unfit)
	}
	if p.runner != nil { // of the opening everything is told
		p.runner.Read(p.changed)
	}
	for k := range s.Effects {
		p.out.effect(p.form, &s.Effects[k])
	}
	if text := lifecycle.RowText(p.form, s.Event); text != "" && p.opened && s.Err == nil {
		p.out.announce(text)
	}
}

func (p *page) changed(session *lifecycle.Session) {
	for f := range session.Changed() {
		p.out.field(f)
		if f.Declared().Kind == form.KindRows {
			p.rows(session, f)
		}
	}
	p.out.whole(session)
	p.underway(session)
}

// underway tells which attempt is under way, where that is another one than before.
func (p *page) underway(session *lifecycle.Session) {
	now := session.Attempt().Number
	if !isUnderWay(session) {
		now = 0
	}
	if now != p.attempt {
		p.attempt = now
		p.out.attempt(session)
	}
}

// rows tells how every field of a group is: what stands at a place may be another
// row now.
func (p *page) rows(session *lifecycle.Session, group lifecycle.FieldState) {
	for f := range session.Fields() {
		if of, inRows := p.form.Group(f.Place().Field); inRows && of == group.Place().Field && f.Declared().Kind != form.KindRows {
			p.out.field(f)
		}
	}
}

// keep tells the script what to keep. The mark is "?" where an attempt is open, and "!"
// where one is open of which not all is kept.
func (p *page) keep(kept *lifecycle.Draft, more bool) {
	mark, text := "", ""
	switch {
	case more:
		mark = "!"
	case kept != nil && kept.Attempt != nil:
		mark = "?"
	}
	if kept != nil {
		text = string(trace.AppendDraft(nil, p.form, kept))
	}
	p.out.keep(mark, text)
}

// Do implements [runner.Transport].
func (n number) Do(r runner.Request, done func(replies.Received)) (stop func()) {
	p := pages[n]
	p.next++
	id := strconv.Itoa(p.next)
	p.answers[id] = func(came replies.Received) {
		if r.Kind == lifecycle.EffectSend && came.Refusal == "" {
			p.out.replied(&came, p.form)
		}
		done(came)
	}
	p.out.fetch(id, &r)
	return func() {
		if r.Kind != lifecycle.EffectSend { // what a submission came to is welcome, however late
			p.out.abort(id)
		}
	}
}

// After implements [runner.Clock].
func (n number) After(d time.Duration, f func()) (stop func()) {
	p := pages[n]
	p.next++
	id := strconv.Itoa(p.next)
	p.timers[id] = f
	p.out.timer(id, d.Milliseconds())
	return func() { delete(p.timers, id); p.out.stop(id) }
}

// Now implements [runner.Clock].
func (n number) Now() time.Duration { return pages[n].now }
