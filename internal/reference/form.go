// Package reference is the reference model of a session: an independent account of what was typed and when,
// what was sent under which key, what an office has stored, what a page kept. It
// drives an applicant's pages and an office at random, and says where the form has
// lost or falsified something. It is written from the lifecycle's words, and knows a
// session only by what everybody can read of it.
package reference

import (
	"strconv"
	"time"

	"pgregory.net/rapid"

	"leanwicket.dev/form"
)

// sizes are numbers of rows that a record can have.
var sizes = []int{0, 1, 2, 2, 3, 3, 4, 9, 10, 11, 20, 40}

// rules are what the model knows of the form that it plays on.
type rules struct {
	form     *form.Form
	replaces bool
	needed   bool
	group    bool
	when     map[string]string // a field that is asked only where this box is ticked
	private  map[string]bool
	defaults map[string]string
	inRow    []string // the members of the group
	clears   bool
	ask      bool
	beyond   bool // the form does not know the ids of rows, nor all of the record, and sends them back
	then     form.Then
}

// drawForm draws a form of the kinds that lose work most easily: a record or an
// application, rows, boxes that ask for more, checks, private answers, defaults.
func drawForm(t *rapid.T) rules {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	r := rules{when: map[string]string{}, private: map[string]bool{}, defaults: map[string]string{}}
	r.replaces = flip("replaces")
	r.beyond = r.replaces && flip("beyond")
	r.then = rapid.SampledFrom([]form.Then{form.ThenKeep, form.ThenKeep, form.ThenClear, form.ThenAdopt, form.ThenNavigate}).Draw(t, "then")
	r.clears = r.then == form.ThenClear
	d := form.Declaration{
		Name: "account", Buttons: []string{"send", "save"},
		Submit: form.SubmitPolicy{
			Method: "POST", Timeout: time.Second, Edit: rapid.IntRange(0, 3).Draw(t, "edit while sending") > 0, ResendTimes: rapid.IntRange(0, 1).Draw(t, "times"),
			ResendWait: time.Second, ResendLongest: time.Minute,
		},
		Accepted: form.AcceptedPolicy{Then: r.then, To: "/done"},
	}
	if r.replaces {
		d.Submit.Undeclared = r.beyond
		d.Submit.Method = rapid.SampledFrom([]string{"PUT", "PATCH"}).Draw(t, "method")
	}
	if r.replaces || flip("prefill") {
		r.needed, r.ask = flip("needed"), flip("ask")
		d.Prefill = form.PrefillPolicy{URL: "/record", Needed: r.needed, Timeout: time.Second, Ask: r.ask, Lock: rapid.IntRange(0, 3).Draw(t, "lock") == 0}
	}
	add := func(path string, kind form.FieldKind) *form.Field {
		d.Fields = append(d.Fields, form.Field{Path: path, Kind: kind})
		return &d.Fields[len(d.Fields)-1]
	}
	asked := func(f *form.Field, box form.FieldID) {
		f.Asked = []form.Condition{{{{Field: box, Values: []form.Value{form.True()}}}}}
		r.when[f.Path] = d.Fields[box].Path
	}
	field := func(path string, kind form.FieldKind, box form.FieldID) {
		f := add(path, kind)
		switch rapid.IntRange(0, 9).Draw(t, path) {
		case 0:
			f.Private, r.private[path] = true, true
		case 1, 2:
			if box >= 0 {
				asked(f, box)
			}
		case 3, 4:
			f.Check = form.CheckPolicy{URL: "/check/{value}", Delay: time.Millisecond, Timeout: time.Second}
		}
	}
	box := form.FieldID(0)
	add("box", form.KindBoolean)
	field("owner/name", form.KindText, -1)
	if rapid.IntRange(0, 2).Draw(t, "required") == 0 {
		d.Fields[1].Required = true
	}
	field("note", form.KindText, box)
	field("length", form.KindInteger, box)
	if rapid.IntRange(0, 3).Draw(t, "a default") == 0 {
		d.Defaults = append(d.Defaults, form.Answer{Place: form.Place{Field: 1, Row: -1}, Value: form.Text("Egret")})
		r.defaults["owner/name"] = "Egret"
	}
	if r.group = rapid.IntRange(0, 4).Draw(t, "rows") > 0; r.group {
		f := add("crew", form.KindRows)
		f.Constraints = []form.Constraint{{Op: form.OpMaxItems, Value: form.Number(100, 0)}}
		if rapid.IntRange(0, 3).Draw(t, "rows asked sometimes") == 0 {
			asked(f, box)
		}
		head := form.FieldID(len(d.Fields) - 1)
		if !r.beyond {
			add("crew/*/id", form.KindText)
		}
		field("crew/*/name", form.KindText, -1)
		field("crew/*/role", form.KindText, -1)
		r.inRow = []string{"id", "name", "role"}
		if rapid.IntRange(0, 3).Draw(t, "a default row") == 0 {
			d.Defaults = append(d.Defaults,
				form.Answer{Place: form.Place{Field: head, Row: -1}, Value: form.Number(1, 0)},
				form.Answer{Place: form.Place{Field: form.FieldID(len(d.Fields) - 2), Row: 0}, Value: form.Text("Skipper")})
		}
	}
	if rapid.IntRange(0, 2).Draw(t, "a field after the rows") == 0 {
		field("last", form.KindText, box)
	}
	form, err := form.New(d)
	if err != nil {
		t.Fatal(err)
	}
	r.form = form
	return r
}

// plain lists the fields that are in no rows.
func (r *rules) plain() (paths []string) {
	for id := range r.form.Declared() {
		if _, inRows := r.form.Group(form.FieldID(id)); !inRows && r.form.Fields[id].Kind != form.KindRows {
			paths = append(paths, r.form.Fields[id].Path)
		}
	}
	return paths
}

func rowPath(row int, member string) string { return "crew/" + strconv.Itoa(row) + "/" + member }
