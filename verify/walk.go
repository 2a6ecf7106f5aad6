package verify

import (
	"cmp"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// Result is what a walk has found.
type Result struct {
	Form        *form.Form
	Bounds      string
	Edited      []string // the fields that were edited
	Filled      int      // edits that fill in the others, before the walk
	Begun       []string // how the sessions begin
	States      int
	Transitions int
	Depth       int
	Bytes       int    // memory of the walk
	Audited     int    // steps whose canonical state was compared with what it stands for
	Differs     string // what an audit has found a reduction to change; empty means nothing
	Unfinished  string // why not every state within the bounds was reached; empty means that every one was
	Breaches    []Breach
	Waived      []Waived
	Reached     []Reached // with Options.Wanted
}

// Complete reports whether every state within the bounds was reached.
func (r *Result) Complete() bool { return r.Unfinished == "" }

// Breach is a guarantee that does not hold, with the shortest session that
// shows it.
type Breach struct {
	guarantee.Breach
	Session
}

// Waived is a guarantee that a policy trades away, with the shortest session
// that shows the price; its events are nil where no session within the bounds
// pays it.
type Waived struct {
	guarantee.Waived
	Session
}

// Session is the way to a state: its events, and a scenario file that play
// reproduces.
type Session struct {
	Events   []lifecycle.Event
	Scenario []byte
}

type walker struct {
	successors *successors
	options    Options
	store      *store
	packer     *guarantee.Packer
	result     *Result
	found      [64]bool // by guarantee: the shortest session is known, or none was feasible so often
	tried      [64]int
	prices     []price // those of waived policies that are still to be shown
	reached    map[lifecycle.Transition]bool
	roots      []earlier // how the first states begin, by their numbers
	all        batch
	free       sync.Pool // chunks
}

// Walk reaches every state within the bounds, breadth first. Where an audit finds that a
// reduction makes a difference, the walk is taken again without any, and is never complete.
func Walk(form *form.Form, options Options) (*Result, error) {
	result, err := walkOnce(form, options.withDefaults(form))
	if err != nil || result.Differs == "" {
		return result, err
	}
	differs := result.Differs
	options.Whole = true
	options.States = min(cmp.Or(options.States, unreducedStates), unreducedStates)
	if result, err = walkOnce(form, options.withDefaults(form)); err == nil {
		result.Differs = differs
		result.Unfinished = cmp.Or(result.Unfinished, "what a reduction leaves out makes a difference, which is a fault of Lean Wicket; without reductions, and within its bounds, it is finished")
		result.Unfinished += "; the difference: " + differs
	}
	return result, err
}

// unreducedStates is how far a walk goes again where a reduction makes a difference.
const unreducedStates = 1_000_000

func walkOnce(form *form.Form, o Options) (*Result, error) {
	m, err := newSuccessors(form, o)
	if err != nil {
		return nil, err
	}
	w := &walker{
		successors: m, options: o, store: newStore(),
		packer: m.packer(),
		result: &Result{Form: form, Bounds: o.bounds(form), Edited: o.Edited, Filled: len(m.filled)},
		prices: pricesOf(form), reached: map[lifecycle.Transition]bool{},
	}
	if err := w.begin(); err != nil {
		return nil, err
	}
	if w.result.Differs != "" {
		return w.result, nil
	}
	if len(w.roots) > 0 { // else nothing of the form is kept
		if w.walk(); w.result.Differs != "" {
			return w.result, nil
		}
		w.paths()
		w.doubt()
	}
	w.result.States, w.result.Bytes = w.store.count(), w.size()
	for _, p := range w.prices {
		w.result.Waived = append(w.result.Waived, Waived{Waived: p.Waived})
	}
	return w.result, nil
}

// Chunks are what a goroutine takes at a time; a batch is what is looked up at
// once. Neither depends on how many goroutines there are.
const (
	chunkStates = 256
	batchChunks = 64
)

// begin makes the first states: one for each way in which a session can begin.
func (w *walker) begin() error {
	pages := []earlier{{name: "afresh"}}
	if w.options.Earlier {
		pages = w.successors.earlierPages()
	}
	auditor := newAuditor(w.successors, w.packer.Fork())
	for _, page := range pages {
		start, err := w.successors.begin(page)
		if err != nil {
			return err
		}
		flags := flagsOf(start)
		auditor.beforeAll(start)
		packed := start.pack(nil, w.packer, &w.options)
		if !w.options.Whole {
			w.result.Audited++
			if difference := auditor.after(packed); w.result.Differs == "" && difference != "" {
				w.result.Differs = "the session begins " + page.name + ", then " + difference
			}
		}
		first := &batch{packed, []found{{hash: w.store.hash(packed), from: -1, end: uint32(len(packed)), flags: flags}}}
		w.store.look(tableOf(first.found[0].hash), first)
		w.store.number(first)
		if w.store.count() > len(w.roots) {
			w.roots = append(w.roots, page)
			w.result.Begun = append(w.result.Begun, page.name)
		}
	}
	return nil
}

// walk goes through the states in the order of their numbers, which is breadth
// first.
func (w *walker) walk() {
	forks := make([]*explorer, w.options.Workers)
	for k := range forks {
		forks[k] = newExplorer(w, w.packer.Fork())
	}
	levelEnd := len(w.roots)
	for next := 0; next < w.store.count(); {
		if next == levelEnd {
			w.result.Depth++
			levelEnd = w.store.count()
		}
		until := min(levelEnd, next+chunkStates*batchChunks)
		w.batch(forks, next, until)
		next = until
		if w.result.Differs != "" {
			return
		}
		if next < w.store.count() {
			if w.result.Unfinished = w.stopped(); w.result.Unfinished != "" {
				return
			}
		}
		if w.options.First && len(w.result.Breaches) > 0 {
			w.result.Unfinished = "the walk ends at the first breach"
			return
		}
		if w.options.Progress != nil {
			w.options.Progress(Progress{w.store.count(), w.result.Transitions, w.store.count() - next, w.result.Depth})
		}
	}
}

// batch explores a run of states, and keeps what was found.
func (w *walker) batch(forks []*explorer, from, until int) {
	chunks := make([]*chunk, (until-from+chunkStates-1)/chunkStates)
	var taken atomic.Int32
	parallel(len(forks), func(worker int) {
		for {
			k := int(taken.Add(1)) - 1
			if k >= len(chunks) {
				return
			}
			first := from + k*chunkStates
			chunks[k] = forks[worker].explore(int32(first), int32(min(until, first+chunkStates)))
		}
	})
	all := &w.all
	all.bytes, all.found = all.bytes[:0], all.found[:0]
	for _, c := range chunks {
		w.result.Transitions += c.transitions
		w.result.Audited += c.audited
		w.result.Differs = cmp.Or(w.result.Differs, c.differs)
		all.put(&c.batch)
		for _, b := range c.breaches {
			w.breach(b)
		}
		for _, paid := range c.paid {
			w.pay(paid)
		}
		for _, r := range c.reached {
			w.reach(r)
		}
	}
	parallel(len(forks), func(worker int) {
		for table := worker; table < tableCount; table += len(forks) {
			w.store.look(table, all)
		}
	})
	w.store.number(all)
	for _, c := range chunks {
		for k, cut := range c.cut {
			if cut {
				w.store.flags[int(c.first)+k] |= flagCut
			}
		}
		w.free.Put(c)
	}
}

func parallel(workers int, do func(worker int)) {
	var all sync.WaitGroup
	for worker := range workers {
		all.Go(func() { do(worker) })
	}
	all.Wait()
}

// ended says why walks end by now, whatever they have found. It is empty while they go on.
func (o *Options) ended() string {
	select {
	case <-o.Stop:
		return "it was interrupted"
	default:
	}
	if !o.Until.IsZero() && !time.Now().Before(o.Until) {
		return "its time is over"
	}
	return ""
}

// size is the memory of the walk, in bytes.
func (w *walker) size() int { return w.store.size() + w.packer.Size() }

// mostTried is how often a walk tries a breach that no clock can produce, before it says that it
// does not know whether there is one.
const mostTried = 100

// doubt ends a walk that has seen a breach too often without a session that
// shows it.
func (w *walker) doubt() {
	for g, times := range w.tried {
		if times > mostTried && !w.found[g] && w.result.Unfinished == "" {
			w.result.Unfinished = "it has seen " + guarantee.Guarantee(g).String() + " broken, but only in orders that no clock produces"
		}
	}
}

// stopped says why the walk ends here. It is empty where the walk goes on.
func (w *walker) stopped() string {
	if ended := w.options.ended(); ended != "" {
		return ended
	}
	switch {
	case w.store.count() > w.options.States:
		return fmt.Sprintf("it has reached the limit of %d states", w.options.States)
	case w.size() > w.options.Memory:
		return fmt.Sprintf("it has reached the limit of %d MiB of memory", w.options.Memory>>20)
	case w.store.count() >= 1<<edgeShift-chunkStates*batchChunks, len(w.store.bytes) > 3<<30:
		return "it has as many states as can be numbered"
	}
	return ""
}

// breach keeps the first breach of each guarantee. The walk goes breadth first, so that this is the
// shortest one.
func (w *walker) breach(b breachAt) {
	if w.found[b.Guarantee] || w.tried[b.Guarantee] > mostTried {
		return
	}
	w.tried[b.Guarantee]++
	session, feasible := w.write(b.from, purpose{
		title: "The shortest session that breaks " + b.Guarantee.String(), comment: b.Error(),
		last: func(_ move, _, _ *world, breaches []guarantee.Breach, _ []lifecycle.Effect) bool {
			return slices.ContainsFunc(breaches, func(c guarantee.Breach) bool { return c.Guarantee == b.Guarantee })
		},
	})
	if feasible { // else no clock runs like this
		w.found[b.Guarantee] = true
		w.keep(Breach{b.Breach, session})
	}
}

// keep takes a breach into the result, and tells of it.
func (w *walker) keep(b Breach) {
	w.result.Breaches = append(w.result.Breaches, b)
	if w.options.Found != nil {
		w.options.Found(b)
	}
}
