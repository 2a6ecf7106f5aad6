package entry

import (
	"encoding/binary"
	"unsafe"
)

// The door of the core. The script asks for room, writes there what it tells, and calls; what
// it gets is the address of a text, behind its length. Lengths are of four bytes, the lowest
// first. What is told are six texts, one after the other, behind their six lengths: what
// happened, four texts, and the compiled form.

var said, answered []byte

//go:wasmexport room
func room(bytes int32) unsafe.Pointer {
	said = make([]byte, bytes)
	return unsafe.Pointer(unsafe.SliceData(said))
}

//go:wasmexport call
func call(page int32, ms float64) unsafe.Pointer {
	var texts [6]string
	rest := said[4*len(texts):]
	for k := range texts {
		n := binary.LittleEndian.Uint32(said[4*k:])
		texts[k] = string(rest[:n])
		rest = rest[n:]
	}
	patch := Call(int(page), ms, texts[0], [4]string(texts[1:5]), []byte(texts[5]))
	answered = binary.LittleEndian.AppendUint32(answered[:0], uint32(len(patch)))
	answered = append(answered, patch...)
	return unsafe.Pointer(unsafe.SliceData(answered))
}
