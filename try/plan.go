package try

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

// plan is what a form file says for the trials: whom to answer what, and what an
// applicant types.
type plan struct {
	form   *lifecycle.Form
	record []byte // a load's body
	fields [][2]string
	submit string            // selector of the buttons; empty: those of the form
	valid  map[string]string // what makes the form complete, by path, as typed
	order  []string          // of those paths
	missed []string          // those without which the form is not complete
}

func newPlan(source *declare.Source, record []byte) *plan {
	form := source.Form
	p := &plan{form: form, record: record, submit: source.Controls.Submit, valid: map[string]string{}}
	for id := range form.Fields {
		f := &form.Fields[id]
		if _, inRows := form.Group(lifecycle.FieldID(id)); inRows || f.Kind == lifecycle.KindRows {
			continue
		}
		p.fields = append(p.fields, [2]string{f.Path, source.Controls.Fields[f.Path]})
	}
	edits, _ := declare.Fill(form)
	for _, e := range edits {
		if e.Kind == lifecycle.EventEdit && !strings.Contains(e.Path, "/0/") {
			if _, again := p.valid[e.Path]; !again {
				p.order = append(p.order, e.Path)
			}
			p.valid[e.Path] = e.Raw
		}
	}
	p.missed = slices.Clone(p.order)
	p.typeSomething()
	if p.record == nil && form.Prefill.URL != "" {
		p.record = p.sample()
	}
	return p
}

// typeSomething has a text typed where none has to be: a form that nobody has changed
// is sent by nobody.
func (p *plan) typeSomething() {
	if _, ok := p.text(false); ok {
		return
	}
	for id := range p.form.Fields {
		f := &p.form.Fields[id]
		if _, inRows := p.form.Group(lifecycle.FieldID(id)); inRows || f.Kind != lifecycle.KindText || f.Private || len(f.Asked) > 0 {
			continue
		}
		if raw, ok := declare.Sample(p.form, lifecycle.FieldID(id)); ok {
			p.order, p.valid[f.Path] = append(p.order, f.Path), raw
			return
		}
	}
}

// sample is a record with other values than those that are typed: of a form that
// creates, its first two texts or numbers; of one that replaces, all.
func (p *plan) sample() []byte {
	var answers []lifecycle.Answer
	for _, path := range p.paths() {
		place, _ := p.form.Lookup(path)
		f := &p.form.Fields[place.Field]
		if f.Private || p.form.Submit.Method == "POST" && (len(answers) == 2 || !typed(f)) {
			continue
		}
		samples := declare.Samples(p.form, place.Field, 9)
		if len(samples) == 0 {
			continue
		}
		other := samples[len(samples)-1]
		for _, sample := range samples {
			if sample != p.valid[path] && !strings.ContainsAny(sample, "@:") {
				other = sample
				break
			}
		}
		answers = append(answers, lifecycle.Answer{Place: place, Value: p.form.Parse(place.Field, other), Changed: true})
	}
	return p.form.AppendBody(nil, answers)
}

// another is a text that is not the one that was typed, and whether the field accepts
// it.
func (p *plan) another(path string) (raw string, accepted bool) {
	place, _ := p.form.Lookup(path)
	for _, sample := range declare.Samples(p.form, place.Field, 9) {
		if sample != p.valid[path] && !strings.ContainsAny(sample, "@") {
			return sample, true
		}
	}
	raw = p.valid[path] + " II"
	return raw, p.form.Accepts(place.Field, p.form.Parse(place.Field, raw))
}

// typed reports whether a field is a text or number that somebody types.
func typed(f *lifecycle.Field) bool {
	return f.Kind == lifecycle.KindText || f.Kind == lifecycle.KindNumber || f.Kind == lifecycle.KindInteger
}

func (p *plan) paths() []string {
	var list []string
	for _, f := range p.fields {
		list = append(list, f[0])
	}
	return list
}

// loaded is the record's value at a path, as its control shows it; nothing where it
// has none.
func (p *plan) loaded(path string) string {
	var value any
	if json.Unmarshal(p.record, &value) != nil {
		return ""
	}
	for name := range strings.SplitSeq(path, "/") {
		object, _ := value.(map[string]any)
		value = object[name]
	}
	scalar, ok := lifecycle.ScalarOf(value)
	if !ok {
		return ""
	}
	return p.form.Format(scalar)
}

// kindOf is the kind of request that an address is declared for: load, check,
// submit, or nothing.
func (p *plan) kindOf(method, path string) string {
	is := func(declared string) bool {
		if k := strings.Index(declared, "://"); k >= 0 { // as a page from elsewhere has it
			declared = declared[k+3:]
			declared = declared[max(0, strings.IndexByte(declared, '/')):]
		}
		before, after, holds := strings.Cut(declared, "{value}")
		return declared != "" && (declared == path || holds && strings.HasPrefix(path, before) && strings.HasSuffix(path, after))
	}
	reads := method == "GET" || method == "HEAD"
	switch {
	case !reads && is(p.form.Submit.URL):
		return "submit"
	case reads && is(p.form.Prefill.URL):
		return "load"
	}
	for id := range p.form.Fields {
		if reads && is(p.form.Fields[id].Check.URL) {
			return "check"
		}
	}
	return ""
}

// patience is how long a submission may be pending: what the form declares, and a
// while for the page to show it.
func (p *plan) patience() time.Duration {
	return cmp.Or(p.form.Submit.Timeout, 10*time.Second) + 5*time.Second
}
