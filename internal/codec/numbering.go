package codec

import "sync"

// Numbering gives each thing that it is shown a number, in the order in which they come,
// and finds it again by that number. Each goroutine has one of its own, made with Fork;
// all forks give the same numbers.
type Numbering[K comparable, V any] struct {
	of      *table[K, V]
	numbers map[K]uint32
	list    []V
}

// table is what the forks of a numbering share.
type table[K comparable, V any] struct {
	mu      sync.Mutex
	numbers map[K]uint32
	list    []V
	bytes   int // about what it takes
}

// NewNumbering makes a numbering that has seen nothing.
func NewNumbering[K comparable, V any]() Numbering[K, V] {
	t := table[K, V]{numbers: map[K]uint32{}}
	return Numbering[K, V]{&t, map[K]uint32{}, nil}
}

// Fork makes a numbering with the same numbers, for another goroutine.
func (n *Numbering[K, V]) Fork() Numbering[K, V] { return Numbering[K, V]{n.of, map[K]uint32{}, nil} }

// Size is about the memory that it takes, in bytes. No fork may be at work meanwhile.
func (n *Numbering[K, V]) Size() int { return n.of.bytes }

// Number is the number of a thing, which has this key.
func (n *Numbering[K, V]) Number(key K, v V) uint32 {
	id, known := n.numbers[key]
	if !known {
		id = n.learn(key, v, 2*entryBytes)
	}
	return id
}

// NumberOfBytes is Number for a text that is not made into a string unless it is new.
func NumberOfBytes(n *Numbering[string, string], key []byte) uint32 {
	if id, known := n.numbers[string(key)]; known {
		return id
	}
	text := string(key)
	return n.learn(text, text, len(text)+entryBytes)
}

// entryBytes is about what an entry takes in a table and in the forks beside its own
// bytes.
const entryBytes = 120

func (n *Numbering[K, V]) learn(key K, v V, size int) uint32 {
	n.of.mu.Lock()
	defer n.of.mu.Unlock()
	id, known := n.of.numbers[key]
	if !known {
		id = uint32(len(n.of.list))
		n.of.numbers[key] = id
		n.of.list = append(n.of.list, v)
		n.of.bytes += size
	}
	n.numbers[key] = id
	return id
}

// At is the thing that has a number.
func (n *Numbering[K, V]) At(id uint32) *V {
	if int(id) >= len(n.list) {
		n.of.mu.Lock()
		n.list = append(n.list, n.of.list[len(n.list):]...)
		n.of.mu.Unlock()
	}
	return &n.list[id]
}
