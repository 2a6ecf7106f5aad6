package verify

import (
	"fmt"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/sample"
)

// Options bound a walk. The zero value is an honest default for each.
type Options struct {
	Attempts  int      // submissions begun; 0 means any number
	Tries     int      // sendings of one attempt; 0 means any number
	Loads     int      // loads asked for; 0 means any number
	Rows      int      // rows of a group in which a field is edited; 0 means 2
	RowsStay  bool     // no row is added or removed, but what the form requires
	Edited    []string // paths of the fields that are edited; nil means the first of Plan. The others are filled in before
	Supplied  bool     // the application supplies saved answers of its own accord, as it always may where the form says prefill.own
	OneButton bool     // submits are by the first button alone
	Earlier   bool     // the session begins with what an earlier page kept, instead of afresh
	States    int      // states after which the walk gives up; 0 means ten million
	Memory    int      // bytes after which the walk gives up; 0 means 2 GiB
	Workers   int      // goroutines that walk; 0 means one for each core
	First     bool     // The walk ends at the first breach
	Whole     bool     // No reduction is used, and states that differ only in what can have no effect any more are told apart. With Whole, zero Attempts, Tries and Loads mean 2
	auditAll  bool     // each step is audited

	// Wanted asks for the shortest session that takes a transition of the lifecycle.
	// Where it is nil, no transition is noted.
	Wanted func(lifecycle.Transition) bool

	// Progress is called now and then with how far the walk is. It may be nil.
	Progress func(Progress)
	// Found is called with each breach as soon as it is found. It may be nil.
	Found func(Breach)
	// Until is when the walk gives up; zero means never.
	Until time.Time
	// Stop ends the walk when it is closed. The result has what was found until then.
	Stop <-chan struct{}
}

// Progress is how far a walk is.
type Progress struct {
	States, Transitions, Frontier, Depth int
}

func (o Options) withDefaults(declared *form.Form) Options {
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
	o.Supplied = o.Supplied || declared.Prefill.Own
	o.Attempts, o.Tries, o.Loads = min(o.Attempts, 200), min(o.Tries, 200), min(o.Loads, 200) // a count is a byte
	set(&o.States, 10_000_000)
	set(&o.Memory, 2<<30)
	set(&o.Workers, runtime.GOMAXPROCS(0))
	if plan := Plan(declared, 1); o.Edited == nil && len(plan) > 0 {
		o.Edited = plan[0]
	}
	o.Edited = slices.Clone(o.Edited)
	for k, path := range o.Edited {
		o.Edited[k] = form.PathInRow(path, 0)
	}
	return o
}

// under reports whether one more stays within a limit. A limit of 0 allows any number.
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
	if declared.Prefill.Loads() {
		text += ", " + number(o.Loads, "load", "loads")
	}
	if declared.Prefill.Loads() && o.Supplied {
		text += " and any number of supplied ones"
	}
	switch {
	case !slices.ContainsFunc(declared.Fields, func(f form.Field) bool { return f.Kind == form.KindRows }):
	case o.RowsStay:
		text += ", no row added or removed"
	default:
		text += ", " + number(o.Rows, "row", "rows")
	}
	return text + buttons
}

// edited is a field that the walk types at, with the texts that it types.
type edited struct {
	field form.FieldID
	path  string
	raws  []string
	saved form.Value // what a load brings
}

// editedField chooses the texts that a walk types at a field: an accepted one, a refused one and
// the one that is saved. A form that does not send unchanged answers needs a second accepted text. A
// field of a comparison also gets the text that was chosen to go with the others, so that there is a
// way in which the comparison holds.
func editedField(f *form.Form, path string, chosen map[string]string) (edited, error) {
	path = form.PathInRow(path, 0)
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
	samples := sample.Some(f, place.Field, 3)
	if !f.Prefill.Loads() {
		add("")
	} else if len(samples) > 0 { // the last is what a load brings
		e.saved = f.Parse(place.Field, samples[len(samples)-1])
		add(samples[len(samples)-1])
	}
	for _, raw := range samples[:min(len(samples), 1)] {
		add(raw)
	}
	if raw, there := chosen[path]; there {
		add(raw)
	}
	if f.Submit.HoldUnchanged && (len(samples) > 2 || !f.Prefill.Loads() && len(samples) > 1) {
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
