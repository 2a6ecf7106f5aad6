package guarantee

import (
	"slices"

	"leanwicket.dev/lifecycle"
)

// outcomes lists what a step has learnt of the newest attempt.
type outcomes struct {
	kind      lifecycle.ReplyKind
	learnt    bool // an outcome that settles
	replied   bool // a reply counted
	unsettled bool // an attempt has become unsettled
	waiting   bool // a reply asks to wait
	timer     lifecycle.TimerKind
}

// settleFrom draws from the event what is known of the newest attempt now.
func (w *Watch) settleFrom(e lifecycle.Event) outcomes {
	var o outcomes
	switch e.Kind {
	case lifecycle.EventReplied:
		o.replied, o.kind = true, e.Reply.Kind
		current := e.Try == w.inFlight && w.inFlight != 0
		w.late = dropped(w.late, slices.Index(w.late, e.Try))
		if current {
			w.inFlight = 0
		}
		switch e.Reply.Kind {
		case lifecycle.ReplyAccepted, lifecycle.ReplyRefused, lifecycle.ReplyOutdated:
			o.learnt = true
		case lifecycle.ReplyDenied:
			o.learnt = e.Try == 1 && !w.adopted
			o.unsettled = !o.learnt
		case lifecycle.ReplyUnderway, lifecycle.ReplyUnavailable:
			o.waiting = true
		default:
			o.unsettled = true
		}
		if o.learnt {
			w.settled = true
			w.accepted = e.Reply.Kind == lifecycle.ReplyAccepted
			if w.accepted || e.Reply.Kind == lifecycle.ReplyOutdated {
				w.changes++
			}
			w.resetAt = false
			w.owed = w.owed && !w.accepted // what was accepted is no blank
			w.missing = w.missing || w.session.Form().Prefill.Loads() && (e.Reply.Kind == lifecycle.ReplyOutdated || w.losesVersion(e.Reply))
		}
	case lifecycle.EventElapsed:
		if k := w.timerOf(e.Timer); k >= 0 {
			o.timer = w.timers[k].Of
			w.timers = dropped(w.timers, k)
		}
		if o.timer == lifecycle.TimerSend {
			w.leaveBehind()
			o.unsettled = true
		}
	case lifecycle.EventCancel:
		if w.then.facts.activity == lifecycle.ActivitySending {
			w.leaveBehind()
		}
		o.unsettled = w.then.facts.activity == lifecycle.ActivitySending || w.then.facts.activity == lifecycle.ActivityWaiting
	case lifecycle.EventReturned:
		o.unsettled = w.then.facts.activity == lifecycle.ActivitySending || w.then.facts.activity == lifecycle.ActivityWaiting
		w.leaveBehind()
	case lifecycle.EventRestored:
		w.owed = w.session.Form().Prefill.Loads() && (w.session.Attempt().Number > 0 || len(w.session.Waiting()) > 0)
		if w.session.Attempt().Number > 0 { // it is taken over, or left out
			kept := e.Draft.Attempt
			w.attempt, w.settled, w.adopted, w.accepted = 1, false, true, false
			w.key, w.sent, w.sentIDs = kept.Key, w.workOf(kept.Button, kept.Values), w.sentIDs[:0]
			w.late = w.late[:0] // no answer to the earlier page reaches this one
			o.unsettled = true
		}
	case lifecycle.EventReset:
		w.resetAt = true
		w.forgetWaiting()
	case lifecycle.EventLeaveDecided:
		if e.Decision == lifecycle.DecisionDiscard {
			w.forgetWaiting()
		}
	case lifecycle.EventChecked, lifecycle.EventCheckFailed:
		w.checks = dropped(w.checks, w.checkOf(e.Request))
	case lifecycle.EventLoaded, lifecycle.EventSupplied:
		w.load, w.missing, w.owed = 0, false, false
	case lifecycle.EventLoadFailed:
		w.load = 0
	}
	return o
}

// losesVersion reports whether a form that replaces does not know the version of
// what has been accepted, and knew one before.
func (w *Watch) losesVersion(r *lifecycle.Reply) bool {
	return r.Kind == lifecycle.ReplyAccepted && r.Version == "" && w.then.facts.version && !w.session.Form().Submit.Creates()
}
