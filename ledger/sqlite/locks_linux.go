package sqlite

import "golang.org/x/sys/unix"

// setLock locks for the open file: two stores of one process are apart, and to close one of
// them drops no lock of the other.
const setLock = unix.F_OFD_SETLK
