package guarantee

import (
	"reflect"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// plainForm is two texts, a rule, and a load.
func plainForm(t testing.TB, change func(*form.Declaration)) *form.Form {
	d := form.Declaration{
		Name: "plain",
		Fields: []form.Field{
			{Path: "a", Constraints: []form.Constraint{{Op: form.OpMaxLength, Value: form.Number(6, 0)}}},
			{Path: "b"},
		},
		Buttons: []string{"send", "save"},
		Submit:  form.SubmitPolicy{Method: "POST", Timeout: 10 * time.Second, ResendTimes: 2, ResendWait: time.Second, ResendLongest: time.Minute},
		Prefill: form.PrefillPolicy{URL: "/record", Timeout: 5 * time.Second},
	}
	if change != nil {
		change(&d)
	}
	form, err := form.New(d)
	require.NoError(t, err)
	return form
}

// tampered takes steps under a watch; the last one is told to it with other
// effects, or with the session in another state, and the breaches are returned.
type tampered struct {
	t *testing.T
	s *lifecycle.Session
	w *Watch
}

func newTampered(t *testing.T, change func(*form.Declaration)) *tampered {
	s, opening := lifecycle.Open(plainForm(t, change), lifecycle.Seed{})
	return &tampered{t, s, NewWatch(s, opening)}
}

func (x *tampered) apply(events ...lifecycle.Event) {
	for _, e := range events {
		lifecycle.Drive(x.s, e, x.w)
		require.Empty(x.t, x.w.Breaches())
	}
}

func (x *tampered) bend(e lifecycle.Event, change func(effects []lifecycle.Effect) []lifecycle.Effect) []Guarantee {
	x.w.Before(e)
	step := lifecycle.Drive(x.s, e)
	step.Effects = change(append([]lifecycle.Effect(nil), step.Effects...))
	x.w.After(step)
	broken := []Guarantee{}
	for _, b := range x.w.Breaches() {
		require.NotEmpty(x.t, b.Error())
		broken = append(broken, b.Guarantee)
	}
	return broken
}

// pretend gives the session the state of one that has taken other steps.
func (x *tampered) pretend(events ...lifecycle.Event) func([]lifecycle.Effect) []lifecycle.Effect {
	return func(effects []lifecycle.Effect) []lifecycle.Effect {
		other, _ := lifecycle.Open(x.s.Form(), lifecycle.Seed{})
		for _, e := range events {
			_, err := other.Apply(e)
			require.NoError(x.t, err)
		}
		x.s.CopyFrom(other)
		return effects
	}
}

// unguard lets a session forget that it guards the page. No event does that.
func (x *tampered) unguard() {
	guard := reflect.ValueOf(x.s).Elem().FieldByName("guard")
	*(*bool)(unsafe.Pointer(guard.UnsafeAddr())) = false
}

func without(kind lifecycle.EffectKind) func([]lifecycle.Effect) []lifecycle.Effect {
	return func(effects []lifecycle.Effect) []lifecycle.Effect {
		kept := []lifecycle.Effect{}
		for _, e := range effects {
			if e.Kind != kind {
				kept = append(kept, e)
			}
		}
		return kept
	}
}

func also(e lifecycle.Effect) func([]lifecycle.Effect) []lifecycle.Effect {
	return func(effects []lifecycle.Effect) []lifecycle.Effect { return append(effects, e) }
}

// Each guarantee is seen to be broken when something is bent to break it.
func TestTheWatchSeesEveryBreach(t *testing.T) {
	accepted, refused := &lifecycle.Reply{Kind: lifecycle.ReplyAccepted}, &lifecycle.Reply{Kind: lifecycle.ReplyRefused, Entries: []lifecycle.Entry{{Path: "a", Text: "No."}}}
	cases := map[string]struct {
		want Guarantee
		bend func(x *tampered) []Guarantee
	}{
		"a second send": {OneAtATime, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""))
			return x.bend(lifecycle.Submit(""), also(lifecycle.Effect{Kind: lifecycle.EffectSend, Attempt: 1, Try: 2, Key: x.s.Attempt().Key, Button: "send", Values: x.s.AppendSent(nil)}))
		}},
		"an invalid send": {NoInvalidSend, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "far too long"))
			return x.bend(lifecycle.Blur("a"), also(lifecycle.Effect{Kind: lifecycle.EffectSend, Attempt: 1, Try: 1, Key: lifecycle.Key{1}, Button: "send"}))
		}},
		"an edit lost to a load": {EditsSurvive, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"))
			return x.bend(lifecycle.Loaded(1, nil, ""), x.pretend(lifecycle.Loaded(1, []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("theirs")}}, "")))
		}},
		"an edit after the attempt without its mark": {EditsSurvive, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, refused))
			return x.bend(lifecycle.Edit("b", "y"), x.pretend(lifecycle.Edit("a", "x"), lifecycle.Edit("b", "y"), lifecycle.Submit(""), lifecycle.Replied(1, 1, refused)))
		}},
		"a mark of an edit forgotten": {EditsSurvive, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, refused), lifecycle.Edit("b", "y"))
			return x.bend(lifecycle.Blur("b"), x.pretend(lifecycle.Edit("a", "x"), lifecycle.Edit("b", "y"), lifecycle.Submit(""), lifecycle.Replied(1, 1, refused), lifecycle.Blur("b")))
		}},
		"a send without a timer": {WaitingEnds, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"))
			return x.bend(lifecycle.Submit(""), without(lifecycle.EffectArm))
		}},
		"left with unsaved work": {AskBeforeLoss, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"))
			return x.bend(lifecycle.Blur("a"), also(lifecycle.Effect{Kind: lifecycle.EffectLeave, To: "/tides"}))
		}},
		"no guard over unsaved work": {AskBeforeLoss, func(x *tampered) []Guarantee {
			return x.bend(lifecycle.Edit("a", "x"), func(e []lifecycle.Effect) []lifecycle.Effect { x.unguard(); return e })
		}},
		"a needless question": {NoNeedlessAsk, func(x *tampered) []Guarantee {
			return x.bend(lifecycle.Blur("a"), also(lifecycle.Effect{Kind: lifecycle.EffectAsk, Reason: lifecycle.AskUnsaved}))
		}},
		"a submit that does nothing": {WayForward, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"))
			return x.bend(lifecycle.Submit(""), func([]lifecycle.Effect) []lifecycle.Effect { x.pretend(lifecycle.Edit("a", "x"))(nil); return nil })
		}},
		"an issue that outlives an edit": {FreshIssues, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, refused))
			return x.bend(lifecycle.Edit("a", "y"), x.pretend(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, refused)))
		}},
		"another key for the same attempt": {SameKeySameValues, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Cancel())
			return x.bend(lifecycle.Retry(), func(e []lifecycle.Effect) []lifecycle.Effect { e[0].Key[3]++; return e })
		}},
		"other values under the same key": {SameKeySameValues, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Cancel())
			return x.bend(lifecycle.Retry(), func(e []lifecycle.Effect) []lifecycle.Effect { e[0].Values = nil; return e })
		}},
		"a new key over an unsettled attempt": {SameKeySameValues, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Cancel())
			return x.bend(lifecycle.Retry(), func(e []lifecycle.Effect) []lifecycle.Effect { e[0].Attempt, e[0].Key[3] = 2, 9; return e })
		}},
		"a mark after a reset": {CleanReset, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Blur("a"))
			return x.bend(lifecycle.Reset(), x.pretend(lifecycle.Blur("a")))
		}},
		"an entry swallowed": {NothingSwallowed, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""))
			return x.bend(lifecycle.Replied(1, 1, refused), x.pretend(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, &lifecycle.Reply{Kind: lifecycle.ReplyRefused})))
		}},
		"a stale answer that changes something": {StaleIgnored, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, accepted))
			return x.bend(lifecycle.Replied(1, 1, accepted), x.pretend(lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Submit(""), lifecycle.Replied(1, 1, accepted), lifecycle.Blur("b")))
		}},
		"effects of a stale answer": {StaleIgnored, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Refresh())
			return x.bend(lifecycle.Loaded(1, nil, ""), also(lifecycle.Effect{Kind: lifecycle.EffectFocus}))
		}},
		"a repeat after a reload without a row": {RepeatsUnchanged, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Restore(&lifecycle.Draft{Attempt: &lifecycle.DraftAttempt{Key: lifecycle.Key{9}, Button: "send", Values: []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("x")}}}}))
			return x.bend(lifecycle.Retry(), func(e []lifecycle.Effect) []lifecycle.Effect { e[0].Values = nil; return e })
		}},
		"blanks after a reload": {NothingBlanked, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Restore(&lifecycle.Draft{Attempt: &lifecycle.DraftAttempt{Key: lifecycle.Key{9}, Button: "send", Values: []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("x")}}}}))
			return x.bend(lifecycle.Retry(), func(e []lifecycle.Effect) []lifecycle.Effect { e[0].Attempt, e[0].Key[3] = 2, 9; return e })
		}},
		"an answer older than what was accepted": {NeverOlder, func(x *tampered) []Guarantee {
			x = newTampered(x.t, func(d *form.Declaration) { d.Submit.Method = "PUT" })
			loaded := func(b string) lifecycle.Event {
				return lifecycle.Loaded(1, []form.Answer{{Place: form.Place{Field: 1, Row: -1}, Value: form.Text(b)}}, "")
			}
			x.apply(loaded("newer"), lifecycle.Edit("a", "x"), lifecycle.Submit(""))
			return x.bend(lifecycle.Replied(1, 1, accepted), x.pretend(loaded("older"), lifecycle.Edit("a", "x"), lifecycle.Submit(""), lifecycle.Replied(1, 1, accepted)))
		}},
		"said twice": {SaidOnce, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""))
			return x.bend(lifecycle.Replied(1, 1, accepted), also(lifecycle.Effect{Kind: lifecycle.EffectSay, Message: form.Message{ID: form.MessageAccepted}}))
		}},
		"not said": {SaidOnce, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "x"), lifecycle.Submit(""))
			return x.bend(lifecycle.Replied(1, 1, refused), without(lifecycle.EffectSay))
		}},
		"blocked and not said": {SaidOnce, func(x *tampered) []Guarantee {
			x.apply(lifecycle.Edit("a", "far too long"))
			return x.bend(lifecycle.Submit(""), without(lifecycle.EffectSay))
		}},
	}
	seen := map[Guarantee]bool{}
	for name, c := range cases {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, c.bend(newTampered(t, nil)), c.want)
		})
		seen[c.want] = true
	}
	require.Len(t, seen, len(Words()))
}

func TestPoliciesWaiveGuaranteesOpenly(t *testing.T) {
	require.Empty(t, Waives(plainForm(t, nil)))
	for _, when := range []form.LeaveWhen{form.LeaveNever, form.LeaveDirtyAndTouched} {
		waived := Waives(plainForm(t, func(d *form.Declaration) { d.Leave.When = when }))
		require.Len(t, waived, 1)
		require.Equal(t, AskBeforeLoss, waived[0].Guarantee)
	}
}
