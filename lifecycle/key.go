package lifecycle

import (
	"encoding/binary"
	"strings"
)

// Key is a submission key: it names one attempt for the server, over all its
// tries.
type Key [16]byte

const hexDigits = "0123456789abcdef"

// String writes the key in 32 hexadecimal digits.
func (k Key) String() string {
	text := make([]byte, 0, 2*len(k))
	for _, b := range k {
		text = append(text, hexDigits[b>>4], hexDigits[b&15])
	}
	return string(text)
}

// ParseKey reads what Key.String wrote.
func ParseKey(s string) (k Key, ok bool) {
	if len(s) != 2*len(k) {
		return Key{}, false
	}
	for i := range len(s) {
		digit := strings.IndexByte(hexDigits, s[i])
		if digit < 0 {
			return Key{}, false
		}
		k[i/2] = k[i/2]<<4 | byte(digit)
	}
	return k, true
}

// Seed is what a session's keys are derived from: 128 random bits, drawn by
// whoever drives the session.
type Seed [16]byte

// key derives the key of an attempt. The mixing can be undone, so one
// session never makes the same key twice.
func (s Seed) key(number int32) Key {
	high, low := binary.BigEndian.Uint64(s[:8]), binary.BigEndian.Uint64(s[8:])
	for round := range uint64(4) {
		low += (uint64(number) + round + 1) * 0x9e3779b97f4a7c15
		high ^= mix(low)
		low ^= mix(high)
	}
	var k Key
	binary.BigEndian.PutUint64(k[:8], high)
	binary.BigEndian.PutUint64(k[8:], low)
	return k
}

// after is the seed of a session that goes on from an attempt with a key. Two
// sessions of one seed make no common keys where they go on from different ones.
func (s Seed) after(k Key) Seed {
	for i := range s {
		s[i] ^= k[i]
	}
	return s
}

// mix is the finalizer of SplitMix64 (Steele, Lea, Flood, 2014).
func mix(z uint64) uint64 {
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}
