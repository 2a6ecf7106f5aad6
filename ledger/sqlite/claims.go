package sqlite

import (
	"context"
	"errors"
	"sync"
	"time"

	"leanwicket.dev/ledger"
)

var errImpatient = errors.New("another works on the key")

// claims are the keys that are worked on. Those of this process stand in a map, those of other
// processes on this machine in a file that each of them locks a byte of.
type claims struct {
	mu   sync.Mutex
	held map[ledger.Key]chan struct{} // closed when it is given back
	file byteLocks
}

// take waits for a key until late.
func (c *claims) take(ctx context.Context, k ledger.Key, late <-chan time.Time) (release func(), err error) {
	mine := make(chan struct{})
	for {
		c.mu.Lock()
		others, held := c.held[k]
		if !held {
			c.held[k] = mine
		}
		c.mu.Unlock()
		if !held {
			break
		}
		select {
		case <-others:
		case <-late:
			return nil, errImpatient
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	giveBack := sync.OnceFunc(func() {
		c.mu.Lock()
		delete(c.held, k)
		c.mu.Unlock()
		close(mine)
	})
	for pause := time.Millisecond; ; pause = min(2*pause, 50*time.Millisecond) {
		got, err := c.file.lock(k)
		if got && err == nil {
			return sync.OnceFunc(func() { c.file.unlock(k); giveBack() }), nil
		}
		if err != nil {
			giveBack()
			return nil, err
		}
		select {
		case <-time.After(pause):
		case <-late:
			giveBack()
			return nil, errImpatient
		case <-ctx.Done():
			giveBack()
			return nil, ctx.Err()
		}
	}
}
