package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// attempt is the newest submission.
type attempt struct {
	number  int32 // 0 means that there is none yet
	key     Key
	button  int32
	version string
	outcome Outcome
	unsure  bool  // a try ended unknown: timed out, broken or cancelled
	repeats int32 // automatic ones since the last Submit or Retry
	waited  bool  // the first pause since then has been said
	adopted bool  // it was begun on an earlier page
}

// unsettled reports whether the newest attempt may or may not have been
// applied, and nothing is on its way that would tell.
func (s *Session) unsettled() bool {
	return s.attempt.number > 0 && s.attempt.outcome == OutcomeOpen &&
		s.activity != ActivitySending && s.activity != ActivityWaiting
}

func (s *Session) currentTry() int32 { return int32(len(s.tries)) }

// begin copies the values into a new attempt and sends it.
func (s *Session) begin(button int32) {
	s.copyValues()
	a := &s.attempt
	number, old := a.number+1, a.key
	*a = attempt{number: number, button: button}
	if !s.form.Submit.Creates() {
		a.version = s.version
	}
	s.tries = s.tries[:0]
	a.key = s.seed.key(number)
	if a.key == old || a.key == s.adoptedKey { // a restored key that this seed makes too
		a.key = s.seed.key(-number)
	}
	s.newestOutcome = OutcomeOpen
	s.received = receivedMark{}
	s.clearNext, s.thenDue = false, false
	s.endAccepted()
	s.disarm(TimerSecondClick)
	s.sendTry()
}

// again sends the same attempt once more: same key, same button, same values.
func (s *Session) again() { s.sendTry() }

func (s *Session) sendTry() {
	a := &s.attempt
	s.tries = append(s.tries, state.TryInFlight)
	s.activity = ActivitySending
	s.answers = s.appendSent(s.answers[:0])
	s.emit(Effect{
		Kind: EffectSend, Attempt: a.number, Try: s.currentTry(), Key: a.key,
		Button: s.form.Buttons[a.button], Version: a.version, Values: s.answers,
	})
	s.arm(TimerSend, s.form.Submit.Timeout)
}

// copyValues keeps the values as they are now as those that are sent, with what
// of them differs from the baseline, and takes the edited-since marks away.
func (s *Session) copyValues() {
	for _, group := range s.form.Groups() {
		var sent []int32
		if s.has(int32(group), state.BitAsked) {
			sent = s.countedRows(group, sideNow)
		}
		s.setRowList(group, state.InSent, sent)
		s.freeRows(group)
	}
	for i := range s.allCells() {
		c := &s.cells[i]
		set, clear := state.Bits(0), state.BitSent|state.BitSentChanged|state.BitEdited|state.BitRowsEdited
		c.Sent = form.Value{}
		if c.Bits.Counts() {
			c.Sent = c.Value
			set |= state.BitSent
		}
		if c.Bits&state.BitDirty != 0 {
			set |= state.BitSentChanged
		}
		s.change(i, set, clear&^set, c.Rules)
	}
	for g, group := range s.form.Groups() {
		for _, r := range s.groups[g].Sent { // one difference makes all of a group changed
			for i := range s.cellsOf(r) {
				if s.has(i, state.BitSentChanged) {
					s.mark(int32(group), state.BitSentChanged)
				}
			}
		}
	}
}

// appendSent lists the values as sent: present ones, and absent ones that the
// baseline had.
func (s *Session) appendSent(to []form.Answer) []form.Answer { return sending{s, false}.list(to) }

// sending looks at the values that are sent: as the newest attempt has them, or as a new one would have
// them now.
type sending struct {
	*Session
	now bool
}

// cell is what a cell has of a submission: its value, whether it stands among the values, and whether
// it differs from the baseline.
func (s sending) cell(i int32) (value form.Value, stands, changed bool) {
	c := &s.cells[i]
	value, stands, changed = c.Sent, c.Bits&state.BitSent != 0, c.Bits&state.BitSentChanged != 0
	if s.now {
		value, stands, changed = form.Value{}, c.Bits.Counts(), c.Bits&state.BitDirty != 0
		if stands {
			value = c.Value
		}
	}
	return value, !value.Absent() || c.Row < 0 && changed || s.form.Fields[c.Field].Required && stands, changed
}

func (s sending) list(to []form.Answer) []form.Answer {
	for id := range s.form.Fields {
		field := form.FieldID(id)
		if s.form.GroupOf(field) >= 0 {
			continue
		}
		if s.form.Fields[id].Kind == form.KindRows {
			to = s.rows(to, field)
		} else if value, stands, changed := s.cell(int32(id)); stands {
			to = append(to, form.Answer{Place: form.Place{Field: field, Row: -1}, Value: value, Changed: changed})
		}
	}
	return to
}

// rows lists a group: its head with the number of rows, and their values. One difference makes all of a
// group changed.
func (s sending) rows(to []form.Answer, group form.FieldID) []form.Answer {
	g := &s.groups[s.form.GroupIndex(group)]
	rows, changed := g.Sent, s.has(int32(group), state.BitSentChanged)
	if s.now {
		rows, changed = nil, s.has(int32(group), state.BitDirty)
		if s.has(int32(group), state.BitAsked) {
			rows = s.countedRows(group, sideNow)
		}
		for _, r := range rows {
			for i := range s.cellsOf(r) {
				changed = changed || s.has(i, state.BitDirty)
			}
		}
	}
	if len(rows) == 0 && !changed {
		return to
	}
	to = append(to, form.Answer{Place: form.Place{Field: group, Row: -1}, Value: form.Number(int64(len(rows)), 0), Changed: changed})
	for position, r := range rows {
		for i := range s.cellsOf(r) {
			if value, stands, _ := s.cell(i); stands {
				to = append(to, form.Answer{Place: form.Place{Field: s.cells[i].Field, Row: int32(position)}, Value: value, Changed: changed})
			}
		}
	}
	return to
}

// sameAsSent reports whether the values and the button are the same as in the newest attempt.
func (s *Session) sameAsSent(button int32) bool {
	if s.attempt.number == 0 || s.attempt.button != button {
		return false
	}
	return !s.eachDifference(func(int32) bool { return false })
}

// eachDifference calls do for every cell whose value is not the one that was sent, until do returns
// false. It reports whether do stopped it. With a do that always stops, it reports whether there is
// any difference.
func (s *Session) eachDifference(goOn func(i int32) bool) bool {
	for g, group := range s.form.Groups() {
		now := s.countedRows(group, sideNow)
		if !s.has(int32(group), state.BitAsked) {
			now = nil
		}
		if !slices.Equal(now, s.groups[g].Sent) && !goOn(int32(group)) {
			return true
		}
	}
	for i := range s.inOrder() {
		c := &s.cells[i]
		if s.form.Fields[c.Field].Kind == form.KindRows || s.isBeyond(c.Field) || c.Row >= 0 && !s.has(int32(s.form.GroupOf(c.Field)), state.BitAsked) {
			continue
		}
		if s.effective(i, sideNow) != c.Sent && !goOn(i) {
			return true
		}
	}
	return false
}

// markDifferences marks what is on the screen and was not sent as edited since:
// what is on the screen is what is wanted.
func (s *Session) markDifferences() {
	s.eachDifference(func(i int32) bool {
		s.mark(i, state.BitEdited)
		if c := &s.cells[i]; s.form.Fields[c.Field].Kind == form.KindRows {
			s.mark(i, state.BitRowsEdited)
		}
		return true
	})
}
