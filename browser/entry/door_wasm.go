package entry

import (
	"encoding/binary"
	"unsafe"
)

// The door of the core. The script asks for room, writes there what it tells, and calls; what
// it gets is the address of a text, behind its length. Lengths are of four bytes, the lowest
// first. What is told are parts, one after the other, behind their number and their lengths:
// what happened, the texts of the table, and last bytes.

var said, answered []byte

//go:wasmexport room
func room(bytes int32) unsafe.Pointer {
	said = make([]byte, bytes)
	return unsafe.Pointer(unsafe.SliceData(said))
}

//go:wasmexport call
func call(page int32, ms float64) unsafe.Pointer {
	n := int(binary.LittleEndian.Uint32(said))
	rest := said[4+4*n:]
	parts := make([]string, n)
	for k := range parts {
		size := binary.LittleEndian.Uint32(said[4+4*k:])
		parts[k] = string(rest[:size])
		rest = rest[size:]
	}
	patch := Call(int(page), ms, parts[0], parts[1:n-1], []byte(parts[n-1]))
	answered = binary.LittleEndian.AppendUint32(answered[:0], uint32(len(patch)))
	answered = append(answered, patch...)
	return unsafe.Pointer(unsafe.SliceData(answered))
}
