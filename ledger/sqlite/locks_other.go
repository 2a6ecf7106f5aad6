//go:build !unix

package sqlite

import "leanwicket.dev/ledger"

// byteLocks are none here: two processes may do the same work at the same time, and one of
// them commits.
type byteLocks struct{}

func openLocks(string) (byteLocks, error)       { return byteLocks{}, nil }
func (byteLocks) lock(ledger.Key) (bool, error) { return true, nil }
func (byteLocks) unlock(ledger.Key)             {}
func (byteLocks) Close() error                  { return nil }
