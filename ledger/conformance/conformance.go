// Package conformance has the laws that every store of the ledger keeps, for the
// tests of each.
package conformance

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"leanwicket.dev/ledger"
)

// Keys holds a store to: one key, one winner, one answer.
func Keys(t *testing.T, store ledger.Store) {
	ctx := context.Background()
	n := byte(0)
	fresh := func() ledger.Reservation {
		n++
		return ledger.Reservation{Key: ledger.Key{Principal: "ada", Route: "/permits", Key: string(rune('a' + n))}, Fingerprint: [32]byte{n}, Owner: [16]byte{1}, Lease: time.Minute}
	}
	state := func(r ledger.Reservation) ledger.State {
		s, _, err := store.Reserve(ctx, r)
		noError(t, err)
		return s
	}
	other := func(r ledger.Reservation) ledger.Reservation {
		r.Owner = [16]byte{2}
		return r
	}

	t.Run("a repeat gets the stored answer", func(t *testing.T) {
		r := fresh()
		equal(t, ledger.Reserved, state(r))
		equal(t, ledger.InFlight, state(other(r)))
		found, err := store.Find(ctx, r.Key)
		noError(t, err)
		equal(t, (*ledger.Kept)(nil), found, "nothing is known of work that goes on")
		stored := ledger.Response{Status: 201, Header: map[string]string{"Location": "/permits/7"}, Body: []byte(`{"id":7}`)}
		noError(t, store.Settle(ctx, r, stored))
		s, answer, err := store.Reserve(ctx, other(r))
		noError(t, err)
		equal(t, ledger.Settled, s)
		equal(t, stored, answer)
		found, err = store.Find(ctx, r.Key)
		noError(t, err)
		equal(t, &ledger.Kept{Response: stored, Fingerprint: r.Fingerprint}, found)
		stranger := r.Key
		stranger.Principal = "bo"
		found, err = store.Find(ctx, stranger)
		noError(t, err)
		equal(t, (*ledger.Kept)(nil), found, "another account's key")
	})
	t.Run("a key with other values, and another account's", func(t *testing.T) {
		r := fresh()
		equal(t, ledger.Reserved, state(r))
		different := r
		different.Fingerprint = [32]byte{255}
		equal(t, ledger.Different, state(different))
		noError(t, store.Settle(ctx, r, ledger.Response{Status: 201}))
		equal(t, ledger.Different, state(different))
		stranger := r
		stranger.Principal = "bo"
		equal(t, ledger.Reserved, state(stranger))
	})
	t.Run("a lease that has run out is taken over", func(t *testing.T) {
		r := fresh()
		r.Lease = time.Millisecond
		equal(t, ledger.Reserved, state(r))
		eventually(t, func() bool { return state(other(r)) == ledger.Reserved }, 5*time.Second, 5*time.Millisecond)
		isError(t, store.Settle(ctx, r, ledger.Response{Status: 201}), ledger.ErrLost)
		noError(t, store.Settle(ctx, other(r), ledger.Response{Status: 202}))
		equal(t, ledger.Settled, state(r))
	})
	t.Run("work that was given up is not taken over by other values", func(t *testing.T) {
		r := fresh()
		r.Lease = time.Millisecond
		equal(t, ledger.Reserved, state(r))
		time.Sleep(20 * time.Millisecond)
		different := other(r)
		different.Fingerprint = [32]byte{255}
		equal(t, ledger.Different, state(different))
	})
	t.Run("who finds his own claim has won it: the answer to it was lost", func(t *testing.T) {
		r := fresh()
		equal(t, ledger.Reserved, state(r))
		equal(t, ledger.Reserved, state(r))
	})
	t.Run("who claims again renews the lease, and claims nothing of what another has taken over", func(t *testing.T) {
		r := fresh()
		r.Lease = time.Millisecond
		equal(t, ledger.Reserved, state(r))
		r.Lease = time.Minute
		equal(t, ledger.Reserved, state(r))
		time.Sleep(20 * time.Millisecond)
		equal(t, ledger.InFlight, state(other(r)))
		noError(t, store.Settle(ctx, r, ledger.Response{Status: 201}))
	})
	t.Run("work that outlasts its lease many times keeps its key", func(t *testing.T) {
		atOnce(t, store, fresh(), 5, time.Second, 3*time.Second)
	})
	t.Run("bytes of any kind come back", func(t *testing.T) {
		r := fresh()
		r.Key.Key, r.Principal = "k\x01'; DROP TABLE x; --\u202e", "bo\"\\é"
		equal(t, ledger.Reserved, state(r))
		noError(t, store.Settle(ctx, r, ledger.Response{Status: 200, Body: []byte{0, 255, '\'', '\n'}}))
		_, answer, err := store.Reserve(ctx, other(r))
		noError(t, err)
		equal(t, []byte{0, 255, '\'', '\n'}, answer.Body)
	})
	t.Run("too large a body is not kept", func(t *testing.T) {
		r := fresh()
		do := func() (ledger.Response, bool, error) {
			return ledger.Once(ctx, store, r, ledger.Options{MaxBody: 4}, func(context.Context) (ledger.Response, error) {
				return ledger.Response{Status: 201, Body: []byte("12345")}, nil
			})
		}
		first, repeated, err := do()
		noError(t, err)
		equal(t, false, repeated)
		equal(t, "12345", string(first.Body))
		again, repeated, err := do()
		noError(t, err)
		equal(t, true, repeated)
		equal(t, 201, again.Status)
		equal(t, 0, len(again.Body))
	})
	t.Run("released work can be done again, by its owner's word alone", func(t *testing.T) {
		r := fresh()
		equal(t, ledger.Reserved, state(r))
		noError(t, store.Release(ctx, other(r)))
		equal(t, ledger.InFlight, state(other(r)))
		noError(t, store.Release(ctx, r))
		equal(t, ledger.Reserved, state(other(r)))
		isError(t, store.Settle(ctx, r, ledger.Response{}), ledger.ErrLost)
	})
	t.Run("fifty at once: one works, all get its answer", func(t *testing.T) {
		atOnce(t, store, fresh(), 50, 0, 20*time.Millisecond)
	})
	t.Run("a refusal is an answer", func(t *testing.T) {
		r := fresh()
		for range 2 {
			answer, _, err := ledger.Once(ctx, store, r, ledger.Options{}, func(context.Context) (ledger.Response, error) {
				return ledger.Response{}, ledger.Refused{Response: ledger.Response{Status: 422}}
			})
			noError(t, err)
			equal(t, 422, answer.Status)
		}
	})
	t.Run("work that fails or panics gives its key back", func(t *testing.T) {
		r := fresh()
		do := func(work func() (ledger.Response, error)) (ledger.Response, error) {
			a, _, err := ledger.Once(ctx, store, r, ledger.Options{Patience: -1}, func(context.Context) (ledger.Response, error) { return work() })
			return a, err
		}
		_, err := do(func() (ledger.Response, error) { return ledger.Response{}, errors.New("closed") })
		errorContains(t, err, "closed")
		panics(t, "out of order", func() { _, _ = do(func() (ledger.Response, error) { panic("out of order") }) })
		a, err := do(func() (ledger.Response, error) { return ledger.Response{Status: 201}, nil })
		noError(t, err)
		equal(t, 201, a.Status)
	})
}

// atOnce has so many send one submission at once, whose work takes so long: one works, and all get
// its answer.
func atOnce(t *testing.T, store ledger.Store, r ledger.Reservation, senders int, lease, takes time.Duration) {
	var worked atomic.Int32
	var all sync.WaitGroup
	for range senders {
		all.Go(func() {
			answer, _, err := ledger.Once(context.Background(), store, r, ledger.Options{Lease: lease, Patience: 20 * time.Second}, func(context.Context) (ledger.Response, error) {
				time.Sleep(takes)
				return ledger.Response{Status: 200 + int(worked.Add(1))}, nil
			})
			if err != nil || answer.Status != 201 {
				t.Error(answer.Status, err)
			}
		})
	}
	all.Wait()
	equal(t, int32(1), worked.Load())
}

// Forgets holds a store to its word that it keeps answers only for a time: the
// store keeps them for less than a second; prune is nil where the server forgets
// by itself.
func Forgets(t *testing.T, store ledger.Store, prune func(context.Context) (int, error)) {
	ctx := context.Background()
	r := ledger.Reservation{Key: ledger.Key{Key: "old"}, Fingerprint: [32]byte{1}, Owner: [16]byte{1}, Lease: time.Minute}
	reserve := func(r ledger.Reservation) ledger.State {
		state, _, err := store.Reserve(ctx, r)
		noError(t, err)
		return state
	}
	equal(t, ledger.Reserved, reserve(r))
	noError(t, store.Settle(ctx, r, ledger.Response{Status: 201}))
	open := r
	open.Key.Key = "open"
	equal(t, ledger.Reserved, reserve(open))
	if prune != nil {
		// The store also forgets beside what goes on, and can be first. So there is a new key for each try.
		next := r
		eventually(t, func() bool {
			next.Key.Key += "+"
			equal(t, ledger.Reserved, reserve(next))
			noError(t, store.Settle(ctx, next, ledger.Response{Status: 201}))
			n, err := prune(ctx)
			noError(t, err)
			return n > 0
		}, 10*time.Second, 50*time.Millisecond)
	}
	other := r
	other.Fingerprint, other.Owner = [32]byte{2}, [16]byte{2}
	eventually(t, func() bool { return reserve(other) == ledger.Reserved }, 10*time.Second, 50*time.Millisecond)
	open.Owner = [16]byte{2}
	equal(t, ledger.InFlight, reserve(open), "what is being worked on is not forgotten")
}

// ForgetsByItself holds a store to: keys that are over go while others come. The store keeps
// answers for less than a second; count counts all that it has.
func ForgetsByItself(t *testing.T, store ledger.Store, count func() int) {
	next := 0
	one := func() {
		next++
		r := ledger.Reservation{Key: ledger.Key{Key: fmt.Sprint("forgotten", next)}, Fingerprint: [32]byte{1}}
		_, _, err := ledger.Once(context.Background(), store, r, ledger.Options{}, func(context.Context) (ledger.Response, error) {
			return ledger.Response{Status: 201}, nil
		})
		noError(t, err)
	}
	for range 100 {
		one()
	}
	eventually(t, func() bool { one(); return count() < 40 }, 20*time.Second, 50*time.Millisecond)
}

// Effects holds a store to: the work takes effect exactly once, and only with its
// answer. Write adds one row in the work's transaction, count counts the rows.
func Effects(t *testing.T, store ledger.Transactional, write func(ctx context.Context, value string) error, count func(value string) int) {
	ctx := context.Background()
	once := func(ctx context.Context, value string, after func() error) (ledger.Response, bool, error) {
		r := ledger.Reservation{Key: ledger.Key{Route: "/effects", Key: value}, Fingerprint: [32]byte{7}}
		return ledger.Once(ctx, store, r, ledger.Options{Patience: 20 * time.Second}, func(ctx context.Context) (ledger.Response, error) {
			if err := write(ctx, value); err != nil {
				return ledger.Response{}, err
			}
			return ledger.Response{Status: 201, Body: []byte(value)}, after()
		})
	}
	good := func() error { return nil }

	t.Run("work that fails leaves nothing", func(t *testing.T) {
		_, _, err := once(ctx, "fails", func() error { return errors.New("closed") })
		errorContains(t, err, "closed")
		panics(t, "out of order", func() { _, _, _ = once(ctx, "fails", func() error { panic("out of order") }) })
		equal(t, 0, count("fails"))
		_, repeated, err := once(ctx, "fails", good)
		noError(t, err)
		equal(t, false, repeated)
		equal(t, 1, count("fails"))
	})
	t.Run("a client that goes away has all or nothing", func(t *testing.T) {
		for k := range 20 {
			value := "gone" + string(rune('a'+k))
			leaving, cancel := context.WithCancel(ctx)
			_, _, _ = once(leaving, value, func() error { cancel(); return nil })
			_, _, err := once(ctx, value, good)
			noError(t, err)
			equal(t, 1, count(value))
		}
	})
	t.Run("many at once: each key takes effect once, its repeats get its answer", func(t *testing.T) {
		var all sync.WaitGroup
		for k := range 200 {
			all.Go(func() {
				value := "many" + string(rune('a'+k%10))
				answer, _, err := once(ctx, value, func() error { time.Sleep(time.Millisecond); return nil })
				if err != nil || string(answer.Body) != value {
					t.Error(value, answer, err)
				}
			})
		}
		all.Wait()
		for k := range 10 {
			equal(t, 1, count("many"+string(rune('a'+k))))
		}
	})
	t.Run("a refusal is kept, and nothing of what the work wrote", func(t *testing.T) {
		refuse := func() error { return ledger.Refused{Response: ledger.Response{Status: 422, Body: []byte("taken")}} }
		for range 2 {
			answer, _, err := once(ctx, "refused", refuse)
			noError(t, err)
			equal(t, 422, answer.Status)
			equal(t, "taken", string(answer.Body))
		}
		equal(t, 0, count("refused"))
	})
	t.Run("work that takes too long has done nothing, and can be done again", func(t *testing.T) {
		r := ledger.Reservation{Key: ledger.Key{Route: "/effects", Key: "long"}, Fingerprint: [32]byte{7}}
		_, _, err := ledger.Once(ctx, store, r, ledger.Options{Limit: 20 * time.Millisecond}, func(ctx context.Context) (ledger.Response, error) {
			if err := write(ctx, "long"); err != nil {
				return ledger.Response{}, err
			}
			<-ctx.Done()
			return ledger.Response{}, ctx.Err()
		})
		isError(t, err, ledger.ErrBusy)
		equal(t, 0, count("long"))
		_, repeated, err := once(ctx, "long", good)
		noError(t, err)
		equal(t, false, repeated)
		equal(t, 1, count("long"))
	})
	t.Run("impatient while another is at work", func(t *testing.T) {
		r := ledger.Reservation{Key: ledger.Key{Route: "/effects", Key: "slow"}, Fingerprint: [32]byte{7}}
		begun, end := make(chan bool), make(chan bool)
		var slow sync.WaitGroup
		slow.Go(func() {
			_, _, err := ledger.Once(ctx, store, r, ledger.Options{}, func(context.Context) (ledger.Response, error) {
				close(begun)
				<-end
				return ledger.Response{Status: 201}, nil
			})
			if err != nil {
				t.Error(err)
			}
		})
		<-begun
		_, _, err := ledger.Once(ctx, store, r, ledger.Options{Patience: 50 * time.Millisecond}, nil)
		isError(t, err, ledger.ErrInFlight)
		close(end)
		slow.Wait()
	})
}
