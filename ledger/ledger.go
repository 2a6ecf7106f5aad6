// Package ledger remembers submission keys: a key is reserved, the work is done
// once, and every repeat gets the same answer.
//
//	answer, repeated, err := ledger.Once(ctx, store, ledger.Reservation{Key: key, Fingerprint: print}, ledger.Options{},
//		func(ctx context.Context) (ledger.Response, error) {
//			return ledger.Response{Status: 201}, nil // the work
//		})
//
// Each store is a package of its own below this one, so that a program links
// only the one that it uses.
package ledger

import (
	"cmp"
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

// Response is what a request got, and what each repeat gets.
type Response struct {
	Status int
	Header map[string]string
	Body   []byte
}

// Reservation is the claim to do the work of a key.
type Reservation struct {
	Key
	Fingerprint [32]byte      // of route and payload
	Owner       [16]byte      // who works; Once draws it
	Lease       time.Duration // after which another takes over, unless it is renewed; Once fills it in
	Limit       time.Duration // of the work, after which a Transactional store takes back what it has written; Once fills it in
}

// Kept is the answer of a settled key, and what it was given to.
type Kept struct {
	Response
	Fingerprint [32]byte
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

// Store keeps keys. Reserve, Settle, Find and Release are atomic; a store can be used
// by many goroutines, and all but the one in memory by many processes.
type Store interface {
	// Reserve claims a key, or tells what is known of it. The owner of an open claim renews the
	// lease by calling Reserve again.
	Reserve(ctx context.Context, r Reservation) (State, Response, error)
	// Settle stores the answer. The error is ErrLost where another owner has taken
	// over: the work must not take effect then.
	Settle(ctx context.Context, r Reservation, a Response) error
	// Find reads the answer of a settled key, and returns nil where there is none. It claims
	// nothing.
	Find(ctx context.Context, k Key) (*Kept, error)
	// Release gives the key back: the work has failed, and a repeat may try again.
	Release(ctx context.Context, r Reservation) error
}

// Transactional is a store that does the work in the transaction that settles its
// key: both take effect, or neither, whenever the program or its machine stops.
type Transactional interface {
	Store
	// Transact reserves, works and settles in one transaction. The work finds it in
	// its context: each store has a function for that. The state is Reserved where
	// the work was done now. Where another works on the key it waits up to patience
	// for the end of that, then answers InFlight.
	Transact(ctx context.Context, r Reservation, patience time.Duration, work Work) (State, Response, error)
}

// Work is what a key is for. An error means that nothing has been done, and the key is given
// back; but see [Refused]. A Transactional store may do it more than once, of which one takes
// effect.
type Work func(context.Context) (Response, error)

// What a request can get instead of an answer.
var (
	ErrLost      = errors.New("the lease has run out and another owner has taken over")
	ErrInFlight  = errors.New("the same submission is being worked on")
	ErrDifferent = errors.New("the key was used with other values")
	// ErrBusy reports contention or a time-out: the database is busy, or the work has taken too long.
	// Nothing was stored, and the same submission can be sent again in a moment.
	ErrBusy = errors.New("the database is busy")
	// ErrUnknown reports a disk that failed while it took the commit. Nobody knows whether anything was
	// stored. The same submission can be sent again.
	ErrUnknown = errors.New("whether the work has taken effect is not known")
)

// Refused is the error of work that is refused for good. The answer is kept under the key, and
// a Transactional store takes back what the work has written. With another store the work has
// to leave nothing behind by itself.
type Refused struct{ Response Response }

func (Refused) Error() string { return "the work is refused" }

// AsRefused returns the answer of work that was refused, and whether an error is such a refusal. It
// is for stores.
func AsRefused(err error) (Response, bool) {
	var refused Refused
	is := errors.As(err, &refused)
	return refused.Response, is
}

// Ready returns an error where a store cannot be read. It is for the readiness of a server.
func Ready(ctx context.Context, store Store) error {
	_, err := store.Find(ctx, Key{})
	return err
}

// Known returns the answer of a submission that was settled before. It is for whoever has no work for
// the submission. The error is [ErrDifferent] where the key was used with other values.
func Known(ctx context.Context, store Store, r Reservation) (a Response, known bool, err error) {
	kept, err := store.Find(ctx, r.Key)
	switch {
	case err != nil || kept == nil:
		return Response{}, false, err
	case kept.Fingerprint != r.Fingerprint:
		return Response{}, false, ErrDifferent
	}
	return kept.Response, true, nil
}

// Options are how patient Once is, and how much it remembers. The zero value is 10 s of work,
// 30 s of lease, 3 s of patience and 1 MiB.
type Options struct {
	Limit    time.Duration // how long the work may take: its context ends then; 0 means 10 s
	Lease    time.Duration // after which another takes over work whose process has ended; renewed while the work goes on; 0 means 30 s
	Patience time.Duration // how long a repeat waits for the first one's answer; 0 means 3 s, below 0 means that it does not wait
	MaxBody  int           // bytes of an answer's body; a larger one is not kept, and repeats get the answer without it; 0 means 1 MiB
}

func (o Options) orDefaults() Options {
	return Options{cmp.Or(o.Limit, 10*time.Second), cmp.Or(o.Lease, 30*time.Second), cmp.Or(o.Patience, 3*time.Second), cmp.Or(o.MaxBody, 1<<20)}
}

// Once does the work of a key once. A repeat gets the first one's answer, and repeated is true.
// While the first is still at work, a repeat waits a little and then gets ErrInFlight. Work that
// fails or panics gives its key back. With a Transactional
// store the work and its answer commit together.
func Once(ctx context.Context, store Store, r Reservation, o Options, work Work) (a Response, repeated bool, err error) {
	o = o.orDefaults()
	r.Lease, r.Limit = o.Lease, o.Limit
	_, _ = rand.Read(r.Owner[:]) // it never fails
	var given []byte             // the body, also where it is too large to be kept
	kept := func(ctx context.Context) (Response, error) {
		limited, cancel := context.WithTimeout(ctx, o.Limit)
		defer cancel()
		a, err := work(limited)
		refused, isRefused := AsRefused(err)
		switch {
		case isRefused:
			a = refused
		case err != nil && limited.Err() != nil && ctx.Err() == nil:
			return Response{}, fmt.Errorf("%w: the work took longer than %s: %w", ErrBusy, o.Limit, err)
		case err != nil:
			return Response{}, err
		}
		if given = a.Body; len(given) > o.MaxBody {
			a.Body = nil
		}
		if isRefused {
			return Response{}, Refused{a}
		}
		return a, nil
	}
	deadline := time.Now().Add(o.Patience)
	for pause := 10 * time.Millisecond; ; pause = min(2*pause, 200*time.Millisecond) {
		state, answer, err := attempt(ctx, store, r, time.Until(deadline), kept)
		switch {
		case err != nil:
			return Response{}, false, err
		case state == Settled:
			return answer, true, nil
		case state == Different:
			return Response{}, false, ErrDifferent
		case state == Reserved:
			answer.Body = given
			return answer, false, nil
		case time.Now().After(deadline):
			return Response{}, false, ErrInFlight
		}
		select {
		case <-ctx.Done():
			return Response{}, false, ctx.Err()
		case <-time.After(pause):
		}
	}
}

// attempt does the work if the key is free.
func attempt(ctx context.Context, store Store, r Reservation, patience time.Duration, work Work) (State, Response, error) {
	if transactional, ok := store.(Transactional); ok {
		return transactional.Transact(ctx, r, max(0, patience), work)
	}
	state, answer, err := store.Reserve(ctx, r)
	if err != nil {
		return 0, Response{}, fmt.Errorf("reserving the key: %w", err)
	}
	if state == Reserved {
		answer, err = settle(ctx, store, r, work)
	}
	return state, answer, err
}

func settle(ctx context.Context, store Store, r Reservation, work Work) (a Response, err error) {
	held, end := renewing(ctx, store, r)
	settled := false
	defer func() {
		end()
		if !settled { // also when the work panics
			release, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			err = errors.Join(err, store.Release(release, r))
		}
	}()
	a, err = work(held)
	end()
	if refused, isRefused := AsRefused(err); isRefused {
		a, err = refused, nil
	}
	if context.Cause(held) == ErrLost { // what another does meanwhile is not known, whatever this work says
		return Response{}, errors.Join(ErrLost, err)
	}
	if err != nil {
		return Response{}, err
	}
	if err = store.Settle(ctx, r, a); err != nil {
		return Response{}, fmt.Errorf("settling the key: %w", err)
	}
	settled = true
	return a, nil
}

// renewing renews the lease of a claim until end is called. It can be called twice. The context of the
// work ends with ErrLost where another owner has taken over.
func renewing(ctx context.Context, store Store, r Reservation) (held context.Context, end func()) {
	held, cancel := context.WithCancelCause(ctx)
	asking, stop := context.WithCancel(context.WithoutCancel(ctx)) // also where the client has left
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(max(r.Lease/3, time.Millisecond))
		defer tick.Stop()
		for {
			select {
			case <-asking.Done():
				return
			case <-tick.C:
				if state, _, err := store.Reserve(asking, r); err == nil && state != Reserved { // an error may go by before the lease has run out
					cancel(ErrLost)
					return
				}
			}
		}
	}()
	return held, func() {
		stop()
		<-ended
		cancel(nil)
	}
}
