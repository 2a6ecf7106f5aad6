// Package codec writes a state as few bytes and reads it again. One function visits the
// fields of a state, in one order, for both ways, so that what is written is what is
// read.
//
//	func visit(c *codec.Codec, s *state) {
//		c.Flags(&s.open, &s.late)
//		codec.Number(c, &s.count)
//		c.Text(&s.name)
//	}
//	w := codec.Writing(nil)
//	visit(&w, &state)
//	r := codec.Reading(string(w.Written()))
//	visit(&r, &other) // is the same as state now
package codec

import "encoding/binary"

// Codec writes what it visits, or reads it. The zero value writes.
type Codec struct {
	reads   bool
	written []byte
	rest    string
}

// Writing is a codec that appends to bytes.
func Writing(to []byte) Codec { return Codec{written: to} }

// Reading is a codec that reads what another one wrote. The texts that it reads are
// parts of what it is given.
func Reading(written string) Codec { return Codec{reads: true, rest: written} }

// Reads reports whether the codec reads.
func (c *Codec) Reads() bool { return c.reads }

// Written is what has been written.
func (c *Codec) Written() []byte { return c.written }

// Number visits a whole number.
func Number[T ~int | ~int32 | ~int64 | ~uint8 | ~uint16 | ~uint32](c *Codec, n *T) {
	if c.reads {
		*n = T(c.get())
		return
	}
	c.put(int64(*n))
}

// Numbers visits numbers, as Number does each.
func (c *Codec) Numbers(ns []int64) {
	for k := range ns {
		Number(c, &ns[k])
	}
}

// Length visits the length of a list: it is what was written, where the codec reads.
func (c *Codec) Length(n int) int {
	Number(c, &n)
	return n
}

// put writes a number: most are a byte, as [binary.AppendVarint] writes it.
func (c *Codec) put(n int64) {
	if uint64(n) < 64 {
		c.written = append(c.written, byte(n)<<1)
		return
	}
	c.written = binary.AppendVarint(c.written, n)
}

// get reads what put wrote.
func (c *Codec) get() int64 {
	if b := c.rest[0]; b < 0x80 {
		c.rest = c.rest[1:]
		return int64(b>>1) ^ -int64(b&1)
	}
	n, size := binary.Varint([]byte(c.rest[:min(len(c.rest), binary.MaxVarintLen64)]))
	c.rest = c.rest[size:]
	return n
}

// Flags visits at most eight facts, which are a byte.
func (c *Codec) Flags(facts ...*bool) {
	if c.reads {
		for k, fact := range facts {
			*fact = c.rest[0]&(1<<k) != 0
		}
		c.rest = c.rest[1:]
		return
	}
	b := byte(0)
	for k, fact := range facts {
		if *fact {
			b |= 1 << k
		}
	}
	c.written = append(c.written, b)
}

// Text visits a text.
func (c *Codec) Text(text *string) {
	n := c.Length(len(*text))
	if c.reads {
		*text, c.rest = c.rest[:n], c.rest[n:]
		return
	}
	c.written = append(c.written, *text...)
}

// Bytes visits bytes of a known number.
func (c *Codec) Bytes(bytes []byte) {
	if c.reads {
		c.rest = c.rest[copy(bytes, c.rest):]
		return
	}
	c.written = append(c.written, bytes...)
}

// List visits a list, element by element. What is read stands in the list's own memory,
// as far as it goes.
func List[T any](c *Codec, list *[]T, visit func(*Codec, *T)) {
	n := c.Length(len(*list))
	if c.reads {
		*list = (*list)[:0]
		for range n {
			var element T
			*list = append(*list, element)
			visit(c, &(*list)[len(*list)-1])
		}
		return
	}
	for k := range *list {
		visit(c, &(*list)[k])
	}
}
