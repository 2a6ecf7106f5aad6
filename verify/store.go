package verify

import (
	"bytes"
	"hash/maphash"
)

// store keeps every state that was reached, packed, in the order in which it was
// reached: a state's number is its place.
type store struct {
	bytes   []byte
	ends    []uint32 // where each state's bytes end
	parents []int32
	flags   []stateFlags
	tables  [tableCount]slots
	seed    maphash.Seed

	edges    []uint32 // of each state in turn: its kind, and the state it leads to
	edgeEnds []uint32
}

type stateFlags uint8

const (
	flagCut   stateFlags = 1 << iota // a bound left something out
	flagGone                         // the form has been left
	flagWaits                        // loading, checking, sending or waiting
)

// tableCount tables share the states by their hash, so that goroutines can fill
// them at once.
const tableCount = 16

// slots is a table with open addressing. A slot holds 0 where it is free, the number of a state plus
// 1, or the mark pending with the place of a new state in the batch.
type slots struct {
	list []uint32
	used int
}

const pending = 1 << 31

// found is a state that a move leads to.
type found struct {
	hash  uint64
	from  int32
	start uint32 // its bytes, in the batch's
	end   uint32
	kind  edgeKind
	flags stateFlags
	state int32 // its number, once that is known; below 0 means the place of the first like it in the batch
}

func newStore() *store { return &store{seed: maphash.MakeSeed()} }

func (s *store) count() int { return len(s.parents) }

func (s *store) packed(id int32) []byte {
	start := uint32(0)
	if id > 0 {
		start = s.ends[id-1]
	}
	return s.bytes[start:s.ends[id]]
}

// size is the memory that the store takes, in bytes.
func (s *store) size() int {
	size := cap(s.bytes) + 4*(cap(s.ends)+cap(s.parents)+cap(s.edges)+cap(s.edgeEnds)) + cap(s.flags)
	for k := range s.tables {
		size += 4 * cap(s.tables[k].list)
	}
	return size
}

func (s *store) hash(packed []byte) uint64 { return maphash.Bytes(s.seed, packed) }

// tableOf is which table a hash belongs to.
func tableOf(hash uint64) int { return int(hash >> 60) }

// look finds out for each found state of one table whether it is new.
func (s *store) look(table int, batch *batch) {
	t := &s.tables[table]
	for k := range batch.found {
		f := &batch.found[k]
		if tableOf(f.hash) != table {
			continue
		}
		if 3*(t.used+1) > 2*len(t.list) {
			s.grow(t, batch)
		}
		packed := batch.bytes[f.start:f.end]
		mask := uint64(len(t.list) - 1)
		for at := f.hash & mask; ; at = (at + 1) & mask {
			slot := t.list[at]
			switch {
			case slot == 0:
				t.list[at] = pending | uint32(k)
				t.used++
				f.state = -1 - int32(k)
			case slot&pending != 0:
				first := &batch.found[slot&^pending]
				if first.hash != f.hash || !bytes.Equal(packed, batch.bytes[first.start:first.end]) {
					continue
				}
				f.state = -1 - int32(slot&^pending)
			default:
				if !bytes.Equal(packed, s.packed(int32(slot-1))) {
					continue
				}
				f.state = int32(slot - 1)
			}
			break
		}
	}
}

func (s *store) grow(t *slots, batch *batch) {
	old := t.list
	t.list = make([]uint32, max(1024, 2*len(old)))
	mask := uint64(len(t.list) - 1)
	for _, slot := range old {
		if slot == 0 {
			continue
		}
		hash := uint64(0)
		if slot&pending != 0 {
			hash = batch.found[slot&^pending].hash
		} else {
			hash = s.hash(s.packed(int32(slot - 1)))
		}
		at := hash & mask
		for t.list[at] != 0 {
			at = (at + 1) & mask
		}
		t.list[at] = slot
	}
}

// number gives the new states of a batch their numbers, in the order in which
// they were found, and keeps the edges.
func (s *store) number(batch *batch) {
	for k := range batch.found {
		f := &batch.found[k]
		switch first := -1 - f.state; {
		case f.state >= 0:
		case first == int32(k):
			f.state = s.add(batch.bytes[f.start:f.end], f.from, f.flags)
			s.replace(f.hash, pending|uint32(k), uint32(f.state)+1)
		default:
			f.state = batch.found[first].state
		}
		s.addEdge(f)
	}
}

func (s *store) replace(hash uint64, old, by uint32) {
	t := &s.tables[tableOf(hash)]
	mask := uint64(len(t.list) - 1)
	at := hash & mask
	for t.list[at] != old {
		at = (at + 1) & mask
	}
	t.list[at] = by
}

func (s *store) add(packed []byte, parent int32, flags stateFlags) int32 {
	s.bytes = append(s.bytes, packed...)
	s.ends = append(s.ends, uint32(len(s.bytes)))
	s.parents = append(s.parents, parent)
	s.flags = append(s.flags, flags)
	return int32(len(s.parents) - 1)
}

// addEdge keeps an edge for the way back; an edge that leads nowhere else, and
// one that is there already, is of no use to it.
func (s *store) addEdge(f *found) {
	for len(s.edgeEnds) <= int(f.from) {
		s.edgeEnds = append(s.edgeEnds, uint32(len(s.edges)))
	}
	if f.kind == edgeAny || f.state == f.from && f.kind != edgeAccepts {
		return
	}
	edge := uint32(f.kind)<<edgeShift | uint32(f.state)
	start := uint32(0)
	if f.from > 0 {
		start = s.edgeEnds[f.from-1]
	}
	for _, known := range s.edges[start:] {
		if known == edge {
			return
		}
	}
	s.edges = append(s.edges, edge)
	s.edgeEnds[f.from] = uint32(len(s.edges))
}

// edgesOf calls do with each edge that was kept.
func (s *store) edgesOf(do func(from, to int32, kind edgeKind)) {
	start := uint32(0)
	for from, end := range s.edgeEnds {
		for _, edge := range s.edges[start:end] {
			do(int32(from), int32(edge&(1<<edgeShift-1)), edgeKind(edge>>edgeShift))
		}
		start = end
	}
}

type edgeKind uint8

const (
	edgeAny     edgeKind = iota
	edgeForward          // applicant, clock, or an office that accepts
	edgeAccepts          // forward, and an acceptance happens
	edgeTime             // the clock alone
)

// edgeShift is where an edge's kind stands beside the number of its state.
const edgeShift = 30

// batch is what was found from a run of states.
type batch struct {
	bytes []byte
	found []found
}

// put joins what a chunk has found to the batch.
func (b *batch) put(c *batch) {
	shift := uint32(len(b.bytes))
	b.bytes = append(b.bytes, c.bytes...)
	for _, f := range c.found {
		f.start += shift
		f.end += shift
		b.found = append(b.found, f)
	}
}
