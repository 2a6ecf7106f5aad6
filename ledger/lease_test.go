package ledger_test

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
)

// taken is a store in which another has taken over what is being worked on, from the second
// call on, as after a restart that has forgotten all.
type taken struct {
	ledger.Store
	asked atomic.Int32
}

func (s *taken) Reserve(ctx context.Context, r ledger.Reservation) (ledger.State, ledger.Response, error) {
	if s.asked.Add(1) > 1 {
		return ledger.InFlight, ledger.Response{}, nil
	}
	return s.Store.Reserve(ctx, r)
}

// Work whose claim another has taken over ends soon, and its outcome is not known, whatever it
// says itself.
func TestALostClaimEndsTheWork(t *testing.T) {
	for _, says := range []error{nil, errors.New("interrupted"), ledger.Refused{Response: ledger.Response{Status: 422}}} {
		_, _, err := ledger.Once(t.Context(), &taken{Store: memory.New(time.Hour)}, ledger.Reservation{Key: ledger.Key{Key: "a"}}, ledger.Options{Lease: 30 * time.Millisecond, Limit: time.Hour},
			func(ctx context.Context) (ledger.Response, error) {
				<-ctx.Done()
				require.ErrorIs(t, context.Cause(ctx), ledger.ErrLost)
				return ledger.Response{Status: 201}, says
			})
		require.ErrorIs(t, err, ledger.ErrLost)
	}
}
