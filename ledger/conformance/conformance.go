// Package conformance has the laws that every store of the ledger keeps, for the
// tests of each.
package conformance

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

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
		require.NoError(t, err)
		return s
	}
	other := func(r ledger.Reservation) ledger.Reservation {
		r.Owner = [16]byte{2}
		return r
	}

	t.Run("a repeat gets the stored answer", func(t *testing.T) {
		r := fresh()
		require.Equal(t, ledger.Reserved, state(r))
		require.Equal(t, ledger.InFlight, state(other(r)))
		stored := ledger.Answer{Status: 201, Header: map[string]string{"Location": "/permits/7"}, Body: []byte(`{"id":7}`)}
		require.NoError(t, store.Settle(ctx, r, stored))
		s, answer, err := store.Reserve(ctx, other(r))
		require.NoError(t, err)
		require.Equal(t, ledger.Settled, s)
		require.Equal(t, stored, answer)
	})
	t.Run("a key with other values, and another account's", func(t *testing.T) {
		r := fresh()
		require.Equal(t, ledger.Reserved, state(r))
		different := r
		different.Fingerprint = [32]byte{255}
		require.Equal(t, ledger.Different, state(different))
		require.NoError(t, store.Settle(ctx, r, ledger.Answer{Status: 201}))
		require.Equal(t, ledger.Different, state(different))
		stranger := r
		stranger.Principal = "bo"
		require.Equal(t, ledger.Reserved, state(stranger))
	})
	t.Run("a lease that has run out is taken over", func(t *testing.T) {
		r := fresh()
		r.Lease = time.Millisecond
		require.Equal(t, ledger.Reserved, state(r))
		require.Eventually(t, func() bool { return state(other(r)) == ledger.Reserved }, 5*time.Second, 5*time.Millisecond)
		require.ErrorIs(t, store.Settle(ctx, r, ledger.Answer{Status: 201}), ledger.ErrLost)
	})
	t.Run("released work can be done again, by its owner's word alone", func(t *testing.T) {
		r := fresh()
		require.Equal(t, ledger.Reserved, state(r))
		require.NoError(t, store.Release(ctx, other(r)))
		require.Equal(t, ledger.InFlight, state(other(r)))
		require.NoError(t, store.Release(ctx, r))
		require.Equal(t, ledger.Reserved, state(other(r)))
		require.ErrorIs(t, store.Settle(ctx, r, ledger.Answer{}), ledger.ErrLost)
	})
	t.Run("fifty at once: one works, all get its answer", func(t *testing.T) {
		r := fresh()
		var worked atomic.Int32
		var all sync.WaitGroup
		for range 50 {
			all.Go(func() {
				answer, _, err := ledger.Once(ctx, store, r, ledger.Options{Patience: 20 * time.Second}, func(context.Context) (ledger.Answer, error) {
					time.Sleep(20 * time.Millisecond)
					return ledger.Answer{Status: 200 + int(worked.Add(1))}, nil
				})
				if err != nil || answer.Status != 201 {
					t.Error(answer.Status, err)
				}
			})
		}
		all.Wait()
		require.EqualValues(t, 1, worked.Load())
	})
	t.Run("work that fails or panics gives its key back", func(t *testing.T) {
		r := fresh()
		do := func(work func() (ledger.Answer, error)) (ledger.Answer, error) {
			a, _, err := ledger.Once(ctx, store, r, ledger.Options{Patience: -1}, func(context.Context) (ledger.Answer, error) { return work() })
			return a, err
		}
		_, err := do(func() (ledger.Answer, error) { return ledger.Answer{}, errors.New("closed") })
		require.ErrorContains(t, err, "closed")
		require.Panics(t, func() { _, _ = do(func() (ledger.Answer, error) { panic("out of order") }) })
		a, err := do(func() (ledger.Answer, error) { return ledger.Answer{Status: 201}, nil })
		require.NoError(t, err)
		require.Equal(t, 201, a.Status)
	})
}
