package lifecycle

import "slices"

// check is a check that is delayed or out. A passed one leaves nothing behind.
type check struct {
	cell    int32
	request RequestID // 0 means that it is still delayed
	timer   TimerID
	row     int32 // where the row of the cell was when the check was sent; -1 means that it was nowhere
}

// startCheck begins a field's check after its delay, if there is something new
// to check: dirty, asked, present, and in order as far as rules go.
func (s *Session) startCheck(i int32) {
	c := &s.cells[i]
	policy := &s.form.Fields[c.field].Check
	if policy.URL == "" || c.value.Absent() || c.rules != 0 || c.bits&bitDirty == 0 ||
		c.bits&(bitAsked|bitLive) != bitAsked|bitLive {
		return
	}
	s.dropCheck(i)
	s.checks = append(s.checks, check{cell: i, row: -1})
	s.mark(i, bitChecking)
	s.armCheck(&s.checks[len(s.checks)-1], TimerCheckDelay)
	if policy.Delay == 0 {
		s.sendCheck(&s.checks[len(s.checks)-1])
	}
}

func (s *Session) armCheck(c *check, kind TimerKind) {
	policy := &s.form.Fields[s.cells[c.cell].field].Check
	after := policy.Delay
	if kind == TimerCheck {
		after = policy.Timeout
	}
	s.nextTimer++
	c.timer = s.nextTimer
	s.emit(Effect{Kind: EffectArm, Timer: c.timer, Of: kind, After: after})
}

func (s *Session) disarmCheck(c *check) {
	kind := TimerCheck
	if c.request == 0 {
		kind = TimerCheckDelay
	}
	s.emit(Effect{Kind: EffectDisarm, Timer: c.timer, Of: kind})
	c.timer = 0
}

// sendCheck asks now what was delayed.
func (s *Session) sendCheck(c *check) {
	if c.timer != 0 {
		s.disarmCheck(c)
	}
	s.nextRequest++
	c.request = s.nextRequest
	place, _ := s.where(c.cell)
	c.row = place.Row
	s.emit(Effect{Kind: EffectCheck, Request: c.request, Place: place, Value: s.cells[c.cell].value})
	s.armCheck(c, TimerCheck)
}

func (s *Session) sendDelayedChecks() {
	for k := range s.checks {
		if s.checks[k].request == 0 {
			s.sendCheck(&s.checks[k])
		}
	}
}

// dropCheck gives up a field's check; its answer will be stale.
func (s *Session) dropCheck(i int32) {
	if !s.has(i, bitChecking) {
		return
	}
	k := slices.IndexFunc(s.checks, func(c check) bool { return c.cell == i })
	s.giveUpCheck(&s.checks[k])
	s.endCheck(k)
}

// giveUpCheck stops the request and the timer of a check, which stays listed.
func (s *Session) giveUpCheck(c *check) {
	if c.timer != 0 {
		s.disarmCheck(c)
	}
	if c.request != 0 {
		s.emit(Effect{Kind: EffectAbort, Request: c.request})
	}
}

// endCheck takes a check off the list.
func (s *Session) endCheck(k int) {
	s.unmark(s.checks[k].cell, bitChecking)
	s.checks = slices.Delete(s.checks, k, k+1)
}

// currentCheck finds the check that an answer belongs to.
func (s *Session) currentCheck(r RequestID) (int, error) {
	if r == 0 || r > s.nextRequest {
		return 0, &UnknownError{"request", ""}
	}
	k := slices.IndexFunc(s.checks, func(c check) bool { return c.request == r })
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
	checked := check.cell
	s.disarmCheck(&s.checks[k])
	s.endCheck(k)
	s.dropIssues(func(x *issue) bool { return x.source == SourceCheck && x.from == checked })
	for _, entry := range entries {
		s.addIssue(issue{cell: s.cellOfCheck(&check, entry.Path), from: checked, source: SourceCheck, code: entry.Code, text: entry.Text})
	}
	return nil
}

// cellOfCheck finds the cell that an entry of a check names: the checked one where
// the path names none that is there and asked. The row number that the checked row
// had when the check was sent means that row, wherever it is now.
func (s *Session) cellOfCheck(c *check, path string) int32 {
	p, ok := s.form.Lookup(path)
	if !ok {
		return c.cell
	}
	i, there := s.cellAt(p)
	if r := s.cells[c.cell].row; r >= 0 && p.Row == c.row && s.form.GroupOf(p.Field) == s.rows[r].group {
		i, there = s.rows[r].first+s.form.Offset(p.Field), true
	}
	if !there || !s.has(i, bitAsked) {
		return c.cell
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
	c.timer = 0
	if c.request == 0 {
		s.sendCheck(c)
		return
	}
	s.emit(Effect{Kind: EffectAbort, Request: c.request})
	s.endCheck(k)
}

// restartChecks begins again what was given up when the form was left.
func (s *Session) restartChecks() {
	for k := range s.checks {
		s.checks[k].request = 0
		s.armCheck(&s.checks[k], TimerCheckDelay)
	}
}
