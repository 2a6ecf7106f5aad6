package lifecycle

import (
	"slices"

	"leanwicket.dev/internal/state"
)

// startCheck begins a field's check after its delay, if there is something new
// to check: dirty, asked, present, and in order as far as rules go.
func (s *Session) startCheck(i int32) {
	c := &s.cells[i]
	policy := &s.form.Fields[c.Field].Check
	if policy.URL == "" || c.Value.Absent() || c.Rules != 0 || c.Bits&state.BitDirty == 0 || !c.Bits.Counts() {
		return
	}
	s.dropCheck(i)
	s.checks = append(s.checks, state.Check{Cell: i, Row: -1})
	s.mark(i, state.BitChecking)
	s.armCheck(&s.checks[len(s.checks)-1], TimerCheckDelay)
	if policy.Delay == 0 {
		s.sendCheck(&s.checks[len(s.checks)-1])
	}
}

func (s *Session) armCheck(c *state.Check, kind TimerKind) {
	policy := &s.form.Fields[s.cells[c.Cell].Field].Check
	after := policy.Delay
	if kind == TimerCheck {
		after = policy.Timeout
	}
	s.nextTimer++
	c.Timer = uint32(s.nextTimer)
	s.emit(Effect{Kind: EffectArm, Timer: TimerID(c.Timer), Of: kind, After: after})
}

func (s *Session) disarmCheck(c *state.Check) {
	kind := TimerCheck
	if c.Request == 0 {
		kind = TimerCheckDelay
	}
	s.emit(Effect{Kind: EffectDisarm, Timer: TimerID(c.Timer), Of: kind})
	c.Timer = 0
}

// sendCheck asks now what was delayed.
func (s *Session) sendCheck(c *state.Check) {
	if c.Timer != 0 {
		s.disarmCheck(c)
	}
	s.nextRequest++
	c.Request = uint32(s.nextRequest)
	place, _ := s.where(c.Cell)
	c.Row = place.Row
	s.emit(Effect{Kind: EffectCheck, Request: RequestID(c.Request), Place: place, Value: s.cells[c.Cell].Value})
	s.armCheck(c, TimerCheck)
}

func (s *Session) sendDelayedChecks() {
	for k := range s.checks {
		if s.checks[k].Request == 0 {
			s.sendCheck(&s.checks[k])
		}
	}
}

// dropCheck gives up a field's check; its answer will be stale.
func (s *Session) dropCheck(i int32) {
	if !s.has(i, state.BitChecking) {
		return
	}
	k := slices.IndexFunc(s.checks, func(c state.Check) bool { return c.Cell == i })
	s.giveUpCheck(&s.checks[k])
	s.endCheck(k)
}

// giveUpCheck stops the request and the timer of a check, which stays listed.
func (s *Session) giveUpCheck(c *state.Check) {
	if c.Timer != 0 {
		s.disarmCheck(c)
	}
	if c.Request != 0 {
		s.emit(Effect{Kind: EffectAbort, Request: RequestID(c.Request)})
	}
}

// endCheck takes a check off the list.
func (s *Session) endCheck(k int) {
	s.unmark(s.checks[k].Cell, state.BitChecking)
	s.checks = slices.Delete(s.checks, k, k+1)
}

// currentCheck finds the check that an answer belongs to.
func (s *Session) currentCheck(r RequestID) (int, error) {
	if r == 0 || r > s.nextRequest {
		return 0, &UnknownError{"request", ""}
	}
	k := slices.IndexFunc(s.checks, func(c state.Check) bool { return RequestID(c.Request) == r })
	if k < 0 {
		return 0, ErrStale
	}
	return k, nil
}

func (s *Session) checked(r RequestID, entries []Entry) error {
	k, err := s.currentCheck(r)
	if err != nil {
		return err
	}
	check := s.checks[k]
	checked := check.Cell
	s.disarmCheck(&s.checks[k])
	s.endCheck(k)
	s.dropIssues(func(x *state.Issue) bool { return Source(x.Source) == SourceCheck && x.From == checked })
	for _, entry := range entries {
		s.addIssue(state.Issue{Cell: s.cellOfCheck(&check, entry.Path), From: checked, Source: uint8(SourceCheck), Code: entry.Code, Text: entry.Text})
	}
	return nil
}

// cellOfCheck finds the cell that an entry of a check names: the checked one where
// the path names none that is there and asked. The row number that the checked row
// had when the check was sent means that row, wherever it is now.
func (s *Session) cellOfCheck(c *state.Check, path string) int32 {
	p, ok := s.form.Lookup(path)
	if !ok {
		return c.Cell
	}
	i, there := s.cellAt(p)
	if r := s.cells[c.Cell].Row; r >= 0 && p.Row == c.Row && s.form.GroupOf(p.Field) == s.rows[r].Group {
		i, there = s.rows[r].First+s.form.Offset(p.Field), true
	}
	if !there || !s.has(i, state.BitAsked) {
		return c.Cell
	}
	return i
}

// checkFailed ends a check that brought nothing: it holds nothing more, the
// server has the last word.
func (s *Session) checkFailed(r RequestID) error {
	k, err := s.currentCheck(r)
	if err != nil {
		return err
	}
	s.disarmCheck(&s.checks[k])
	s.endCheck(k)
	return nil
}

// checkElapsed is the end of a check's delay, or of its time.
func (s *Session) checkElapsed(k int) {
	c := &s.checks[k]
	c.Timer = 0
	if c.Request == 0 {
		s.sendCheck(c)
		return
	}
	s.emit(Effect{Kind: EffectAbort, Request: RequestID(c.Request)})
	s.endCheck(k)
}

// restartChecks begins again what was given up when the form was left.
func (s *Session) restartChecks() {
	for k := range s.checks {
		s.checks[k].Request = 0
		s.armCheck(&s.checks[k], TimerCheckDelay)
	}
}
