package lifecycle

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// plainForm is two texts, a rule, and a load.
func plainForm(t testing.TB, change func(*Declaration)) *Form {
	d := Declaration{
		Name: "plain",
		Fields: []Field{
			{Path: "a", Constraints: []Constraint{{Op: OpMaxLength, Value: Number(6, 0)}}},
			{Path: "b"},
		},
		Buttons: []string{"send", "save"},
		Submit:  SubmitPolicy{Method: "POST", Timeout: 10 * time.Second, ResendTimes: 2, ResendWait: time.Second, ResendLongest: time.Minute},
		Prefill: PrefillPolicy{URL: "/record", Timeout: 5 * time.Second},
	}
	if change != nil {
		change(&d)
	}
	form, err := NewForm(d)
	require.NoError(t, err)
	return form
}

// tampered takes steps under a watch; the last one is told to it with other
// effects, or after the session was bent, and the breaches are returned.
type tampered struct {
	t *testing.T
	s *Session
	w *Watch
}

func newTampered(t *testing.T, change func(*Declaration)) *tampered {
	s, opening := Open(plainForm(t, change), Seed{})
	return &tampered{t, s, NewWatch(s, opening)}
}

func (x *tampered) apply(events ...Event) {
	for _, e := range events {
		x.w.Before(e)
		effects, err := x.s.Apply(e)
		require.Empty(x.t, x.w.After(e, effects, err))
	}
}

func (x *tampered) bend(e Event, change func(effects []Effect) []Effect) []Guarantee {
	x.w.Before(e)
	effects, err := x.s.Apply(e)
	broken := []Guarantee{}
	for _, b := range x.w.After(e, change(append([]Effect(nil), effects...)), err) {
		require.NotEmpty(x.t, b.Error())
		broken = append(broken, b.Guarantee)
	}
	return broken
}

func without(kind EffectKind) func([]Effect) []Effect {
	return func(effects []Effect) []Effect {
		kept := []Effect{}
		for _, e := range effects {
			if e.Kind != kind {
				kept = append(kept, e)
			}
		}
		return kept
	}
}

func also(e Effect) func([]Effect) []Effect {
	return func(effects []Effect) []Effect { return append(effects, e) }
}

// Each guarantee is seen to be broken when something is bent to break it.
func TestTheWatchSeesEveryBreach(t *testing.T) {
	accepted, refused := &Reply{Kind: ReplyAccepted}, &Reply{Kind: ReplyRefused, Entries: []Entry{{Path: "a", Text: "No."}}}
	cases := map[string]struct {
		want Guarantee
		bend func(x *tampered) []Guarantee
	}{
		"a second send": {OneAtATime, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""))
			return x.bend(Submit(""), also(Effect{Kind: EffectSend, Attempt: 1, Try: 2, Key: x.s.attempt.key, Button: "send", Values: x.s.appendSent(nil)}))
		}},
		"an invalid send": {NoInvalidSend, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "far too long"))
			return x.bend(Blur("a"), also(Effect{Kind: EffectSend, Attempt: 1, Try: 1, Key: Key{1}, Button: "send"}))
		}},
		"an edit lost to a load": {EditsSurvive, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"))
			return x.bend(Loaded(1, nil, ""), func(e []Effect) []Effect { x.s.take(0, Text("theirs")); return e })
		}},
		"a send without a timer": {WaitingEnds, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"))
			return x.bend(Submit(""), without(EffectArm))
		}},
		"left with unsaved work": {AskBeforeLoss, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"))
			return x.bend(Blur("a"), also(Effect{Kind: EffectLeave, To: "/tides"}))
		}},
		"no guard over unsaved work": {AskBeforeLoss, func(x *tampered) []Guarantee {
			return x.bend(Edit("a", "x"), func(e []Effect) []Effect { x.s.guard = false; return e })
		}},
		"a needless question": {NoNeedlessAsk, func(x *tampered) []Guarantee {
			return x.bend(Blur("a"), also(Effect{Kind: EffectAsk, Reason: AskUnsaved}))
		}},
		"a submit that does nothing": {WayForward, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"))
			return x.bend(Submit(""), func(e []Effect) []Effect { x.s.activity = ActivityIdle; return nil })
		}},
		"an issue that outlives an edit": {FreshIssues, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""), Replied(1, 1, refused))
			return x.bend(Edit("a", "y"), func(e []Effect) []Effect {
				x.s.addIssue(issue{cell: 0, from: -1, source: SourceServer, text: "No."})
				return e
			})
		}},
		"another key for the same attempt": {SameKeySameValues, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""), Cancel())
			return x.bend(Retry(), func(e []Effect) []Effect { e[0].Key[3]++; return e })
		}},
		"other values under the same key": {SameKeySameValues, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""), Cancel())
			return x.bend(Retry(), func(e []Effect) []Effect { e[0].Values = nil; return e })
		}},
		"a new key over an unsettled attempt": {SameKeySameValues, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""), Cancel())
			return x.bend(Retry(), func(e []Effect) []Effect { e[0].Attempt, e[0].Key[3] = 2, 9; return e })
		}},
		"a mark after a reset": {CleanReset, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Blur("a"))
			return x.bend(Reset(), func(e []Effect) []Effect { x.s.mark(0, bitTouched); return e })
		}},
		"an entry swallowed": {NothingSwallowed, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""))
			return x.bend(Replied(1, 1, refused), func(e []Effect) []Effect { x.s.dropIssuesOf(0); return e })
		}},
		"a stale answer that changes something": {StaleIgnored, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""), Replied(1, 1, accepted))
			return x.bend(Replied(1, 1, accepted), func(e []Effect) []Effect { x.s.ignored++; return e })
		}},
		"effects of a stale answer": {StaleIgnored, func(x *tampered) []Guarantee {
			x.apply(Refresh())
			return x.bend(Loaded(1, nil, ""), also(Effect{Kind: EffectFocus}))
		}},
		"a repeat after a reload without a row": {RepeatsUnchanged, func(x *tampered) []Guarantee {
			x.apply(Restore(&Restored{Attempt: &KeptAttempt{Key: Key{9}, Button: "send", Values: []Answer{{Place: Place{0, -1}, Value: Text("x")}}}}))
			return x.bend(Retry(), func(e []Effect) []Effect { e[0].Values = nil; return e })
		}},
		"blanks after a reload": {NothingBlanked, func(x *tampered) []Guarantee {
			x.apply(Restore(&Restored{Attempt: &KeptAttempt{Key: Key{9}, Button: "send", Values: []Answer{{Place: Place{0, -1}, Value: Text("x")}}}}))
			return x.bend(Retry(), func(e []Effect) []Effect { e[0].Attempt, e[0].Key[3] = 2, 9; return e })
		}},
		"said twice": {SaidOnce, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""))
			return x.bend(Replied(1, 1, accepted), also(Effect{Kind: EffectSay, Message: Message{ID: MessageAccepted}}))
		}},
		"not said": {SaidOnce, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "x"), Submit(""))
			return x.bend(Replied(1, 1, refused), without(EffectSay))
		}},
		"blocked and not said": {SaidOnce, func(x *tampered) []Guarantee {
			x.apply(Edit("a", "far too long"))
			return x.bend(Submit(""), without(EffectSay))
		}},
	}
	seen := map[Guarantee]bool{}
	for name, c := range cases {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, c.bend(newTampered(t, nil)), c.want)
		})
		seen[c.want] = true
	}
	require.Len(t, seen, int(guaranteeCount))
}

func TestPoliciesWaiveGuaranteesOpenly(t *testing.T) {
	require.Empty(t, Waives(plainForm(t, nil)))
	for _, when := range []LeaveWhen{LeaveNever, LeaveDirtyAndTouched} {
		waived := Waives(plainForm(t, func(d *Declaration) { d.Leave.When = when }))
		require.Len(t, waived, 1)
		require.Equal(t, AskBeforeLoss, waived[0].Guarantee)
	}
}
