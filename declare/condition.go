package declare

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// These are conditions while the fields are still known by their paths. A set of
// conditions holds when any of them does, a condition when all its clauses do, and
// a clause when any of its literals does. An empty set always holds.
type (
	literal struct {
		path     string
		values   []form.Value
		present  bool
		orAbsent bool
		negate   bool
		at       *document.Node
	}
	clause    []literal
	condition []clause
)

// both holds when a and b do; an empty set stands for always.
func both(a, b []condition) []condition {
	if len(a) == 0 {
		return b
	}
	if len(b) == 0 {
		return a
	}
	var product []condition
	for _, x := range a {
		for _, y := range b {
			product = append(product, append(append(condition{}, x...), y...))
		}
	}
	return product
}

// not negates one condition.
func not(c condition) []condition {
	// ¬(A ∧ B) = ¬A ∨ ¬B; a clause of several literals becomes several clauses.
	var set []condition
	for _, clause := range c {
		var all condition
		for _, l := range clause {
			l.negate = !l.negate
			all = append(all, []literal{l})
		}
		set = append(set, all)
	}
	return set
}

// resolve puts field ids in place of paths.
func (r *reader) resolve(set []condition) []form.Condition {
	var resolved []form.Condition
	for _, c := range set {
		out := form.Condition{}
		for _, cl := range c {
			var literals form.Clause
			for _, l := range cl {
				id, ok := r.ids[l.path]
				if !ok {
					r.Wrong(l.at, "a condition on "+l.path+", which is no field", "one of the form's fields")
					continue
				}
				if f := r.byPath[l.path]; l.present && f.Kind == form.KindBoolean && f.Required {
					l = literal{values: []form.Value{form.True()}, orAbsent: true, negate: l.negate} // sent in any case
				}
				literals = append(literals, form.Literal{
					Field: id, Values: l.values, Present: l.present, OrAbsent: l.orAbsent, Negate: l.negate,
				})
			}
			out = append(out, literals)
		}
		resolved = append(resolved, out)
	}
	return resolved
}
