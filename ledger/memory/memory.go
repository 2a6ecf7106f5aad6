// Package memory keeps submission keys in the memory of one process: for tests
// and for programs that may forget.
//
//	store := memory.New(24 * time.Hour)
package memory

import (
	"context"
	"sync"
	"time"

	"leanwicket.dev/ledger"
)

// Store is a ledger.Store.
type Store struct {
	keep time.Duration
	now  func() time.Time

	mu      sync.Mutex
	entries map[ledger.Key]*entry
	swept   time.Time
}

type entry struct {
	fingerprint [32]byte
	owner       [16]byte
	until       time.Time // the end of the lease, or of the answer
	settled     bool
	answer      ledger.Response
}

// New makes a store that forgets a settled key after a time.
func New(keep time.Duration) *Store {
	return &Store{keep: keep, now: time.Now, entries: map[ledger.Key]*entry{}}
}

// Reserve implements [ledger.Store].
func (s *Store) Reserve(_ context.Context, r ledger.Reservation) (ledger.State, ledger.Response, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.now()
	s.sweep(now)
	switch e := s.entries[r.Key]; {
	case e == nil, e.settled && now.After(e.until):
	case e.fingerprint != r.Fingerprint:
		return ledger.Different, ledger.Response{}, nil
	case e.settled:
		return ledger.Settled, e.answer, nil
	case e.owner != r.Owner && now.Before(e.until):
		return ledger.InFlight, ledger.Response{}, nil
	}
	s.entries[r.Key] = &entry{fingerprint: r.Fingerprint, owner: r.Owner, until: now.Add(r.Lease)}
	return ledger.Reserved, ledger.Response{}, nil
}

// sweep drops what is over, at most once a minute.
func (s *Store) sweep(now time.Time) {
	if now.Sub(s.swept) < time.Minute {
		return
	}
	s.swept = now
	for key, e := range s.entries {
		if now.After(e.until.Add(s.keep)) {
			delete(s.entries, key)
		}
	}
}

// Settle implements [ledger.Store].
func (s *Store) Settle(_ context.Context, r ledger.Reservation, a ledger.Response) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	e := s.entries[r.Key]
	if e == nil || e.settled || e.owner != r.Owner {
		return ledger.ErrLost
	}
	e.settled, e.answer, e.until = true, a, s.now().Add(s.keep)
	return nil
}

// Find implements [ledger.Store].
func (s *Store) Find(_ context.Context, k ledger.Key) (*ledger.Kept, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if e := s.entries[k]; e != nil && e.settled && !s.now().After(e.until) {
		return &ledger.Kept{Response: e.answer, Fingerprint: e.fingerprint}, nil
	}
	return nil, nil
}

// Release implements [ledger.Store].
func (s *Store) Release(_ context.Context, r ledger.Reservation) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if e := s.entries[r.Key]; e != nil && !e.settled && e.owner == r.Owner {
		delete(s.entries, r.Key)
	}
	return nil
}
