package verify

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/sample"
)

// Plan chooses the fields that walks of a form edit, so many at a time: one that is typed,
// one that is read as a number or a time and one that is chosen, and one for each trait that the lifecycle treats differently (a
// check, a condition, a comparison, rows, a private value). A field that is
// compared with another, or asked by another's answer, stays beside it.
func Plan(declared *form.Form, atATime int) [][]string {
	var chosen []form.FieldID
	seen := map[string]bool{}
	for pass := range 2 { // fields with a trait first: they show their kind as well
		for id := range declared.Declared() {
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
		accepted := len(sample.Some(f, id, 2))
		if f.Accepts(id, form.Value{}) {
			accepted++
		}
		return accepted > 1
	}
	if !f.Submit.HoldUnchanged || slices.ContainsFunc(set, func(path string) bool {
		return changes(fieldAt(f, path))
	}) {
		return "", false
	}
	for _, rows := range []bool{false, true} { // rows only where there is nothing else: they come and go then
		for id := range f.Declared() {
			_, inRows := f.Group(form.FieldID(id))
			path := walkedPath(f, form.FieldID(id))
			if f.Fields[id].Kind != form.KindRows && inRows == rows && len(f.Fields[id].Asked) == 0 && !slices.Contains(set, path) && (rows || changes(form.FieldID(id))) {
				return path, true
			}
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

// ladder lists bounds of a walk, each wider than the ones before. The last are those that the walk asks for.
// Within the first, the rows that a load brings stay: no row is added or removed.
func (o Options) ladder(f *form.Form) []Options {
	inRows := slices.ContainsFunc(o.Edited, func(path string) bool {
		_, inRows := f.Group(fieldAt(f, path))
		return inRows
	})
	narrow := func(limit *int, most int) {
		if *limit == 0 || *limit > most {
			*limit = most
		}
	}
	oneRow := o
	if inRows {
		narrow(&oneRow.Rows, 1)
	}
	once := oneRow
	narrow(&once.Attempts, 1)
	narrow(&once.Tries, 2)
	narrow(&once.Loads, 1)
	oneTry := once
	narrow(&oneTry.Tries, 1)
	first := oneTry
	first.RowsStay = inRows && f.Prefill.Loads()
	steps := []Options{first, oneTry, once, oneRow, o}
	return slices.CompactFunc(steps, func(a, b Options) bool { return a.bounds(f) == b.bounds(f) })
}

// fieldAt is the field that a walk edits at a path.
func fieldAt(f *form.Form, path string) form.FieldID {
	place, _ := f.Lookup(form.PathInRow(path, 0))
	return place.Field
}

// comesBack reports whether what an earlier page kept of a field comes back in a way of its own.
func comesBack(declared *form.Form, path string) bool {
	id := fieldAt(declared, path)
	_, inRows := declared.Group(id)
	f := &declared.Fields[id]
	return inRows || f.Private || len(f.Asked) > 0
}

// traitsOf lists what a field can do in the lifecycle. The first trait is how the field is edited: it is
// typed, it is typed and read as a number or a time, which may fail, or it is chosen.
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

// linkedWith lists the fields that a field depends on: those that it is compared with, and those
// that decide whether it is asked. A condition on a group links its first member, because rows
// come and go in the walk that edits that member.
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

// walkedPath is where a walk edits a field. A field in rows is edited in the first row.
func walkedPath(f *form.Form, id form.FieldID) string {
	row := int32(-1)
	if _, inRows := f.Group(id); inRows {
		row = 0
	}
	return f.Path(form.Place{Field: id, Row: row})
}
