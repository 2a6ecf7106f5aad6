package declare

import (
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// advise lists what is allowed and unwise.
func (r *reader) advise() []form.Problem {
	report := document.NewReport(r.file)
	d := &r.declaration
	at := func(keys ...string) *document.Node { return nearest(r.root, keys...) }
	replaces := !d.Submit.Creates()
	if replaces && !d.Prefill.Loads() {
		report.Wrong(at("submit"), d.Submit.Method+" without a prefill: the record is replaced by what the form opens with", "a prefill with needed: true")
	}
	if replaces && d.Prefill.Loads() && !d.Prefill.Needed {
		report.Wrong(at("prefill"), d.Submit.Method+" with a prefill that is not needed: blanks can overwrite the record when the load fails", "needed: true")
	}
	if replaces && d.Prefill.Loads() && !d.Submit.Undeclared && (d.Submit.Method == "PUT" || r.hasRows()) {
		what, key := "what the record has beyond the form", "undeclared"
		if d.Submit.Method == "PATCH" {
			what = "what a row of the record has beyond the form"
		}
		if d.Submit.AsForm {
			key = "as"
		}
		report.Wrong(at("submit", key), d.Submit.Method+" without undeclared: send: each save takes away "+what+", such as an id", "undeclared: send, and as: json")
	}
	if replaces && d.Accepted.Then == form.ThenClear {
		report.Wrong(at("accepted"), "clear after "+d.Submit.Method+": the form of a saved record empties", "keep, adopt or navigate")
	}
	if d.Submit.Timeout > time.Minute {
		report.Wrong(at("submit", "timeout"), "a submit that waits "+d.Submit.Timeout.String(), "at most 1m: an applicant gives up before that")
	}
	if d.Submit.Edit && d.Accepted.Then == form.ThenNavigate {
		report.Wrong(at("submit", "whileSending"), "edits while sending on a form that navigates: one edit keeps the applicant from going on", "whileSending: lock")
	}
	if d.Show == form.ShowInput {
		report.Wrong(at("show"), "issues shown while the first letter is typed", "show: blur")
	}
	if d.Accepted.Then == form.ThenNavigate && d.Accepted.To == "" {
		report.Wrong(at("accepted"), "navigate without to: the reply must bring a Location", "to: where to go without one")
	}
	if d.Accepted.Then != form.ThenNavigate && d.Accepted.To != "" {
		report.Wrong(at("accepted", "to"), "a destination that is not gone to without then: navigate", "then: navigate, or no to")
	}
	r.adviseFields(report)
	r.advisePlurals(report)
	problems, _ := report.Err().(form.Problems)
	return problems
}

// nearest is the node below some keys, or the nearest one above it that there is.
func nearest(n *document.Node, keys ...string) *document.Node {
	for _, key := range keys {
		if next := n.Get(key); next != nil {
			n = next
		}
	}
	return n
}

func (r *reader) adviseFields(report *document.Report) {
	when := func(path string) *document.Node { return r.root.Get("fields").Get(path).Get("when") }
	for k := range r.declaration.Fields {
		f := &r.declaration.Fields[k]
		at := r.root
		if n := r.settings[f.Path]; n != nil {
			at = n
		}
		has, always := map[form.ConstraintOp]bool{}, false
		for _, c := range f.Constraints {
			has[c.Op] = true
			always = always || c.Op == form.OpRequired && len(c.When) == 0
		}
		group, rest, inRows := form.CutRow(f.Path)
		if at := when(f.Path); at != nil && always && (group == f.Path || when(group) == nil) {
			report.Wrong(at, f.Path+" asked only sometimes, which the schema requires always: it refuses a record without it", "if and then in the schema, with "+f.Path+" required there alone")
		}
		if has[form.OpMinItems] && !has[form.OpRequired] {
			report.Wrong(at, f.Path+" with minItems and not required: no rows at all are fine", "required in the schema")
		}
		if inRows && rest == "" { // an item of a list has its list's label
			continue
		}
		if f.Label == f.Path[lastSlash(f.Path)+1:] && (f.Kind != form.KindRows || r.declaration.HeadsList(k)) {
			report.Wrong(at, f.Path+" without a label", "label, or title in the schema")
		}
	}
}

func lastSlash(path string) int {
	for k := len(path) - 1; k >= 0; k-- {
		if path[k] == '/' {
			return k
		}
	}
	return -1
}
