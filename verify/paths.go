package verify

import "leanwicket.dev/guarantee"

// paths checks the guarantees that speak of a path. It goes backwards over the edges. A state where a
// bound left something out counts as good, because what was left out may be a way.
func (w *walker) paths() {
	if !w.result.Complete() {
		return
	}
	w.ends(guarantee.WayForward, "no actions of the applicant lead to acceptance from here",
		func(f stateFlags) bool { return f&flagCut != 0 },
		func(kind edgeKind) (follows, reaches bool) { return kind != edgeAny, kind == edgeAccepts })
	w.ends(guarantee.WaitingEnds, "time alone does not end the wait",
		func(f stateFlags) bool { return f&flagCut != 0 || f&flagWaits == 0 },
		func(kind edgeKind) (follows, reaches bool) { return kind == edgeTime, false })
}

// ends looks for the first state from which no good one, and no edge that
// reaches, can be reached over edges that count.
func (w *walker) ends(g guarantee.Guarantee, what string, good func(stateFlags) bool, counts func(edgeKind) (follows, reaches bool)) {
	marked := w.backward(good, counts)
	if g == guarantee.WayForward && !marked[0] {
		if id := w.nearest(marked); id > 0 {
			marked[id] = false
			marked = marked[:id+1]
			for k := range id {
				marked[k] = true
			}
			what = "nothing that the applicant can do leads to acceptance; this is as near as one comes"
		}
	}
	for id := range marked {
		if marked[id] || w.store.flags[id]&flagGone != 0 || w.found[g] || w.tried[g] > mostTried {
			continue
		}
		w.tried[g]++
		b := guarantee.Breach{Guarantee: g, What: what}
		if g == guarantee.WayForward {
			b.What += w.inTheWay(int32(id))
		}
		session, feasible := w.write(int32(id), purpose{title: "The shortest session that breaks " + g.String(), comment: b.Error()})
		if feasible {
			w.found[g] = true
			w.keep(Breach{b, session})
		}
	}
}

// inTheWay says what holds a submit in a state, and which fields are wrong.
func (w *walker) inTheWay(id int32) string {
	x := newWorld()
	x.unpack(w.store.packed(id), w.packer, &w.options)
	text := ""
	for _, word := range x.session.Holds("").Words() {
		text += ", " + word
	}
	for f := range x.session.Fields() {
		if f.Wrong() {
			text += ", " + f.Path() + " is wrong"
		}
	}
	if text == "" {
		return ""
	}
	return "; in the way: " + text[2:]
}

// nearest is, of the states that have no way forward, the first in which the
// fewest answers are missing or wrong.
func (w *walker) nearest(marked []bool) (best int) {
	x, fewest := newWorld(), 1<<30
	for id := range marked {
		if marked[id] || w.store.flags[id]&flagGone != 0 {
			continue
		}
		x.unpack(w.store.packed(int32(id)), w.packer, &w.options)
		troubles := 0
		for f := range x.session.Fields() {
			if f.Wrong() {
				troubles++
				if f.Value().Absent() {
					troubles++
				}
			}
		}
		if troubles < fewest {
			best, fewest = id, troubles
		}
	}
	return best
}

// backward marks the states from which a good one, or an edge that reaches, can
// be reached over edges that count.
func (w *walker) backward(good func(stateFlags) bool, counts func(edgeKind) (follows, reaches bool)) []bool {
	count := w.store.count()
	marked := make([]bool, count)
	var open []int32
	mark := func(id int32) {
		if !marked[id] {
			marked[id] = true
			open = append(open, id)
		}
	}
	for id := range count {
		if good(w.store.flags[id]) {
			mark(int32(id))
		}
	}
	starts := make([]uint32, count+1) // of the edges that lead to a state, once they are sorted by it
	w.store.edgesOf(func(from, to int32, kind edgeKind) {
		follows, reaches := counts(kind)
		if reaches {
			mark(from)
		}
		if follows {
			starts[to+1]++
		}
	})
	for id := range count {
		starts[id+1] += starts[id]
	}
	into := make([]int32, starts[count])
	filled := make([]uint32, count)
	w.store.edgesOf(func(from, to int32, kind edgeKind) {
		if follows, _ := counts(kind); follows {
			into[starts[to]+filled[to]] = from
			filled[to]++
		}
	})
	for len(open) > 0 {
		id := open[len(open)-1]
		open = open[:len(open)-1]
		for _, from := range into[starts[id]:starts[id+1]] {
			mark(from)
		}
	}
	return marked
}
