package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// A sweep goes through all keys in their order, one window after the other, and forgets those that
// are over. An index of the times would have to be written with each key.
type sweep struct {
	after   [3]string // principal, route and key, where the next window begins
	commits int       // since the last window
	last    time.Time
}

// Sixty-four keys are looked at for each sixteen that are written at most, so that the keys that
// are over are a quarter of the others at most.
const (
	window         = 64
	commitsAWindow = 16
)

// sweepNow sweeps a window with a commit where it is time. What fails stays for the next round.
func (s *Store) sweepNow(w *writing) {
	if s.sweep.commits++; s.sweep.commits < commitsAWindow && time.Since(s.sweep.last) < time.Second {
		return
	}
	_, _, _ = s.sweepWindow(w, window)
	s.sweep.commits, s.sweep.last = 0, time.Now()
}

// sweepWindow forgets what is over in the next window, and says how many keys that were and whether
// it was the last window of a round.
func (s *Store) sweepWindow(w *writing, size int) (forgotten int, wasLast bool, err error) {
	from := s.sweep.after
	var to [3]string
	err = w.Stmt(s.windowEnd).QueryRow(from[0], from[1], from[2], size-1).Scan(&to[0], &to[1], &to[2])
	if wasLast = errors.Is(err, sql.ErrNoRows); err != nil && !wasLast {
		return 0, false, err
	}
	var upTo any = to[0]
	if wasLast {
		upTo = []byte{} // any BLOB is greater than any TEXT
	}
	now := time.Now()
	forgotten, err = changed(w.Stmt(s.prune).Exec(now.UnixMilli(), now.Add(-s.keep).UnixMilli(), from[0], from[1], from[2], upTo, to[1], to[2]))
	s.sweep.after = to
	return forgotten, wasLast, err
}

// Prune forgets the answers that are no longer kept, and work that was given up as long ago;
// it says how many. They go by themselves too, a few with each commit.
func (s *Store) Prune(ctx context.Context) (int, error) {
	pruned := 0
	for last, first := false, true; !last; first = false {
		err := s.write(ctx, func(w *writing) (err error) {
			if first {
				s.sweep.after = [3]string{}
			}
			var n int
			n, last, err = s.sweepWindow(w, 1000)
			pruned += n
			return err
		})
		if err != nil {
			return pruned, err
		}
	}
	return pruned, nil
}
