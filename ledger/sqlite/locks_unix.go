//go:build unix

package sqlite

import (
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"

	"golang.org/x/sys/unix"

	"leanwicket.dev/ledger"
)

// byteLocks are a file of which each process locks one byte for each key that it works on. The
// system gives them back when the process ends, however it ends.
type byteLocks struct{ *os.File }

func openLocks(path string) (byteLocks, error) {
	file, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o666)
	return byteLocks{file}, err
}

// lock reports whether it has the key now.
func (l byteLocks) lock(k ledger.Key) (bool, error) {
	err := l.set(k, unix.F_WRLCK)
	if errors.Is(err, unix.EAGAIN) || errors.Is(err, unix.EACCES) {
		return false, nil
	}
	return err == nil, err
}

func (l byteLocks) unlock(k ledger.Key) { _ = l.set(k, unix.F_UNLCK) }

func (l byteLocks) set(k ledger.Key, kind int16) error {
	sum := sha256.Sum256(fmt.Appendf(nil, "%q %q %q", k.Principal, k.Route, k.Key))
	at := int64(binary.BigEndian.Uint64(sum[:]) >> 2)
	return unix.FcntlFlock(l.Fd(), setLock, &unix.Flock_t{Type: kind, Whence: io.SeekStart, Start: at, Len: 1})
}
