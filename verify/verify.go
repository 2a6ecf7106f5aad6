package verify

import (
	"cmp"
	"slices"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// Report joins what several walks of one form have found.
type Report struct {
	Form     *form.Form
	Walks    []*Result
	Breaches []Breach // of each guarantee the shortest
	Waived   []Waived
	Reached  []Reached // with Options.Wanted: in their order

	NotTaken [][]string // of each walk that was not begun, the fields that it edits
	NotDeep  [][]string // of each walk that was finished within narrow bounds alone, the fields that it edits
}

// DeepStates are, for each walk of a form, the states of its wider walks: all together take about
// ten seconds on two cores, and half a minute where a form has fifteen fields and rows.
const DeepStates = 20_000

// Form takes the walks of a form: those of NAME.bounds.yaml beside NAME.form.yaml where there is
// one. Else it takes those of [Plan], step by step ([Deepen]): until their time is over, where
// the bounds say one, else as far as [DeepStates] for each walk reach. Each walk is given to prepare before it
// is taken; nil means that none is.
func Form(source *declare.Source, base Options, atATime int, prepare func(walks []Options)) (*Report, error) {
	walks, planned, err := walksOf(source, base, atATime)
	if err != nil {
		return nil, err
	}
	if prepare != nil {
		prepare(walks)
	}
	switch {
	case !planned:
		return Verify(source.Form, walks)
	case !base.Until.IsZero():
		return Deepen(source.Form, walks, 1<<30)
	}
	return Deepen(source.Form, walks, DeepStates*len(walks))
}

// Verify takes walks of one form one after the other. A walk that was stopped
// ends it.
func Verify(form *form.Form, walks []Options) (*Report, error) {
	r := &Report{Form: form}
	for k, o := range walks {
		walk, err := Walk(form, r.stillWanted(o))
		if err != nil {
			return nil, err
		}
		r.add(walk)
		if o.ended() != "" || o.First && len(r.Breaches) > 0 {
			for _, left := range walks[k+1:] {
				r.NotTaken = append(r.NotTaken, left.Edited)
			}
			break
		}
	}
	r.sort()
	return r, nil
}

func (r *Report) sort() {
	slices.SortFunc(r.Reached, func(a, b Reached) int { return a.Compare(b.Transition) })
}

// Deepen takes walks of one form step by step: all of them within the narrowest bounds, of one
// attempt, one try and one load, where no row comes or goes. Then each goes on to wider bounds, up to those
// that it asks for, the smallest first, as far as so many states reach in all. The report has of
// each walk the widest bounds within which it was finished, and each breach, wherever it was found.
func Deepen(form *form.Form, walks []Options, states int) (*Report, error) {
	ladders := make([][]Options, len(walks))
	first := make([]Options, len(walks))
	for k, o := range walks {
		ladders[k] = o.ladder(form)
		first[k], ladders[k] = ladders[k][0], ladders[k][1:]
	}
	r, err := Verify(form, first)
	if err != nil || r.Unfinished() != "" || len(r.Breaches) > 0 {
		return r, err
	}
	leave := func(k int, o Options) { r.NotDeep, ladders[k] = append(r.NotDeep, o.Edited), nil }
	growth := 2.0 // the states within wider bounds, of those within the bounds before: the most that any walk has shown
	for goOn := true; goOn; {
		goOn = false
		for _, k := range r.smallestFirst() {
			if len(ladders[k]) == 0 {
				continue
			}
			o, before := ladders[k][0], float64(r.Walks[k].States)
			if before*growth > float64(states) || o.ended() != "" {
				leave(k, o)
				continue
			}
			o.States = min(cmp.Or(o.States, states), states)
			wider, err := Walk(form, r.stillWanted(o))
			if err != nil {
				return nil, err
			}
			states -= wider.States
			r.join(wider)
			if wider.Complete() || wider.Differs != "" || len(wider.Breaches) > 0 {
				r.Walks[k] = wider
			}
			if !wider.Complete() {
				leave(k, o)
				continue
			}
			goOn, ladders[k] = true, ladders[k][1:]
			growth = max(growth, float64(wider.States)/max(before, 1))
		}
	}
	r.sort()
	return r, nil
}

// smallestFirst are the numbers of the walks by their states.
func (r *Report) smallestFirst() []int {
	order := make([]int, len(r.Walks))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(r.Walks[a].States, r.Walks[b].States) })
	return order
}

// stillWanted leaves out of what is wanted of a walk what others have written.
func (r *Report) stillWanted(o Options) Options {
	if wanted := o.Wanted; wanted != nil {
		o.Wanted = func(t lifecycle.Transition) bool { return wanted(t) && !r.wrote(t) }
	}
	return o
}

func (r *Report) wrote(t lifecycle.Transition) bool {
	return slices.ContainsFunc(r.Reached, func(known Reached) bool { return known.Transition == t && known.Scenario != nil })
}

func (r *Report) add(walk *Result) {
	r.Walks = append(r.Walks, walk)
	r.join(walk)
}

// join adds what a walk has found to the report.
func (r *Report) join(walk *Result) {
	for _, b := range walk.Breaches {
		keepShortest(&r.Breaches, b, func(c Breach) bool { return c.Guarantee == b.Guarantee }, func(c Breach) int { return c.length() })
	}
	for _, p := range walk.Waived {
		keepShortest(&r.Waived, p, func(c Waived) bool { return c.Policy == p.Policy }, func(c Waived) int { return c.length() })
	}
	for _, t := range walk.Reached {
		keepShortest(&r.Reached, t, func(c Reached) bool { return c.Transition == t.Transition }, func(c Reached) int { return c.length() })
	}
}

// length orders sessions: one that begins afresh is easier to read than any with
// an earlier page, and one that was not written comes last.
func (s Session) length() int {
	switch {
	case s.Scenario == nil:
		return 1 << 30
	case len(s.Events) > 0 && s.Events[0].Kind == lifecycle.EventRestored:
		return 1<<20 + len(s.Events)
	default:
		return len(s.Events)
	}
}

// keepShortest keeps one of each kind.
func keepShortest[T any](list *[]T, v T, alike func(T) bool, length func(T) int) {
	k := slices.IndexFunc(*list, alike)
	switch {
	case k < 0:
		*list = append(*list, v)
	case length(v) < length((*list)[k]):
		(*list)[k] = v
	}
}

// NotEdited lists the fields that no walk edits, by path.
func (r *Report) NotEdited() []string {
	var paths []string
	for id := range r.Form.Declared() {
		path := walkedPath(r.Form, form.FieldID(id))
		edited := slices.ContainsFunc(r.Walks, func(w *Result) bool { return slices.Contains(w.Edited, path) })
		if !edited && r.Form.Fields[id].Kind != form.KindRows {
			paths = append(paths, r.Form.Fields[id].Path)
		}
	}
	return paths
}

// Total is what all walks together have reached, and the memory they took in
// bytes.
func (r *Report) Total() (states, transitions, bytes int) {
	for _, w := range r.Walks {
		states += w.States
		transitions += w.Transitions
		bytes += w.Bytes
	}
	return states, transitions, bytes
}

// Unfinished says why a walk did not reach every state within its bounds, for the first such walk. It
// is empty where all walks did.
func (r *Report) Unfinished() string {
	for _, w := range r.Walks {
		if w.Unfinished != "" {
			return w.Unfinished
		}
	}
	if len(r.NotTaken) > 0 {
		return "not every walk was taken"
	}
	return ""
}

// Reached is a transition of the lifecycle that a walk has taken. Where it was
// wanted, the shortest session that takes it is with it.
type Reached struct {
	lifecycle.Transition
	Session
}

type reachedAt struct {
	lifecycle.Transition
	from int32
}

// transitions notes the arrows of a step that were not noted before.
func (x *explorer) transitions(c *chunk, id int32, m *move) {
	of, _ := x.source.session.TimerOf(m.event.Timer)
	x.taken = lifecycle.AppendTransitions(x.taken[:0], x.standing, x.scratch.session.Standing(), m.event, of)
	for _, t := range x.taken {
		if !x.walker.reached[t] && !slices.ContainsFunc(c.reached, func(r reachedAt) bool { return r.Transition == t }) {
			c.reached = append(c.reached, reachedAt{t, id})
		}
	}
}

// reach keeps a transition that was taken for the first time.
func (w *walker) reach(r reachedAt) {
	if w.reached[r.Transition] {
		return
	}
	found := Reached{Transition: r.Transition}
	if w.options.Wanted(r.Transition) {
		session, feasible := w.write(r.from, purpose{
			title: "How " + r.String(), comment: "The shortest session in which " + r.String() + ".", expects: true,
			last: func(m move, before, after *world, _ []guarantee.Breach, _ []lifecycle.Effect) bool {
				of, _ := before.session.TimerOf(m.event.Timer)
				taken := lifecycle.AppendTransitions(nil, before.session.Standing(), after.session.Standing(), m.event, of)
				return slices.Contains(taken, r.Transition)
			},
		})
		if !feasible { // no clock runs like this: another session may
			return
		}
		found.Session = session
	}
	w.reached[r.Transition] = true
	w.result.Reached = append(w.result.Reached, found)
}
