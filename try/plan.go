package try

import (
	"cmp"
	"encoding/json"
	"net/url"
	"slices"
	"strings"
	"time"

	cdpnetwork "github.com/chromedp/cdproto/network"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/sample"
)

// plan is what the trials take from a form file: how each request is answered, and what an applicant
// types.
type plan struct {
	form     *form.Form
	declared *Declarations
	signedIn signedIn
	record   []byte            // a load's body
	loaded   map[string]string // its values by path, as a control shows them
	refusal  refusal
	paths    []string          // of the fields, then of those in the first row of each group
	fields   []located         // how the controls of each field are found
	groups   []located         // how the button is found that adds a row to each group
	submit   string            // selector of the buttons; empty means those of the form
	ignored  []string          // selectors of what counts for nothing: declared, or it changes by itself
	valid    map[string]string // what makes the form complete, by path, as typed
	order    []string          // of those paths
	missed   []string          // those without which the form is not complete, if only by a default
}

// located is how look.js finds something of the form's.
type located struct {
	Path     string   `json:"path"`
	Selector string   `json:"selector,omitempty"`
	Label    string   `json:"label,omitempty"` // empty where other fields have it too
	Parts    []string `json:"parts,omitempty"`
}

func newPlan(source *declare.Source, o Options) (*plan, error) {
	declared := source.Form
	p := &plan{
		form: declared, declared: &Declarations{}, valid: map[string]string{}, loaded: map[string]string{}, groups: []located{},
	}
	if o.Declared != nil {
		p.declared = o.Declared
	}
	p.record, p.submit, p.ignored = p.declared.Record, p.declared.Submit.Control, append([]string{}, p.declared.Ignored...)
	labels := map[string]int{}
	for k := range declared.Declared() {
		labels[declared.Fields[k].Label]++
	}
	var inRows []string
	for id := range declared.Declared() {
		f := &declared.Fields[id]
		c := p.declared.Controls[f.Path]
		control := located{Path: f.Path, Selector: c.Selector, Parts: c.Parts}
		if labels[f.Label] == 1 {
			control.Label = f.Label
		}
		if f.Kind == form.KindRows {
			p.groups = append(p.groups, control)
			continue
		}
		p.fields = append(p.fields, control)
		if path := form.PathInRow(f.Path, 0); path != f.Path {
			inRows = append(inRows, path)
		} else {
			p.paths = append(p.paths, path)
		}
	}
	p.paths = append(p.paths, inRows...)
	edits, _ := sample.Fill(declared)
	for _, e := range edits {
		if e.Kind == lifecycle.EventEdit {
			if _, again := p.valid[e.Path]; !again {
				p.order = append(p.order, e.Path)
			}
			p.valid[e.Path] = e.Raw
		}
	}
	p.missed = slices.Clone(p.order)
	for _, path := range p.paths { // what has a default
		if f, _ := p.field(path); typed(f) && needs(f) && p.free(path) && !slices.Contains(p.missed, path) {
			p.missed = append(p.missed, path)
		}
	}
	p.typeSomething()
	if p.record == nil && declared.Prefill.Loads() {
		p.record = p.sample()
	}
	var body any
	if json.Unmarshal(p.record, &body) == nil {
		for _, a := range replies.Values(declared, pointed(body, p.declared.RecordAt)) {
			p.loaded[declared.Path(a.Place)] = declared.Format(a.Value)
		}
	}
	var err error
	p.refusal, err = p.refusing(p.declared.Refusal)
	return p, err
}

// field is what is declared of the field at a path.
func (p *plan) field(path string) (*form.Field, form.FieldID) {
	place, _ := p.form.Lookup(path)
	return &p.form.Fields[place.Field], place.Field
}

// inRows is the group of a field in rows, and the row that a path is of.
func (p *plan) inRows(path string) (group string, row int) {
	place, _ := p.form.Lookup(path)
	if id, in := p.form.Group(place.Field); in {
		return p.form.Fields[id].Path, int(place.Row)
	}
	return "", 0
}

// typeSomething adds a text to what is typed where the form needs none, because nobody sends a form
// that nobody has changed.
func (p *plan) typeSomething() {
	if _, ok := p.text(false); ok {
		return
	}
	for _, path := range p.paths {
		f, id := p.field(path)
		if raw, ok := sample.One(p.form, id); ok && p.free(path) && f.Kind == form.KindText {
			p.order, p.valid[path] = append(p.order, path), raw
			return
		}
	}
}

// free reports whether a field is open and asked always, with all its rows.
func (p *plan) free(path string) bool {
	f, id := p.field(path)
	group, inRows := p.form.Group(id)
	return !f.Private && len(f.Asked) == 0 && !(inRows && len(p.form.Fields[group].Asked) > 0)
}

// sample is a record with other values than those that are typed. For a form that creates it has the
// first two texts or numbers. For a form that replaces it has all that are compared with nothing.
func (p *plan) sample() []byte {
	var answers []form.Answer
	creates := p.form.Submit.Creates()
	for _, path := range p.paths {
		f, id := p.field(path)
		_, inRows := p.form.Group(id)
		raw := p.valid[path]
		if other, accepted := p.another(path); accepted && typed(f) && !p.compared(id) {
			raw = other
		}
		if raw == "" || !p.free(path) || creates && (len(answers) == 2 || inRows || !typed(f)) {
			continue
		}
		answers = p.withAnswer(answers, path, p.form.Parse(id, raw))
	}
	return p.form.AppendBody(nil, answers)
}

// withAnswer adds an answer to those of a record, and the first row of its group where that is not among them.
func (p *plan) withAnswer(answers []form.Answer, path string, v form.Value) []form.Answer {
	place, _ := p.form.Lookup(path)
	group, inRows := p.form.Group(place.Field)
	if first := (form.Place{Field: group, Row: -1}); inRows && !slices.ContainsFunc(answers, func(a form.Answer) bool { return a.Place == first }) {
		answers = append(answers, form.Answer{Place: first, Value: form.Number(1, 0), Changed: true})
	}
	return append(answers, form.Answer{Place: place, Value: v, Changed: true})
}

// values lists texts that a field accepts. The typed one comes first. Addresses of mail and web are
// left out where the field accepts other texts as well.
func (p *plan) values(path string) []string {
	_, id := p.field(path)
	typed := p.valid[path]
	list := slices.DeleteFunc(sample.Some(p.form, id, 9), func(raw string) bool { return raw == typed || strings.ContainsAny(raw, "@:") })
	if typed == "" {
		return list
	}
	for _, longer := range []string{typed + " VI", typed + " VII"} {
		if p.form.Accepts(id, p.form.Parse(id, longer)) {
			list = append(list, longer)
		}
	}
	return slices.Insert(list, 0, typed)
}

// another is a text that is not the one that was typed, and whether the field accepts
// it.
func (p *plan) another(path string) (raw string, accepted bool) {
	for _, raw := range p.values(path) {
		if raw != p.valid[path] {
			return raw, true
		}
	}
	return p.valid[path] + " VI", false
}

// needs reports whether a field always has to be filled in.
func needs(f *form.Field) bool {
	return slices.ContainsFunc(f.Constraints, func(c form.Constraint) bool { return c.Op == form.OpRequired && len(c.When) == 0 })
}

// typed reports whether a field is a text or number that somebody types.
func typed(f *form.Field) bool {
	return f.Kind == form.KindText || f.Kind == form.KindNumber || f.Kind == form.KindInteger
}

// compared reports whether a field is compared with another one.
func (p *plan) compared(id form.FieldID) bool {
	for at := range p.form.Declared() {
		for _, c := range p.form.Fields[at].Constraints {
			if c.Op.Compares() && (form.FieldID(at) == id || c.Other == id) {
				return true
			}
		}
	}
	return false
}

// fits reports whether an address is the declared one. In the declared one, {value} and the names that
// are given stand for any text.
func fits(declared, asked string) bool {
	before, rest, holds := strings.Cut(declared, "{")
	_, rest, closed := strings.Cut(rest, "}")
	if !holds || !closed {
		return declared == asked
	}
	asked, begins := strings.CutPrefix(asked, before)
	for k := 0; begins && k <= len(asked); k++ {
		if fits(rest, asked[k:]) {
			return true
		}
		if k < len(asked) && strings.IndexByte("/?&", asked[k]) >= 0 {
			break
		}
	}
	return false
}

// kindOf is the kind of request that an address is declared for: load, check,
// submit, or nothing. Where the body is not known, it may be of any operation.
func (p *plan) kindOf(method string, address *url.URL, body []byte) string {
	is := func(declared string) bool {
		if k := strings.Index(declared, "://"); k >= 0 { // as a page from elsewhere has it
			declared = declared[k+3:]
			declared = declared[max(0, strings.IndexByte(declared, '/')):]
		}
		asked := address.Path
		if strings.Contains(declared, "?") {
			asked += "?" + address.RawQuery
		}
		return declared != "" && fits(declared, asked)
	}
	reads := method == "GET" || method == "HEAD"
	means := func(m Message, declared string, usual bool) bool {
		if m.Method != "" || m.Operation != "" {
			usual = method == cmp.Or(m.Method, "POST")
		}
		return usual && is(cmp.Or(m.URL, declared)) && (m.Operation == "" || body == nil || operationOf(body) == m.Operation)
	}
	switch {
	case means(p.declared.Submit, p.form.Submit.URL, !reads):
		return "submit"
	case p.form.Prefill.URL != "" && means(p.declared.Load, p.form.Prefill.URL, reads):
		return "load"
	}
	for id := range p.form.Declared() {
		if reads && is(p.form.Fields[id].Check.URL) {
			return "check"
		}
	}
	return ""
}

// declares reports whether a method and an address belong to a declared request, such as
// one that was held until its page went.
func (p *plan) declares(request string) bool {
	method, address, _ := strings.Cut(request, " ")
	read, err := url.Parse(address)
	return err == nil && (p.kindOf(method, read, nil) != "" || p.other(method, read) != nil)
}

// other finds the declared answer to a request that is not the form's own. It returns nil where there
// is none.
func (p *plan) other(method string, address *url.URL) *Answered {
	for k := range p.declared.Others {
		a := &p.declared.Others[k]
		if a.Method == method && (fits(a.URL, address.Path) || fits(a.URL, address.RequestURI()) || fits(a.URL, address.String())) {
			return a
		}
	}
	return nil
}

// keyOf is the key that a submission carries.
func (p *plan) keyOf(r *cdpnetwork.Request, body []byte) string {
	if p.declared.Key.Body == "" {
		return header(r, cmp.Or(p.declared.Key.Header, "Idempotency-Key"))
	}
	var read any
	if json.Unmarshal(body, &read) != nil {
		return ""
	}
	key, _ := pointed(read, p.declared.Key.Body).(string)
	return key
}

// patience is how long a submission may be pending: what the form declares, and a
// while for the page to show it.
func (p *plan) patience() time.Duration {
	return cmp.Or(p.form.Submit.Timeout, 10*time.Second) + 5*time.Second
}
