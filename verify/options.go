package verify

import (
	"fmt"
	"strings"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

// Options bound a walk. The zero value is an honest default for each.
type Options struct {
	Attempts int // submissions begun; 0: 2
	Tries    int // sendings of one attempt; 0: 2
	Loads    int // loads asked for; 0: 2
	Rows     int // rows of a group; 0: 1
	Fields   int // fields that are edited; 0: 1. The others are filled in before
	States   int // states after which the walk gives up; 0: a million

	// Progress is told now and then how far the walk is; nil: nobody.
	Progress func(states, frontier, depth int)
	// Stop ends the walk with what was found so far, when it is closed.
	Stop <-chan struct{}
}

func (o Options) withDefaults() Options {
	set := func(v *int, value int) {
		if *v == 0 {
			*v = value
		}
	}
	set(&o.Attempts, 2)
	set(&o.Tries, 2)
	set(&o.Loads, 2)
	set(&o.Rows, 1)
	set(&o.Fields, 1)
	set(&o.States, 1_000_000)
	return o
}

// Bounds says in words within what a walk went.
func (o Options) bounds() string {
	return fmt.Sprintf("%d attempts, %d tries each, %d loads, %d rows, %d fields edited", o.Attempts, o.Tries, o.Loads, o.Rows, o.Fields)
}

// edited is a field that the walk types at, with the texts that it types.
type edited struct {
	path string
	raws []string
}

// choose takes the fields that differ most from each other: those with a check
// or a condition first, then one of each kind.
func choose(form *lifecycle.Form, most int) []lifecycle.FieldID {
	var chosen []lifecycle.FieldID
	seen := map[string]bool{}
	for pass := range 3 {
		for id := range form.Fields {
			f := &form.Fields[id]
			if len(chosen) >= most || f.Kind == lifecycle.KindRows {
				continue
			}
			trait := f.Kind.String()
			switch {
			case pass == 0 && f.Check.URL != "":
				trait = "check"
			case pass == 0 && len(f.Asked) > 0:
				trait = "asked"
			case pass == 0:
				continue
			case pass == 1 && len(f.Constraints) == 0:
				continue
			}
			if !seen[trait] {
				seen[trait] = true
				chosen = append(chosen, lifecycle.FieldID(id))
			}
		}
	}
	return chosen
}

// texts are what is typed at a field: an accepted text, a refused one, and
// nothing. A form that holds what is unchanged needs a second accepted one.
func texts(form *lifecycle.Form, id lifecycle.FieldID) []string {
	accepted := 1
	if form.Submit.HoldUnchanged {
		accepted = 2
	}
	raws := append([]string{""}, declare.Samples(form, id, accepted)...)
	for _, raw := range []string{"x", strings.Repeat("x", 200), "-1", "1e9", "2000-01-01"} {
		if v := form.Parse(id, raw); !form.Accepts(id, v) && form.Fields[id].Kind != lifecycle.KindBoolean {
			return append(raws, raw)
		}
	}
	return raws
}
