package verify

import (
	"fmt"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Options bound a walk. The zero value is an honest default for each.
type Options struct {
	Attempts  int      // submissions begun; 0: any number
	Tries     int      // sendings of one attempt; 0: any number
	Loads     int      // loads asked for; 0: any number
	Rows      int      // rows of a group in which a field is edited; 0: 2
	Edited    []string // paths of the fields that are edited; nil: the first of Plan. The others are filled in before
	OneButton bool     // submits are by the first button alone
	Earlier   bool     // the session begins with what an earlier page kept, instead of afresh
	States    int      // states after which the walk gives up; 0: ten million
	Memory    int      // bytes after which the walk gives up; 0: 2 GiB
	Workers   int      // goroutines that walk; 0: one for each core
	First     bool     // the walk ends at the first breach
	Whole     bool     // nothing is reduced: what has no future counts as a difference too; no number is 0 then, but 2
	auditAll  bool     // each step is audited

	// Wanted asks for the shortest session that takes a transition of the lifecycle;
	// nil: the transitions are not noted at all.
	Wanted func(lifecycle.Transition) bool

	// Progress is told now and then how far the walk is; nil: nobody.
	Progress func(Progress)
	// Found is told of each breach when it is found; nil: nobody.
	Found func(Breach)
	// Until is when the walk gives up; zero: never.
	Until time.Time
	// Stop ends the walk with what was found so far, when it is closed.
	Stop <-chan struct{}
}

// Progress is how far a walk is.
type Progress struct {
	States, Transitions, Frontier, Depth int
}

func (o Options) withDefaults(form *form.Form) Options {
	set := func(v *int, value int) {
		if *v == 0 {
			*v = value
		}
	}
	if o.Whole {
		set(&o.Attempts, 2)
		set(&o.Tries, 2)
		set(&o.Loads, 2)
	}
	set(&o.Rows, 2)
	o.Attempts, o.Tries, o.Loads = min(o.Attempts, 200), min(o.Tries, 200), min(o.Loads, 200) // a count is a byte
	set(&o.States, 10_000_000)
	set(&o.Memory, 2<<30)
	set(&o.Workers, runtime.GOMAXPROCS(0))
	if plan := Plan(form, 1); o.Edited == nil && len(plan) > 0 {
		o.Edited = plan[0]
	}
	o.Edited = slices.Clone(o.Edited)
	for k, path := range o.Edited {
		o.Edited[k] = inFirstRow(path)
	}
	return o
}

// inFirstRow is the field that is walked where one in rows is named as it is declared and
// told: crew/*/name.
func inFirstRow(path string) string { return strings.Replace(path, "/*/", "/0/", 1) }

// under reports whether one more stays within a limit; 0 is none.
func under(limit, count int) bool { return limit == 0 || count < limit }

// bounds says in words within what a walk went.
func (o Options) bounds(declared *form.Form) string {
	number := func(limit int, one, many string) string {
		switch limit {
		case 0:
			return "any number of " + many
		case 1:
			return "1 " + one
		default:
			return strconv.Itoa(limit) + " " + many
		}
	}
	buttons := ""
	if o.OneButton && len(declared.Buttons) > 1 {
		buttons = ", by " + declared.Buttons[0] + " alone"
	}
	text := number(o.Attempts, "attempt", "attempts") + ", " + number(o.Tries, "try each", "tries each")
	if o.Earlier {
		text = "after an earlier page " + text
	}
	if declared.Prefill.URL != "" {
		text += ", " + number(o.Loads, "load", "loads")
	}
	if slices.ContainsFunc(declared.Fields, func(f form.Field) bool { return f.Kind == form.KindRows }) {
		text += ", " + number(o.Rows, "row", "rows")
	}
	return text + buttons
}

// Plan chooses the fields that walks of a form edit, so many at a time: one that is typed,
// one that is read as a number or a time and one that is chosen, and one for each trait that the lifecycle treats differently (a
// check, a condition, a comparison, rows, a private value). A field that is
// compared with another, or asked by another's answer, stays beside it.
func Plan(declared *form.Form, atATime int) [][]string {
	var chosen []form.FieldID
	seen := map[string]bool{}
	for pass := range 2 { // fields with a trait first: they show their kind as well
		for id := range declared.Fields {
			f := &declared.Fields[id]
			traits := traitsOf(declared, form.FieldID(id))
			news := slices.ContainsFunc(traits, func(t string) bool { return !seen[t] })
			if f.Kind == form.KindRows || !news || pass == 0 && len(traits) == 1 {
				continue
			}
			for _, t := range traits {
				seen[t] = true
			}
			chosen = append(chosen, form.FieldID(id))
		}
	}
	slices.Sort(chosen)
	var plan [][]string
	var set []string
	for _, id := range chosen {
		if slices.ContainsFunc(chosen, func(other form.FieldID) bool { return slices.Contains(linkedWith(declared, other), id) }) {
			continue // it is edited beside the other
		}
		for _, member := range append([]form.FieldID{id}, linkedWith(declared, id)...) {
			if path := walkedPath(declared, member); !slices.Contains(set, path) {
				set = append(set, path)
			}
		}
		if companion, found := companionOf(declared, set); found {
			set = append(set, companion)
		}
		if len(set) >= atATime {
			plan, set = append(plan, set), nil
		}
	}
	if set != nil {
		plan = append(plan, set)
	}
	return plan
}

// companionOf is a field that a walk edits as well, where a form that holds what is unchanged
// has none in the walk that can be changed into another accepted answer: a box that has to be
// ticked, a choice of one.
func companionOf(f *form.Form, set []string) (path string, found bool) {
	changes := func(id form.FieldID) bool {
		accepted := len(declare.Samples(f, id, 2))
		if f.Accepts(id, form.Value{}) {
			accepted++
		}
		return accepted > 1
	}
	if !f.Submit.HoldUnchanged || slices.ContainsFunc(set, func(path string) bool {
		place, _ := f.Lookup(path)
		return changes(place.Field)
	}) {
		return "", false
	}
	for id := range f.Fields {
		_, inRows := f.Group(form.FieldID(id))
		if path := walkedPath(f, form.FieldID(id)); f.Fields[id].Kind != form.KindRows && !inRows && len(f.Fields[id].Asked) == 0 && !slices.Contains(set, path) && changes(form.FieldID(id)) {
			return path, true
		}
	}
	return "", false
}

// Walks are the walks of a plan: each with the same bounds, and its own fields;
// and some more with what an earlier page kept, as far as one new attempt: of the first fields,
// of those in rows, of those that are asked only sometimes, and of private ones. The first walk
// submits by each button, the others by the first alone.
func Walks(declared *form.Form, o Options, plan [][]string) []Options {
	var walks, earlier []Options
	for k, fields := range plan {
		o.Edited, o.OneButton = fields, k > 0
		walks = append(walks, o)
		if k == 0 || slices.ContainsFunc(fields, func(path string) bool { return comesBack(declared, path) }) {
			again := o
			again.Earlier, again.Attempts, again.Loads = true, 1, 1
			earlier = append(earlier, again)
		}
	}
	return append(walks, earlier...)
}

// narrow are the bounds within which a walk is taken before it goes further.
func (o Options) narrow() Options {
	least := func(v *int, most int) {
		if *v == 0 || *v > most {
			*v = most
		}
	}
	least(&o.Attempts, 1)
	least(&o.Tries, 2)
	least(&o.Loads, 1)
	least(&o.Rows, 1)
	return o
}

// comesBack reports whether what an earlier page kept of a field comes back in a way of its own.
func comesBack(declared *form.Form, path string) bool {
	place, _ := declared.Lookup(path)
	_, inRows := declared.Group(place.Field)
	f := &declared.Fields[place.Field]
	return inRows || f.Private || len(f.Asked) > 0
}

// traitsOf lists what a field can do in the lifecycle. How it is edited is the first: it is typed,
// typed and read as a number or a time, which may fail, or chosen.
func traitsOf(declared *form.Form, id form.FieldID) []string {
	f := &declared.Fields[id]
	traits := []string{"typed"}
	switch f.Kind {
	case form.KindBoolean, form.KindChoice, form.KindChoices, form.KindFile:
		traits[0] = "chosen"
	case form.KindNumber, form.KindInteger, form.KindDate, form.KindTime, form.KindDateTime:
		traits[0] = "read"
	}
	add := func(trait string, has bool) {
		if has {
			traits = append(traits, trait)
		}
	}
	_, inRows := declared.Group(id)
	add("check", f.Check.URL != "")
	add("asked sometimes", len(f.Asked) > 0)
	add("compared", len(comparedWith(declared, id)) > 0)
	add("in rows", inRows)
	add("private", f.Private)
	return traits
}

// comparedWith lists the fields that a field's own comparisons look at.
func comparedWith(f *form.Form, id form.FieldID) []form.FieldID {
	var others []form.FieldID
	for _, c := range f.Fields[id].Constraints {
		if c.Op.Compares() && !slices.Contains(others, c.Other) {
			others = append(others, c.Other)
		}
	}
	return others
}

// linkedWith lists the fields that have a say in a field: those it is compared
// with, and those that decide whether it is asked. A group has its say by its first field, in
// whose walk rows come and go.
func linkedWith(f *form.Form, id form.FieldID) []form.FieldID {
	linked := comparedWith(f, id)
	for _, condition := range f.Fields[id].Asked {
		for _, clause := range condition {
			for _, literal := range clause {
				other := literal.Field
				if f.Fields[other].Kind == form.KindRows {
					other = f.Members(other)[0]
				}
				if !slices.Contains(linked, other) {
					linked = append(linked, other)
				}
			}
		}
	}
	return linked
}

// walkedPath is where a walk edits a field: in rows, in the first one.
func walkedPath(f *form.Form, id form.FieldID) string {
	row := int32(-1)
	if _, inRows := f.Group(id); inRows {
		row = 0
	}
	return f.Path(form.Place{Field: id, Row: row})
}

// edited is a field that the walk types at, with the texts that it types.
type edited struct {
	field form.FieldID
	path  string
	raws  []string
	saved form.Value // what a load brings
}

// editedField chooses what is typed at a field: an accepted text, a refused one,
// and what the baseline is. A form that holds what is unchanged needs a second
// accepted one.
func editedField(f *form.Form, path string) (edited, error) {
	path = inFirstRow(path)
	place, ok := f.Lookup(path)
	if !ok || f.Fields[place.Field].Kind == form.KindRows {
		return edited{}, fmt.Errorf("the form %s has no field %s to edit", f.Name, path)
	}
	e := edited{field: place.Field, path: path}
	add := func(raw string) {
		if !slices.Contains(e.raws, raw) {
			e.raws = append(e.raws, raw)
		}
	}
	samples := declare.Samples(f, place.Field, 3)
	if f.Prefill.URL == "" {
		add("")
	} else if len(samples) > 0 { // the last is what a load brings
		e.saved = f.Parse(place.Field, samples[len(samples)-1])
		add(samples[len(samples)-1])
	}
	for _, raw := range samples[:min(len(samples), 1)] {
		add(raw)
	}
	if f.Submit.HoldUnchanged && len(samples) > 2 {
		add(samples[1])
	}
	if f.Submit.HoldUnchanged && len(samples) < 2 && f.Accepts(place.Field, form.Value{}) {
		add("")
	}
	if raw, found := refusedText(f, place.Field); found {
		add(raw)
	}
	return e, nil
}

// refusedText is a text that the field's constraints refuse.
func refusedText(f *form.Form, id form.FieldID) (string, bool) {
	if f.Fields[id].Kind == form.KindBoolean {
		return "", !f.Accepts(id, form.Value{})
	}
	for _, raw := range []string{"", "x", strings.Repeat("x", 2000), "-1", "1e9", "0.0001", "2000-01-01", "2999-01-01"} {
		if v := f.Parse(id, raw); !f.Accepts(id, v) {
			return raw, true
		}
	}
	return "", false
}
