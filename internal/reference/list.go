package reference

import (
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// list is the model's own list: what was typed and is not saved, and over what.
type list struct {
	typed  map[string]string // plain fields
	since  map[string]bool   // plain fields that were typed in after the newest attempt
	base   map[string]string // plain fields: what was last known to be saved
	marks  map[string]string // texts that were typed in rows, with the member that they were typed at
	blanks bool              // a cell of a row was emptied
	wanted *screen           // what was on the screen at the newest submit behind an open attempt

	removed   map[string]bool // rows that the applicant took away, by their id
	rowsMine  bool            // the list of rows is the applicant's: changed, or chosen
	rowsSince bool

	attempts   bool                       // this page has an attempt, or has taken one over
	settled    bool                       // its newest one was accepted
	accepted   bool                       // one was, on this page: what it sent is no blank
	loaded     bool                       // a load has been merged on this page, or on the one that kept its work
	version    bool                       // a version has been told
	cleared    bool                       // the form was cleared, and nothing has come since
	acted      bool                       // something was changed since the last acceptance
	known      map[string]map[string]bool // plain fields: every value that was typed or told
	arrived    *loadedRecord
	owesClear  bool
	mayClear   bool   // the form looks cleared, and the clear may wait for the next reset
	cellsSince bool   // a cell of a row was typed in after the newest attempt
	pressed    string // the button that was used last
	settledNow bool   // this event has told the outcome
	tookOver   bool   // an attempt of an earlier page
	blind      bool   // something was accepted without a version: what it met is not known until a load
	// The version, and the number of clicks that were ignored, before the event.
	versionWas string
	ignoredWas int
	wantedWas  bool // a load was wanted before the event
	changes    int  // acceptances and outdated replies of this page
}

// loadedRecord is a load that has arrived. It may be merged later.
type loadedRecord struct {
	version string
	body    record
	waits   bool // an attempt is open, and the version tells nothing
}

// work is what was on the screen when a key was sent first.
type work struct {
	screen   *screen
	removed  map[string]bool
	rowsMine bool
	blanks   bool
	cleared  bool
	loaded   bool
	known    map[string]map[string]bool
	body     record
	version  string
	content  string
	wanted   *screen
}

func newList(r *rules) list {
	l := list{known: map[string]map[string]bool{}}
	l.reset()
	l.base = map[string]string{}
	for _, path := range r.plain() {
		l.base[path] = r.defaults[path]
		l.known[path] = map[string]bool{r.defaults[path]: true}
	}
	l.acted = true
	return l
}

func (l *list) reset() {
	l.typed, l.since, l.marks, l.removed = map[string]string{}, map[string]bool{}, map[string]string{}, map[string]bool{}
	l.rowsMine, l.rowsSince, l.blanks = false, false, false
}

// newPage is what is left of the list when the next page opens: private answers are
// not kept.
func (a *Account) newPage(kept *lifecycle.Draft) {
	a.before()
	base := map[string]string{}
	for _, path := range a.rules.plain() {
		base[path] = a.rules.defaults[path]
		if a.rules.private[path] {
			delete(a.typed, path)
		}
		if a.settled || a.rules.private[path] { // what was accepted is over
			delete(a.since, path)
		}
	}
	for text, member := range a.marks {
		if a.rules.private["crew/*/"+member] {
			delete(a.marks, text)
		}
	}
	a.attempts, a.cleared, a.arrived, a.owesClear, a.mayClear, a.acted, a.tookOver, a.accepted = false, false, nil, false, false, true, false, false
	if a.s.Leaving() == lifecycle.LeaveGone { // the applicant gave it up, and the page did not return
		a.reset()
	}
	if kept == nil {
		a.base, a.loaded, a.version = base, false, false
		if a.s.Leaving() == lifecycle.LeaveGone {
			a.open = ""
		}
		a.rowsMine, a.rowsSince = false, false
		return
	}
	for _, v := range kept.Values {
		if _, plain := base[v.Path]; plain {
			base[v.Path] = a.base[v.Path]
		}
	}
	a.tookOver = kept.Attempt != nil
	a.base, a.attempts, a.settled = base, kept.Attempt != nil, false
	a.loaded, a.version = false, kept.Version != "" || kept.Attempt != nil && kept.Attempt.Version != ""
}

// before forgets what needs no protection any more: a value that is as saved, and
// was not typed since an attempt that is not accepted.
func (a *Account) before() {
	a.versionWas, a.ignoredWas = a.s.Version(), a.s.Ignored()
	holds := a.s.Holds("")
	a.wantedWas = a.s.Prefill() != lifecycle.PrefillReady || holds.Has(lifecycle.HoldLoading) || holds.Has(lifecycle.HoldPrefillMissing)
	for path, text := range a.typed {
		if text == a.base[path] && (a.settled || !a.since[path]) {
			delete(a.typed, path)
		}
	}
}

// took draws from an event that was taken what it does to the list.
func (a *Account) took(e *lifecycle.Event, before *screen) {
	row, member := rowOf(e.Path)
	cell := ""
	if row >= 0 && row < len(before.rows) {
		cell = before.rows[row][member]
	}
	switch e.Kind {
	case lifecycle.EventSubmit:
		if a.s.Ignored() == a.ignoredWas {
			a.pressed = e.Button
		}
		if a.open != "" { // what is on the screen is what is wanted
			a.everRows, a.wanted = true, a.screen()
			for _, path := range a.rules.plain() {
				a.ever[path] = true
			}
		}
	case lifecycle.EventEdit:
		a.acted, a.ever[e.Path] = true, true
		if row < 0 {
			a.typed[e.Path] = e.Raw
			a.known[e.Path][e.Raw] = true
			a.since[e.Path] = a.since[e.Path] || a.attempts
			for path, box := range a.rules.when { // what an edit brings back is edited since
				if _, plain := before.plain[path]; plain && box == e.Path && before.plain[box] != e.Raw && e.Raw == "true" && a.attempts {
					a.since[path] = true
				}
			}
			break
		}
		a.everRows, a.cellsSince = true, true
		a.rowsMine = a.rowsMine || !a.loaded // a row of before the first load stands beside those that it brings
		delete(a.marks, cell)
		for _, w := range a.s.Waiting() {
			if w.Path == e.Path {
				a.forgetUnseen()
			}
		}
		if a.blanks = a.blanks || e.Raw == ""; e.Raw != "" {
			a.marks[e.Raw] = member
		}
	case lifecycle.EventAddRow, lifecycle.EventMoveRow:
		a.acted, a.rowsMine, a.rowsSince, a.everRows = true, true, true, true
	case lifecycle.EventRemoveRow:
		a.acted, a.rowsMine, a.rowsSince, a.everRows = true, true, true, true
		a.removed[before.rows[row]["id"]] = true
		for _, text := range before.rows[row] {
			delete(a.marks, text)
		}
	case lifecycle.EventReset:
		a.merges() // what has come is saved, and then the form returns to it
		a.reset()
		a.acted = true
		for _, row := range before.rows { // what the reset took away, an attempt may store yet
			a.removed[row["id"]] = true
		}
		for _, row := range a.screen().rows {
			delete(a.removed, row["id"])
		}
		if a.owesClear {
			if !a.isCleared() {
				a.fail("the form was to be cleared, and is not after a reset: %s", a.screen())
			}
			a.clears()
		}
		if a.mayClear && a.isCleared() {
			a.clears()
		}
		a.mayClear = false
	case lifecycle.EventResolve:
		a.resolved(e, cell)
	case lifecycle.EventLeaveDecided:
		if e.Decision == lifecycle.DecisionDiscard {
			a.forgetUnseen()
		}
	case lifecycle.EventLoaded:
		a.arrives(e)
	case lifecycle.EventSupplied:
		if e.Version == "" || e.Version != a.versionWas || a.wantedWas { // else it is no news
			a.arrives(e)
		}
	case lifecycle.EventReplied:
		a.learns(e, before)
	}
	a.settledNow = e.Kind == lifecycle.EventReplied && a.open == ""
	a.merges()
}

// resolved: with theirs the applicant gives up what they typed.
func (a *Account) resolved(e *lifecycle.Event, cell string) {
	switch {
	case e.Choice == lifecycle.ChooseMine && e.Path == "crew":
		a.rowsMine = true
	case e.Choice == lifecycle.ChooseMine:
	case e.Path == "crew":
		a.marks, a.removed, a.rowsMine, a.rowsSince, a.acted = map[string]string{}, map[string]bool{}, false, false, true
	default:
		a.acted = true
		delete(a.typed, e.Path)
		delete(a.since, e.Path)
		delete(a.marks, cell)
	}
}

// forgetUnseen forgets the texts that are neither on the screen nor wait for their
// row: an answer that waited was replaced or discarded.
func (a *Account) forgetUnseen() {
	now := a.screen()
	for text := range a.marks {
		if !now.has(text) && !a.seen(text) {
			delete(a.marks, text)
		}
	}
}

func rowOf(path string) (row int, member string) {
	rest, inRows := strings.CutPrefix(path, "crew/")
	if !inRows {
		return -1, ""
	}
	number, member, _ := strings.Cut(rest, "/")
	for _, c := range number {
		row = row*10 + int(c-'0')
	}
	return row, member
}

// arrives is a load. What it brings of the applicant's own is saved.
func (a *Account) arrives(e *lifecycle.Event) {
	body := record{}
	for _, v := range e.Values {
		path := a.rules.form.Path(v.Place)
		if v.Row < 0 && a.rules.form.Fields[v.Field].Kind != form.KindRows {
			body[path] = v.Value.String()
		}
		delete(a.marks, v.Value.String())
	}
	for _, path := range a.rules.plain() {
		text, _ := body[path].(string)
		body[path] = text
		a.known[path][text] = true
		if typed, is := a.typed[path]; is && typed == text {
			delete(a.typed, path)
		}
	}
	a.arrived = &loadedRecord{e.Version, body, a.versionWas == e.Version && a.holdsBack()}
}

// holdsBack reports whether an answer that arrives waits: an attempt is open. The first load of a page that
// has taken one over waits only while a try is in flight, until that one is accepted.
func (a *Account) holdsBack() bool {
	return a.s.Activity() != lifecycle.ActivityIdle || a.open != "" && (!a.tookOver || a.loaded || a.accepted)
}

// merges sees by the version whether a load that has arrived is merged.
func (a *Account) merges() {
	if a.arrived != nil && a.arrived.waits && a.open == "" && a.settledNow {
		a.arrived.waits = false // what waited is merged before what the reply says
	}
	if a.arrived != nil && a.arrived.waits {
		a.arrived.waits = a.holdsBack()
	}
	if a.arrived == nil || a.arrived.waits || a.s.Version() != a.arrived.version {
		return
	}
	for path, text := range a.arrived.body {
		a.base[path], _ = text.(string)
	}
	a.version = a.version || a.arrived.version != ""
	a.arrived, a.loaded, a.cleared, a.blind = nil, true, false, false
}

func (v *screen) has(text string) bool {
	return slices.ContainsFunc(v.rows, func(row map[string]string) bool {
		return row["name"] == text || row["role"] == text
	})
}
