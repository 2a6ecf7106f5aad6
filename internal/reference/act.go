package reference

import (
	"maps"
	"slices"
	"strconv"

	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// act is one thing that the applicant, the office, the way between them or the
// clock does.
func (a *Account) act() {
	t := a.t
	choose := func(n int, name string) int { return rapid.IntRange(0, n-1).Draw(t, name) }
	if a.s.Leaving() == lifecycle.LeaveGone {
		if choose(2, "gone") == 0 {
			a.apply(lifecycle.Returned())
		} else {
			a.closePage()
		}
		return
	}
	switch { // what else would be rare
	case a.owesClear && choose(3, "clears") == 0:
		a.apply(lifecycle.Reset())
		return
	case a.s.Activity() == lifecycle.ActivityChecking && choose(3, "while checking") == 0:
		switch choose(3, "does") {
		case 0:
			a.apply(lifecycle.Cancel())
		case 1:
			a.leave()
		default:
			a.refresh()
		}
		return
	}
	rows := len(a.screen().rows)
	switch action := choose(45, "action"); {
	case action < 6:
		paths := a.rules.plain()
		a.typeIn(paths[choose(len(paths), "field")])
	case action < 11 && a.rules.group && rows > 0:
		a.typeIn(rowPath(choose(rows, "row"), a.rules.inRow[1+choose(2, "member")]))
	case action < 13 && a.rules.group:
		a.apply(lifecycle.AddRow("crew"))
	case action < 14 && rows > 0:
		a.apply(lifecycle.RemoveRow("crew/" + strconv.Itoa(choose(rows, "row"))))
	case action < 15 && rows > 1:
		a.apply(lifecycle.MoveRow("crew/"+strconv.Itoa(choose(rows, "row")), "crew/"+strconv.Itoa(choose(rows, "to"))))
	case action < 19:
		a.apply(lifecycle.Submit(rapid.SampledFrom([]string{"send", "send", "save"}).Draw(t, "button")))
	case action < 21:
		a.apply(rapid.SampledFrom([]lifecycle.Event{
			lifecycle.Retry(), lifecycle.Retry(), lifecycle.Cancel(), lifecycle.Refresh(), lifecycle.Refresh(), lifecycle.Reset(),
			lifecycle.LeaveAsked("/tides", lifecycle.LeaveInside), lifecycle.LeaveDecided(lifecycle.DecisionSubmit), lifecycle.LeaveDecided(lifecycle.DecisionDiscard),
		}).Draw(t, "press"))
	case action < 22:
		a.resolveOne(rapid.SampledFrom([]lifecycle.Choice{lifecycle.ChooseMine, lifecycle.ChooseTheirs}).Draw(t, "choice"))
	case action < 25 && len(a.posts) > 0:
		a.deliver(choose(len(a.posts), "post"), rapid.IntRange(0, 3).Draw(t, "doubled") == 0)
	case action < 26 && len(a.posts) > 0:
		k := choose(len(a.posts), "post")
		a.posts = slices.Delete(a.posts, k, k+1) // lost on the way there
		a.note("a submission is lost")
	case action < 29 && len(a.mail) > 0:
		k := choose(len(a.mail), "mail")
		e := a.mail[k]
		a.mail = slices.Delete(a.mail, k, k+1)
		a.apply(e)
	case action < 30 && len(a.mail) > 0:
		k := choose(len(a.mail), "mail")
		a.mail = slices.Delete(a.mail, k, k+1) // lost on the way back
		a.note("a reply is lost")
	case action < 33 && len(a.reads) > 0:
		a.answer(choose(len(a.reads), "reading"), rapid.IntRange(0, 7).Draw(t, "fails") == 0)
	case action < 34 && len(a.reads) > 0: // answered now, and on its way for a while
		if r := a.reads[choose(len(a.reads), "reading")]; r.answer == nil && r.asked.Kind == lifecycle.EffectLoad {
			response := a.office.load(!a.loaded)
			r.answer = &response
			a.note("the office answers a load with %s", a.office.tag())
		}
	case action < 36 && len(a.timers) > 0:
		ids := slices.Sorted(maps.Keys(a.timers))
		a.elapse(ids[choose(len(ids), "timer")])
	case action < 38 && a.rules.replaces:
		a.note("elsewhere: %s", a.office.elsewhere(t))
		if choose(2, "looks") == 0 {
			a.refresh()
		}
	case action >= 42 && len(a.readings) > 0:
		a.supply(choose(len(a.readings), "reading"))
	case action >= 42:
		a.read()
		if choose(2, "at once") == 0 {
			a.supply(len(a.readings) - 1)
		}
	case action < 39:
		if choose(2, "leaves") == 0 {
			a.leave()
		}
	default:
		if choose(2, "closes") == 0 {
			a.closePage()
			if choose(3, "again") == 0 {
				a.closePage()
			}
		}
	}
}

// refresh loads the record again. The answer may come at once.
func (a *Account) refresh() {
	if a.apply(lifecycle.Refresh()) && rapid.Bool().Draw(a.t, "at once") && len(a.reads) > 0 {
		a.answer(len(a.reads)-1, false)
	}
}

// leave goes away from the form, whatever is lost.
func (a *Account) leave() {
	a.apply(lifecycle.LeaveAsked("/tides", lifecycle.LeaveInside))
	a.apply(lifecycle.LeaveDecided(lifecycle.DecisionDiscard))
}

// typeIn types a text at a field: one that is nowhere else, nothing, or a tick.
func (a *Account) typeIn(path string) {
	place, _ := a.rules.form.Lookup(path)
	raw := a.office.mark("t")
	switch a.rules.form.Fields[place.Field].Kind {
	case form.KindBoolean:
		raw = rapid.SampledFrom([]string{"true", ""}).Draw(a.t, "tick")
	case form.KindInteger:
		raw = strconv.Itoa(rapid.SampledFrom([]int{1, 10, 100}).Draw(a.t, "scale") * a.office.next)
	default:
		if rapid.IntRange(0, 5).Draw(a.t, "blank") == 0 {
			raw = ""
		}
	}
	a.apply(lifecycle.Edit(path, raw))
}

// resolveOne decides the first contest.
func (a *Account) resolveOne(choice lifecycle.Choice) {
	for f := range a.s.Fields() {
		if f.Contested() {
			a.apply(lifecycle.Resolve(f.Path(), choice))
			return
		}
	}
}
