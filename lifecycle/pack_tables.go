package lifecycle

import (
	"encoding/binary"
	"sync"

	"leanwicket.dev/form"
)

// listWriter writes small numbers, facts and texts.
type listWriter struct{ to []byte }

func (l *listWriter) numbers(ns ...int) {
	for _, n := range ns {
		if n >= 0 && n < 64 { // as AppendVarint would write it
			l.to = append(l.to, byte(n<<1))
		} else {
			l.to = binary.AppendVarint(l.to, int64(n))
		}
	}
}

func (l *listWriter) small(bs ...byte) { l.to = append(l.to, bs...) }

// flags writes at most eight facts in a byte.
func (l *listWriter) flags(fs ...bool) {
	b := byte(0)
	for k, f := range fs {
		if f {
			b |= 1 << k
		}
	}
	l.to = append(l.to, b)
}

func (l *listWriter) text(s string) {
	l.numbers(len(s))
	l.to = append(l.to, s...)
}

func (l *listWriter) value(v form.Value) {
	l.numbers(int(v.Kind), int(v.Exp), int(v.Coef))
	l.text(v.Text)
}

// listReader reads what a listWriter wrote; texts are parts of what it reads.
type listReader struct{ rest string }

func (l *listReader) number() int {
	if b := l.rest[0]; b < 0x80 { // most are a byte
		l.rest = l.rest[1:]
		return int(b>>1) ^ -int(b&1)
	}
	n, size := binary.Varint([]byte(l.rest[:min(len(l.rest), binary.MaxVarintLen64)]))
	l.rest = l.rest[size:]
	return int(n)
}

func (l *listReader) small() byte {
	b := l.rest[0]
	l.rest = l.rest[1:]
	return b
}

func (l *listReader) text() string {
	n := l.number()
	text := l.rest[:n]
	l.rest = l.rest[n:]
	return text
}

func (l *listReader) value() form.Value {
	return form.Value{Kind: form.ValueKind(l.number()), Exp: int32(l.number()), Coef: int64(l.number()), Text: l.text()}
}

// table numbers what it is given, in the order in which it comes.
type table[K comparable, V any] struct {
	mu      sync.Mutex
	numbers map[K]uint32
	list    []V
	bytes   int // about what it takes
}

// cache is a goroutine's own view of a table.
type cache[K comparable, V any] struct {
	of      *table[K, V]
	numbers map[K]uint32
	list    []V
}

func newCache[K comparable, V any]() cache[K, V] {
	t := table[K, V]{numbers: map[K]uint32{}}
	return cache[K, V]{&t, map[K]uint32{}, nil}
}

func (c *cache[K, V]) fork() cache[K, V] { return cache[K, V]{c.of, map[K]uint32{}, nil} }

func (c *cache[K, V]) number(key K, v V) uint32 {
	id, known := c.numbers[key]
	if !known {
		id = c.learn(key, v, 2*entryBytes)
	}
	return id
}

// numberOfBytes is number for a text that is not made into a string unless it is
// new.
func numberOfBytes(c *cache[string, string], key []byte) uint32 {
	if id, known := c.numbers[string(key)]; known {
		return id
	}
	text := string(key)
	return c.learn(text, text, len(text)+entryBytes)
}

// entryBytes is about what an entry takes in a table and in the caches beside
// its own bytes.
const entryBytes = 120

func (c *cache[K, V]) learn(key K, v V, size int) uint32 {
	c.of.mu.Lock()
	defer c.of.mu.Unlock()
	id, known := c.of.numbers[key]
	if !known {
		id = uint32(len(c.of.list))
		c.of.numbers[key] = id
		c.of.list = append(c.of.list, v)
		c.of.bytes += size
	}
	c.numbers[key] = id
	return id
}

func (c *cache[K, V]) at(id uint32) *V {
	if int(id) >= len(c.list) {
		c.of.mu.Lock()
		c.list = append(c.list, c.of.list[len(c.list):]...)
		c.of.mu.Unlock()
	}
	return &c.list[id]
}
