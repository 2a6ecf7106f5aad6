package verify

import (
	"fmt"
	"hash/maphash"
	"slices"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

// Result is what a walk has found.
type Result struct {
	Form        *lifecycle.Form
	Bounds      string
	Edited      []string // the fields that were edited
	Filled      int      // edits that fill in the others, before the walk
	States      int
	Transitions int
	Depth       int
	Complete    bool // every state within the bounds was reached
	Breaches    []Breach
	Waived      []lifecycle.Waived
}

// Breach is a guarantee that does not hold, with the shortest session that
// shows it.
type Breach struct {
	lifecycle.Breach
	Events   []lifecycle.Event
	Scenario []byte // a scenario file that play reproduces
}

// node is a state that was reached: from where, and by which of the moves there.
type node struct {
	parent int32
	move   uint16
	cut    bool // a bound left something out
	gone   bool
	waits  bool // loading, checking, sending or waiting
}

type edge struct {
	from, to int32
	kind     edgeKind
}

type edgeKind uint8

const (
	edgeAny     edgeKind = iota
	edgeForward          // applicant, clock, or an office that accepts
	edgeAccepts          // forward, and an acceptance happens
	edgeTime             // the clock alone
)

type walker struct {
	mover  *mover
	nodes  []node
	edges  []edge
	index  map[[2]uint64]int32
	seeds  [2]maphash.Seed
	key    []byte
	result *Result
	found  map[lifecycle.Guarantee]bool
}

// Walk reaches every state within the bounds, breadth first.
func Walk(form *lifecycle.Form, options Options) (*Result, error) {
	o := options.withDefaults()
	w := &walker{
		mover: newMover(form, o), index: map[[2]uint64]int32{}, found: map[lifecycle.Guarantee]bool{},
		seeds:  [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()},
		result: &Result{Form: form, Bounds: o.bounds(), Waived: form.Waives(), Complete: true},
	}
	w.fill(form)
	start := open(form)
	for _, e := range w.startWith(form) {
		if _, breaches, _ := start.apply(e); len(breaches) > 0 {
			return nil, fmt.Errorf("the guarantees break before the walk begins: %w", breaches[0])
		}
	}
	w.walk(start, o)
	w.paths()
	w.result.States, w.result.Transitions = len(w.nodes), len(w.edges)
	return w.result, nil
}

// fill finds the edits that complete the fields which the walk does not edit.
func (w *walker) fill(form *lifecycle.Form) {
	d := form.Declaration
	d.Prefill = lifecycle.PrefillPolicy{} // nothing is locked then
	unlocked, err := lifecycle.NewForm(d)
	if err != nil {
		return
	}
	edits, _ := declare.Fill(unlocked)
	walked := map[string]bool{}
	for _, f := range w.mover.fields {
		walked[f.path] = true
		w.result.Edited = append(w.result.Edited, f.path)
	}
	for k, e := range edits {
		later := slices.ContainsFunc(edits[k+1:], func(o lifecycle.Event) bool { return o.Kind == lifecycle.EventEdit && o.Path == e.Path })
		if !walked[e.Path] && !later {
			w.mover.filled = append(w.mover.filled, e)
		}
	}
	w.result.Filled = len(w.mover.filled)
}

// startWith is what is filled in before the walk begins: nothing where the
// fields are locked until the load has arrived.
func (w *walker) startWith(form *lifecycle.Form) []lifecycle.Event {
	if form.Prefill.Lock {
		return nil
	}
	return w.mover.filled
}

// visit finds a world's node, or makes a new one.
func (w *walker) visit(x *world, parent int32, k uint16) (id int32, fresh bool) {
	w.key = x.key(w.key[:0])
	name := [2]uint64{maphash.Bytes(w.seeds[0], w.key), maphash.Bytes(w.seeds[1], w.key)}
	if id, known := w.index[name]; known {
		return id, false
	}
	id = int32(len(w.nodes))
	w.index[name] = id
	s := x.session
	w.nodes = append(w.nodes, node{
		parent: parent, move: k, gone: x.gone,
		waits: !x.gone && (s.Activity() != lifecycle.ActivityIdle || s.Prefill() == lifecycle.PrefillLoading),
	})
	return id, true
}

// walk goes level by level; only the worlds of two levels are kept.
func (w *walker) walk(start *world, o Options) {
	w.visit(start, -1, 0)
	level, next := []*world{start}, []*world{}
	ids, nextIDs := []int32{0}, []int32{}
	var free []*world
	scratch := newWorld()
	for depth := 0; len(level) > 0; depth++ {
		w.result.Depth = depth
		for k, x := range level {
			id := ids[k]
			number := uint16(0)
			w.nodes[id].cut = w.mover.moves(x, func(m move) {
				scratch.copyFrom(x)
				taken, breaches, effects := scratch.apply(m.event)
				for _, b := range breaches {
					w.breach(b, id, number)
				}
				if taken {
					to, fresh := w.visit(scratch, id, number)
					w.edges = append(w.edges, edge{id, to, kindOf(m, effects)})
					if fresh {
						y := newWorld()
						if n := len(free); n > 0 {
							y, free = free[n-1], free[:n-1]
						}
						y.copyFrom(scratch)
						next, nextIDs = append(next, y), append(nextIDs, to)
					}
				}
				number++
			})
			free = append(free, x)
			if len(w.nodes) > o.States || stopped(o.Stop) {
				w.result.Complete = false
				return
			}
			if o.Progress != nil && k%1024 == 0 {
				o.Progress(len(w.nodes), len(next)+len(level)-k, depth)
			}
		}
		level, next = next, level[:0]
		ids, nextIDs = nextIDs, ids[:0]
	}
}

func stopped(stop <-chan struct{}) bool {
	select {
	case <-stop:
		return true
	default:
		return false
	}
}

func kindOf(m move, effects []lifecycle.Effect) edgeKind {
	if !m.forward {
		return edgeAny
	}
	for k := range effects {
		if e := &effects[k]; e.Kind == lifecycle.EffectSay && e.Message.ID == lifecycle.MessageAccepted {
			return edgeAccepts
		}
	}
	if m.event.Kind == lifecycle.EventElapsed {
		return edgeTime
	}
	return edgeForward
}

// breach keeps the first breach of each guarantee: breadth first, it is the
// shortest.
func (w *walker) breach(b lifecycle.Breach, at int32, number uint16) {
	if w.found[b.Guarantee] {
		return
	}
	moves := append(w.path(at), number)
	events, text, feasible := w.write(moves, b)
	if !feasible {
		return // no clock runs like this
	}
	w.found[b.Guarantee] = true
	w.result.Breaches = append(w.result.Breaches, Breach{b, events, text})
}

// path is the way from the start to a node, as the numbers of its moves.
func (w *walker) path(id int32) []uint16 {
	var moves []uint16
	for ; id > 0; id = w.nodes[id].parent {
		moves = append(moves, w.nodes[id].move)
	}
	for i, j := 0, len(moves)-1; i < j; i, j = i+1, j-1 {
		moves[i], moves[j] = moves[j], moves[i]
	}
	return moves
}

// paths checks the guarantees that speak of a path, backwards over the edges: a
// state from which a bound left something out is given the benefit.
func (w *walker) paths() {
	if !w.result.Complete {
		return
	}
	forward := w.backward(func(n *node) bool { return n.cut }, func(e *edge) (follows, reaches bool) {
		return e.kind != edgeAny, e.kind == edgeAccepts
	})
	ends := w.backward(func(n *node) bool { return !n.waits || n.cut }, func(e *edge) (follows, reaches bool) {
		return e.kind == edgeTime, false
	})
	for id := range w.nodes {
		n := &w.nodes[id]
		if n.gone {
			continue
		}
		if !forward[id] {
			w.breachAt(lifecycle.WayForward, int32(id), "no actions of the applicant lead to acceptance from here")
		}
		if !ends[id] {
			w.breachAt(lifecycle.WaitingEnds, int32(id), "time alone does not end the wait")
		}
	}
}

func (w *walker) breachAt(g lifecycle.Guarantee, id int32, what string) {
	if w.found[g] {
		return
	}
	b := lifecycle.Breach{Guarantee: g, What: what}
	events, text, feasible := w.write(w.path(id), b)
	if feasible {
		w.found[g] = true
		w.result.Breaches = append(w.result.Breaches, Breach{b, events, text})
	}
}

// backward marks the nodes from which a good one, or an edge that reaches, can
// be reached over edges that count.
func (w *walker) backward(good func(*node) bool, counts func(*edge) (follows, reaches bool)) []bool {
	marked := make([]bool, len(w.nodes))
	into := make([][]int32, len(w.nodes))
	var open []int32
	mark := func(id int32) {
		if !marked[id] {
			marked[id] = true
			open = append(open, id)
		}
	}
	for id := range w.nodes {
		if good(&w.nodes[id]) {
			mark(int32(id))
		}
	}
	for k := range w.edges {
		follows, reaches := counts(&w.edges[k])
		if reaches {
			mark(w.edges[k].from)
		}
		if follows {
			into[w.edges[k].to] = append(into[w.edges[k].to], w.edges[k].from)
		}
	}
	for len(open) > 0 {
		id := open[len(open)-1]
		open = open[:len(open)-1]
		for _, from := range into[id] {
			mark(from)
		}
	}
	return marked
}
