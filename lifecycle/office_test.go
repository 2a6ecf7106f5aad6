package lifecycle_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// office is a tiny model of a server: it applies each key once, and gives the
// same answer to every repeat. Before the version is compared the key is asked.
type office struct {
	replaces bool
	record   []string // the answers last applied
	version  int
	answers  map[lifecycle.Key]answered
	applied  map[lifecycle.Key]int
	denied   map[string]bool // by attempt and try: a request that is doubled is denied twice
}

type answered struct {
	content string
	reply   lifecycle.Reply
}

func (o *office) etag() string {
	if !o.replaces {
		return ""
	}
	return fmt.Sprint("v", o.version)
}

func (o *office) receive(t *rapid.T, e lifecycle.Effect) lifecycle.Reply {
	record := make([]string, 3)
	for _, a := range e.Values {
		record[a.Field] = a.Value.String()
	}
	content := e.Button + strings.Join(record, "|")
	if known, ok := o.answers[e.Key]; ok {
		if known.content != content {
			t.Fatalf("a key came with other values: %q, before %q", content, known.content)
		}
		return known.reply
	}
	try := fmt.Sprint(e.Attempt, e.Try)
	fate := rapid.IntRange(0, 9).Draw(t, "office")
	if o.denied[try] {
		fate = 0
	}
	switch fate {
	case 0:
		o.denied[try] = true
		return lifecycle.Reply{Kind: lifecycle.ReplyDenied}
	case 1:
		return lifecycle.Reply{Kind: lifecycle.ReplyUnavailable, RetryAfter: -1}
	case 2:
		return lifecycle.Reply{Kind: lifecycle.ReplyUnderway, RetryAfter: time.Second}
	case 3:
		reply := lifecycle.Reply{Kind: lifecycle.ReplyRefused, Entries: []lifecycle.Entry{{Path: "a", Text: "No."}}}
		o.answers[e.Key] = answered{content, reply}
		return reply
	}
	if o.replaces && e.Version != "" && e.Version != o.etag() {
		reply := lifecycle.Reply{Kind: lifecycle.ReplyOutdated}
		o.answers[e.Key] = answered{content, reply}
		return reply
	}
	o.applied[e.Key]++
	o.record = record
	o.version++
	reply := lifecycle.Reply{Kind: lifecycle.ReplyAccepted, Version: o.etag()}
	o.answers[e.Key] = answered{content, reply}
	return reply
}

// post is the way between a session and the office: requests and replies that
// are delayed, lost and doubled.
type post struct {
	t        *rapid.T
	s        *lifecycle.Session
	watch    *guarantee.Watch
	office   *office
	requests []lifecycle.Effect
	replies  []lifecycle.Event
	loads    []lifecycle.RequestID
	timers   map[lifecycle.TimerID]lifecycle.TimerKind
	accepted map[lifecycle.Key]int // told
	refused  map[lifecycle.Key]int
	log      []string
}

func (p *post) apply(e lifecycle.Event) {
	line := e.Kind.String() + " " + e.Path + " " + e.Raw
	if e.Reply != nil {
		line = fmt.Sprintf("%d.%d %s", e.Attempt, e.Try, e.Reply.Kind)
	}
	key := p.s.Attempt().Key
	step := lifecycle.Drive(p.s, e, p.watch)
	effects, err := step.Effects, step.Err
	p.log = append(p.log, fmt.Sprintf("%s → %s (%v)", line, p.s.Submission(), err))
	for _, breach := range p.watch.Breaches() {
		p.t.Fatalf("%v\n%s", breach, strings.Join(p.log, "\n"))
	}
	p.carryOut(effects)
	if err != nil || e.Reply == nil {
		return
	}
	switch e.Reply.Kind {
	case lifecycle.ReplyAccepted:
		p.accepted[key]++
	case lifecycle.ReplyRefused:
		p.refused[key]++
	}
}

func (p *post) carryOut(effects []lifecycle.Effect) {
	for _, f := range effects {
		switch f.Kind {
		case lifecycle.EffectSend:
			f.Values = append([]form.Answer(nil), f.Values...)
			p.requests = append(p.requests, f)
		case lifecycle.EffectLoad:
			p.loads = append(p.loads, f.Request)
		case lifecycle.EffectArm:
			p.timers[f.Timer] = f.Of
		case lifecycle.EffectDisarm:
			delete(p.timers, f.Timer)
		}
	}
}

// deliver brings the k-th request to the office, and its reply on its way.
func (p *post) deliver(k int) {
	e := p.requests[k]
	reply := p.office.receive(p.t, e)
	p.replies = append(p.replies, lifecycle.Replied(e.Attempt, e.Try, &reply))
}

func (p *post) load(request lifecycle.RequestID) {
	var values []form.Answer
	for id, text := range p.office.record {
		values = append(values, form.Answer{Place: form.Place{Field: form.FieldID(id), Row: -1}, Value: form.Text(text)})
	}
	p.apply(lifecycle.Loaded(request, values, p.office.etag()))
}

func (p *post) elapse(which func(lifecycle.TimerKind) bool) {
	for id := lifecycle.TimerID(1); id < 1000; id++ {
		if kind, armed := p.timers[id]; armed && which(kind) {
			delete(p.timers, id)
			p.apply(lifecycle.Elapsed(id))
			return
		}
	}
}

func cut[T any](list *[]T, k int) { *list = append((*list)[:k], (*list)[k+1:]...) }

// step does one thing at random.
func (p *post) step() {
	t := p.t
	text := rapid.SampledFrom([]string{"", "Heron", "Egret", "Tern"})
	choose := func(n int) int { return rapid.IntRange(0, n-1).Draw(t, "which") }
	switch action := rapid.IntRange(0, 15).Draw(t, "action"); {
	case action < 4:
		p.apply(lifecycle.Edit(rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "field"), text.Draw(t, "text")))
	case action < 7:
		p.apply(lifecycle.Submit(rapid.SampledFrom([]string{"send", "save"}).Draw(t, "button")))
	case action < 8:
		p.apply(rapid.SampledFrom([]lifecycle.Event{
			lifecycle.Retry(), lifecycle.Cancel(), lifecycle.Reset(), lifecycle.Refresh(),
			lifecycle.Resolve("a", lifecycle.ChooseMine), lifecycle.Resolve("b", lifecycle.ChooseTheirs),
		}).Draw(t, "press"))
	case action < 10 && len(p.requests) > 0:
		k := choose(len(p.requests))
		p.deliver(k)
		if rapid.IntRange(0, 3).Draw(t, "doubled") > 0 {
			cut(&p.requests, k)
		}
	case action < 11 && len(p.requests) > 0:
		cut(&p.requests, choose(len(p.requests))) // lost on the way there
	case action < 13 && len(p.replies) > 0:
		k := choose(len(p.replies))
		e := p.replies[k]
		if rapid.IntRange(0, 3).Draw(t, "doubled") > 0 {
			cut(&p.replies, k)
		}
		p.apply(e)
	case action < 14 && len(p.replies) > 0:
		cut(&p.replies, choose(len(p.replies))) // lost on the way back
	case action < 15 && len(p.loads) > 0:
		k := choose(len(p.loads))
		request := p.loads[k]
		cut(&p.loads, k)
		p.load(request)
	case len(p.timers) > 0:
		p.elapse(func(lifecycle.TimerKind) bool { return rapid.Bool().Draw(t, "this timer") })
	case p.office.replaces && rapid.IntRange(0, 5).Draw(t, "elsewhere") == 0:
		p.office.record = []string{text.Draw(t, "their a"), "b of theirs", ""}
		p.office.version++
	}
}

// drain lets everything arrive, and retries until the outcome is known.
func (p *post) drain() {
	for range 300 {
		switch {
		case len(p.requests) > 0:
			p.deliver(0)
			cut(&p.requests, 0)
		case len(p.replies) > 0:
			e := p.replies[0]
			cut(&p.replies, 0)
			p.apply(e)
		case len(p.loads) > 0:
			request := p.loads[0]
			cut(&p.loads, 0)
			p.load(request)
		case p.s.Activity() == lifecycle.ActivityWaiting || p.s.Activity() == lifecycle.ActivitySending:
			p.elapse(func(k lifecycle.TimerKind) bool { return k == lifecycle.TimerWait || k == lifecycle.TimerSend })
		case p.s.Submission() == lifecycle.SubmissionUnsettled:
			p.apply(lifecycle.Retry())
		default:
			return
		}
	}
	p.t.Fatalf("the attempt is never settled\n%s", strings.Join(p.log, "\n"))
}

// What the applicant was told is what the office did: nothing applied twice,
// nothing applied and untold, nothing told and not applied.
func TestWhatIsToldIsWhatHappened(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
		d := form.Declaration{
			Name: "post", Buttons: []string{"send", "save"},
			Fields: []form.Field{{Path: "a"}, {Path: "b", Constraints: []form.Constraint{{Op: form.OpMaxLength, Value: form.Number(12, 0)}}}, {Path: "c"}},
			Submit: form.SubmitPolicy{
				Method: "POST", Timeout: time.Second, Edit: flip("edit while sending"), ResendTimes: rapid.IntRange(0, 2).Draw(t, "times"),
				ResendWait: time.Second, ResendLongest: time.Minute,
			},
			Accepted: form.AcceptedPolicy{Then: rapid.SampledFrom([]form.Then{form.ThenKeep, form.ThenClear, form.ThenAdopt}).Draw(t, "then")},
		}
		if flip("replaces") {
			d.Submit.Method = "PUT"
			d.Prefill = form.PrefillPolicy{URL: "/record", Needed: flip("needed"), Timeout: time.Second, Ask: flip("ask")}
		}
		declared, err := form.New(d)
		if err != nil {
			t.Fatal(err)
		}
		s, opening := lifecycle.Open(declared, lifecycle.Seed{3})
		p := &post{
			t: t, s: s, watch: guarantee.NewWatch(s, opening), timers: map[lifecycle.TimerID]lifecycle.TimerKind{},
			accepted: map[lifecycle.Key]int{}, refused: map[lifecycle.Key]int{},
			office: &office{replaces: d.Submit.Method == "PUT", record: []string{"", "", ""}, answers: map[lifecycle.Key]answered{}, applied: map[lifecycle.Key]int{}, denied: map[string]bool{}},
		}
		p.carryOut(opening)
		for range rapid.IntRange(1, 50).Draw(t, "steps") {
			p.step()
		}
		p.drain()
		for key, count := range p.office.applied {
			if count != 1 || p.accepted[key] != 1 {
				t.Fatalf("applied %d times, told %d times\n%s", count, p.accepted[key], strings.Join(p.log, "\n"))
			}
		}
		for key := range p.accepted {
			if p.office.applied[key] != 1 {
				t.Fatalf("told accepted, and not applied\n%s", strings.Join(p.log, "\n"))
			}
		}
		for key := range p.refused {
			if p.office.applied[key] != 0 {
				t.Fatalf("told refused, and applied\n%s", strings.Join(p.log, "\n"))
			}
		}
		if p.office.replaces && d.Accepted.Then != form.ThenClear && s.Version() == p.office.etag() && len(p.accepted) > 0 {
			for f := range s.Fields() {
				if got := f.Baseline().String(); got != p.office.record[f.Place().Field] {
					t.Fatalf("%s: the form takes %q for saved, the office has %q\n%s", f.Path(), got, p.office.record[f.Place().Field], strings.Join(p.log, "\n"))
				}
			}
		}
	})
}
