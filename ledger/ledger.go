// Package ledger remembers submission keys: a key is reserved, the work is done
// once, and every repeat gets the same answer.
//
//	answer, replayed, err := ledger.Once(ctx, store, ledger.Reservation{Key: key, Fingerprint: print}, ledger.Options{},
//		func(ctx context.Context) (ledger.Answer, error) {
//			return ledger.Answer{Status: 201}, nil // the work
//		})
//
// Each store is a package of its own below this one, so that a program links
// only the one that it uses.
package ledger

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"time"
)

// Key names a submission: keys of different principals never meet.
type Key struct {
	Principal string // the account, not the sign-in
	Route     string
	Key       string
}

// Answer is what a request got, and what each repeat gets.
type Answer struct {
	Status int
	Header map[string]string
	Body   []byte
}

// Reservation is the claim to do the work of a key.
type Reservation struct {
	Key
	Fingerprint [32]byte      // of route and payload
	Owner       [16]byte      // who works; Once draws it
	Lease       time.Duration // how long the work may take before another takes over; Once fills it in
}

// State is what a store knows of a key.
type State uint8

// The states of a key.
const (
	Reserved  State = iota // it was new, or its lease had run out: the work is this owner's
	Settled                // the answer is known
	InFlight               // another works on it
	Different              // the key is known with another fingerprint
)

// Store keeps keys. Reserve, Settle and Release are atomic; a store can be used
// by many goroutines, and all but the one in memory by many processes.
type Store interface {
	// Reserve claims a key, or tells what is known of it.
	Reserve(ctx context.Context, r Reservation) (State, Answer, error)
	// Settle stores the answer. The error is ErrLost where another owner has taken
	// over: the work must not take effect then.
	Settle(ctx context.Context, r Reservation, a Answer) error
	// Release gives the key back: the work has failed, and a repeat may try again.
	Release(ctx context.Context, r Reservation) error
}

// What a request can get instead of an answer.
var (
	ErrLost      = errors.New("the lease has run out and another owner has taken over")
	ErrInFlight  = errors.New("the same submission is being worked on")
	ErrDifferent = errors.New("the key was used with other values")
)

// Options are how patient Once is. The zero value is 30 s of lease and 3 s of
// patience.
type Options struct {
	Lease    time.Duration // 0: 30 s
	Patience time.Duration // how long a repeat waits for the first one's answer; 0: 3 s, below 0: not at all
}

// Once does the work of a key once. A repeat gets the first one's answer and
// replayed; while the first is still at work it waits a little, then gets
// ErrInFlight. Work that fails or panics releases its key.
func Once(ctx context.Context, store Store, r Reservation, o Options, work func(context.Context) (Answer, error)) (a Answer, replayed bool, err error) {
	if r.Lease = o.Lease; r.Lease == 0 {
		r.Lease = 30 * time.Second
	}
	patience := o.Patience
	if patience == 0 {
		patience = 3 * time.Second
	}
	_, _ = rand.Read(r.Owner[:]) // it never fails
	deadline := time.Now().Add(patience)
	for pause := 10 * time.Millisecond; ; pause = min(2*pause, 200*time.Millisecond) {
		state, known, err := store.Reserve(ctx, r)
		switch {
		case err != nil:
			return Answer{}, false, fmt.Errorf("reserving the key: %w", err)
		case state == Settled:
			return known, true, nil
		case state == Different:
			return Answer{}, false, ErrDifferent
		case state == Reserved:
			answer, err := settle(ctx, store, r, work)
			return answer, false, err
		case time.Now().After(deadline):
			return Answer{}, false, ErrInFlight
		}
		select {
		case <-ctx.Done():
			return Answer{}, false, ctx.Err()
		case <-time.After(pause):
		}
	}
}

func settle(ctx context.Context, store Store, r Reservation, work func(context.Context) (Answer, error)) (a Answer, err error) {
	settled := false
	defer func() {
		if !settled { // also when the work panics
			release, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			err = errors.Join(err, store.Release(release, r))
		}
	}()
	if a, err = work(ctx); err != nil {
		return Answer{}, err
	}
	if err = store.Settle(ctx, r, a); err != nil {
		return Answer{}, fmt.Errorf("settling the key: %w", err)
	}
	settled = true
	return a, nil
}
