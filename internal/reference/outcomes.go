package reference

import (
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// learns is a reply that counts.
func (a *Account) learns(e *lifecycle.Event, before *screen) {
	if e.Reply.Kind == lifecycle.ReplyAccepted || e.Reply.Kind == lifecycle.ReplyOutdated {
		a.changes++
	}
	switch e.Reply.Kind {
	case lifecycle.ReplyOutdated:
		a.open = ""
		if a.rules.form.Prefill.Loads() {
			a.arrived = nil // the newest values are loaded, and asked about
		}
	case lifecycle.ReplyRefused:
		a.open = ""
	case lifecycle.ReplyDenied:
		if e.Try == 1 && !a.takenOver() {
			a.open = ""
		}
	case lifecycle.ReplyAccepted:
		a.accepts(e, before)
	}
}

// takenOver reports whether the newest attempt was begun on an earlier page.
func (a *Account) takenOver() bool {
	return a.work[a.open] != nil && a.s.Attempt().Number == 1 && a.s.Attempt().Tries >= 2
}

// accepts makes what was sent what is known to be saved.
func (a *Account) accepts(e *lifecycle.Event, before *screen) {
	w := a.work[a.open]
	a.last, a.open, a.blind = a.open, "", a.blind || w.version == ""
	a.version = a.version || a.arrived != nil && a.arrived.version != ""
	a.accepted = true
	a.settled, a.acted, a.arrived = true, len(a.since) > 0 || a.rowsSince, nil
	a.version = a.version || e.Reply.Version != ""
	leavesIt := a.rules.clears || a.rules.then == form.ThenNavigate
	for path, sent := range w.screen.plain {
		typed, is := a.typed[path]
		switch {
		case a.rules.form.Submit.Method == "PATCH" && !mentions(w.body, path):
		case w.screen.asked[path]:
			a.base[path] = sent
			if is && typed == sent && !a.since[path] {
				delete(a.typed, path)
			}
		case is || a.since[path] || a.wanted != nil: // a submit behind the attempt may have brought it back
			a.base[path] = ""
			if leavesIt && !a.since[path] {
				delete(a.typed, path)
			}
		}
	}
	for text := range a.marks {
		if (w.screen.groupAsked || leavesIt) && w.screen.has(text) {
			delete(a.marks, text)
		}
	}
	if a.rules.then == form.ThenAdopt {
		for _, v := range e.Reply.Values {
			if v.Row < 0 && a.rules.form.Fields[v.Field].Kind != form.KindRows {
				a.base[a.rules.form.Path(v.Place)] = v.Value.String()
			}
		}
	}
	if !a.rowsSince && (a.loaded || !a.cellsSince) { // a row that was typed in before the first load stands beside those that it brings
		a.rowsMine, a.removed = false, map[string]bool{}
	}
	if a.rules.clears {
		a.owesClear = true
		switch cleared := a.isCleared(); {
		case !a.s.Unsaved() && cleared && a.restsSince() && a.holdsDefaults(before): // the clear may wait for what is not asked
			a.owesClear, a.mayClear = false, true
		case !a.s.Unsaved() && cleared:
			a.clears()
		case a.s.Leaving() != lifecycle.LeaveGone && !cleared && !a.s.Unsaved() && !a.anySince() && a.s.Activity() == lifecycle.ActivityIdle && a.s.Attempt().Button == a.pressed:
			a.fail("the form was to be cleared, nothing is unsent, and it is not cleared: %s", a.screen())
		}
	}
}

// mentions reports whether a merge patch says anything of a plain field.
func mentions(body record, path string) bool {
	name, rest, deeper := strings.Cut(path, "/")
	v, there := body[name]
	if below, is := v.(record); deeper && is {
		return mentions(below, rest)
	}
	return there
}

// anySince reports whether anything was typed in, or any row changed, after the newest
// attempt.
func (l *list) anySince() bool {
	for _, since := range l.since {
		if since {
			return true
		}
	}
	return l.rowsSince || l.cellsSince
}

// restsSince reports whether anything was typed, or any row changed, after the newest attempt, in a field or
// in rows that are not asked.
func (a *Account) restsSince() bool {
	now := a.screen()
	for path, since := range a.since {
		if since && !now.asked[path] {
			return true
		}
	}
	return (a.rowsSince || a.cellsSince) && !now.groupAsked
}

func (a *Account) isCleared() bool { return a.holdsDefaults(a.screen()) }

// holdsDefaults reports whether a screen holds the defaults and nothing else.
func (a *Account) holdsDefaults(s *screen) bool {
	for path, text := range s.plain {
		if text != a.rules.defaults[path] {
			return false
		}
	}
	return true
}

// clears is the form after clear: everything is its default, and counts as saved.
func (a *Account) clears() {
	a.reset()
	for path := range a.base {
		a.base[path] = a.rules.defaults[path]
	}
	a.owesClear, a.cleared = false, true
}
