package form

import "slices"

// Opening is the form for one opening, whose page has values of its own in its markup: they are
// the defaults instead of the declared ones. A group of which the answers tell a number of rows has
// those rows alone. A form with a prefill source goes by what is loaded, and stays as it is, and so
// does a form for which there are no answers.
func (f *Form) Opening(answers []Answer) *Form {
	if len(answers) == 0 || f.Prefill.Loads() {
		return f
	}
	if f.declared != nil {
		f = f.declared
	}
	opened := *f
	opened.declared, opened.opening = f, answers
	opened.Defaults = slices.DeleteFunc(slices.Clone(f.Defaults), func(declared Answer) bool {
		return slices.ContainsFunc(answers, func(a Answer) bool {
			return a.Place == declared.Place || f.Fields[a.Field].Kind == KindRows && f.group[declared.Field] == a.Field && declared.Row >= 0
		})
	})
	opened.Defaults = append(opened.Defaults, answers...)
	return &opened
}

// OpeningDefaults are the defaults that one opening has brought: see [Form.Opening].
func (f *Form) OpeningDefaults() []Answer { return f.opening }
