//go:build unix && !linux

package sqlite

import "golang.org/x/sys/unix"

// setLock locks for the process: it may open the store of a file only once.
const setLock = unix.F_SETLK
