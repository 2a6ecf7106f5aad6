package declare

import (
	"regexp"
	"slices"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// policyDefaults are the policies of a form file that says nothing.
func (r *reader) policyDefaults() {
	d := &r.declaration
	d.Buttons = []string{"submit"}
	d.Submit = form.SubmitPolicy{
		Method: "POST", Timeout: 10 * time.Second, ResendTimes: 3, ResendWait: time.Second, ResendLongest: time.Minute, Undeclared: true,
	}
	d.Prefill.Timeout = 5 * time.Second
}

func (r *reader) policies(root *document.Node) {
	d := &r.declaration
	if n := root.Get("submit"); n != nil {
		r.submit(n)
	}
	d.Prefill.Needed = d.Submit.Method == "PUT" // what replaces a record needs what it replaces
	if n := root.Get("prefill"); n != nil {
		r.prefill(n)
	} else {
		d.Prefill.Needed = false
	}
	// Without a load there is nothing to send back, and a merge patch leaves alone what it does not mention, but for rows.
	d.Submit.Undeclared = d.Submit.Undeclared && !d.Submit.Creates() && !d.Submit.AsForm && d.Prefill.Loads() && (d.Submit.Method == "PUT" || r.hasRows())
	if n := root.Get("show"); n != nil {
		d.Show = map[string]form.ShowPolicy{
			"blur": form.ShowBlur, "input": form.ShowInput, "submit": form.ShowSubmit,
		}[r.Word(n, "blur", "input", "submit")]
	}
	if n := root.Get("accepted"); n != nil {
		r.accepted(n)
	}
	if n := root.Get("refused"); n != nil {
		for _, e := range r.Map(n, "serverNames", "inBody") {
			if e.Key == "inBody" {
				r.inBody(e.Value)
				continue
			}
			for _, name := range r.Map(e.Value) {
				path := r.Text(name.Value)
				if r.known(path, name.Value) != nil {
					d.ServerNames = append(d.ServerNames, form.ServerName{Name: name.Key, Path: path})
				}
			}
		}
	}
	if n := root.Get("signInPaths"); n != nil {
		for _, item := range r.List(n) {
			d.SignInPaths = append(d.SignInPaths, r.path(item, false))
		}
	}
	if n := root.Get("origins"); n != nil {
		for _, item := range r.List(n) {
			d.Origins = append(d.Origins, r.origin(item))
		}
	}
	if n := root.Get("leave"); n != nil {
		r.leave(n)
	}
	if n := root.Get("texts"); n != nil {
		for _, e := range r.Map(n, form.MessageNames()...) {
			message, _ := form.MessageNamed(e.Key)
			d.Texts = append(d.Texts, form.MessageText{Message: message, Wording: r.wording(e.Value, message)})
		}
	}
}

// given reads the names that whoever opens the form gives values for.
func (r *reader) given(n *document.Node) {
	for _, item := range r.List(n) {
		name := r.Text(item)
		switch {
		case !givenName.MatchString(name):
			r.Wrong(item, document.Describe(item), "a name of letters, digits and underscores, such as id")
		case name == checkedValue:
			r.Wrong(item, "the name value", "another name: {value} in the url of a check is what is checked")
		case slices.Contains(r.declaration.Given, name):
			r.Wrong(item, "the name "+name+" twice", "each name once")
		default:
			r.declaration.Given = append(r.declaration.Given, name)
		}
	}
}

// checkedValue is the name that stands for the answer in the url of a check.
const checkedValue = "value"

// inURL is a name in a url, and givenName what can be one: a path of net/http can have it.
var (
	inURL     = regexp.MustCompile(`\{[^{}]*\}`)
	givenName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)
)

// url reads a url. The names in it are given, or the url's own.
func (r *reader) url(n *document.Node, own ...string) string {
	text := r.Text(n)
	for _, name := range inURL.FindAllString(text, -1) {
		name = name[1 : len(name)-1]
		if known := append(slices.Clone(r.declaration.Given), own...); !slices.Contains(known, name) {
			right := "given: [" + name + "]"
			if !givenName.MatchString(name) {
				right = "a name that is given, such as {id}"
			} else if near := document.Suggest(name, known); near != "" {
				right = "{" + near + "}, or " + right
			}
			r.Wrong(n, "{"+name+"} in a url, which is not given", right)
		}
	}
	return text
}

func (r *reader) hasRows() bool {
	return slices.ContainsFunc(r.declaration.Fields, func(f form.Field) bool { return f.Kind == form.KindRows })
}

func (r *reader) prefill(n *document.Node) {
	p := &r.declaration.Prefill
	for _, e := range r.Map(n, "url", "own", "needed", "timeout", "whileLoading", "ifEdited") {
		switch e.Key {
		case "url":
			p.URL = r.url(e.Value)
		case "own":
			p.Own = r.Bool(e.Value)
		case "needed":
			p.Needed = r.Bool(e.Value)
		case "timeout":
			p.Timeout = r.bound(e.Value)
		case "whileLoading":
			p.Lock = r.Word(e.Value, "edit", "lock") == "lock"
		case "ifEdited":
			p.Ask = r.Word(e.Value, "keep", "ask") == "ask"
		}
	}
	switch {
	case n.Kind == document.Map && !p.Loads():
		r.Wrong(n, "a prefill without url", "url: where the saved answers come from, or own: true where the application brings them")
	case p.URL != "" && p.Own:
		r.Wrong(n, "a prefill with a url and own: true", "one of them: with own: true the application brings the saved answers, and no url is asked")
	}
}

func (r *reader) submit(n *document.Node) {
	d := &r.declaration
	p := &d.Submit
	for _, e := range r.Map(n, "url", "method", "buttons", "timeout", "whileSending", "resend", "unchanged", "as", "undeclared") {
		switch e.Key {
		case "url":
			p.URL = r.url(e.Value)
		case "method":
			p.Method = r.Word(e.Value, "POST", "PUT", "PATCH")
		case "buttons":
			r.buttons(e.Value)
		case "timeout":
			p.Timeout = r.bound(e.Value)
		case "whileSending":
			p.Edit = r.Word(e.Value, "lock", "edit") == "edit"
		case "resend":
			for _, e := range r.Map(e.Value, "times", "wait", "longest") {
				switch e.Key {
				case "times":
					p.ResendTimes = r.Int(e.Value, 0)
				case "wait":
					p.ResendWait = r.Duration(e.Value)
				case "longest":
					p.ResendLongest = r.Duration(e.Value)
				}
			}
		case "as":
			p.AsForm = r.Word(e.Value, "json", "form") == "form"
		case "undeclared":
			p.Undeclared = r.Word(e.Value, "leave", "send") == "send"
		case "unchanged":
			p.HoldUnchanged = r.Word(e.Value, "allow", "hold") == "hold"
		}
	}
	if p.Undeclared && p.AsForm && n.Get("undeclared") != nil {
		r.Wrong(n, "undeclared: send with as: form, whose body has declared answers alone", "undeclared: leave, or as: json")
	}
	if p.AsForm && p.Method == "PATCH" {
		r.Wrong(n, "as: form with PATCH, whose body is a merge patch", "as: json, or POST or PUT")
	}
}

func (r *reader) buttons(n *document.Node) {
	var buttons []string
	for _, item := range r.List(n) {
		name := r.Text(item)
		if !isName(name) {
			r.Wrong(item, document.Describe(item), "a name of letters, digits and hyphens, such as apply")
			continue
		}
		for _, earlier := range buttons {
			if earlier == name {
				r.Wrong(item, "the button "+name+" a second time", "each button once")
			}
		}
		buttons = append(buttons, name)
	}
	if n.Kind == document.List && len(n.Items) == 0 {
		r.Wrong(n, "no buttons", "at least one, such as apply")
	}
	if len(buttons) > 0 {
		r.declaration.Buttons = buttons
	}
}

func (r *reader) accepted(n *document.Node) {
	d := &r.declaration
	for _, e := range r.Map(n, "then", "to", "say", "lasts", "at", "has") {
		switch e.Key {
		case "then":
			d.Accepted.Then = map[string]form.Then{
				"keep": form.ThenKeep, "clear": form.ThenClear, "adopt": form.ThenAdopt, "navigate": form.ThenNavigate,
			}[r.Word(e.Value, "keep", "clear", "adopt", "navigate")]
		case "to":
			d.Accepted.To = r.Text(e.Value)
		case "at":
			d.Accepted.At = r.path(e.Value, true)
		case "has":
			if d.Accepted.Has = r.Text(e.Value); d.Accepted.Has != form.HasNone {
				r.pointer(e.Value, "/id", "the word none")
			}
		case "say":
			d.Texts = append(d.Texts, form.MessageText{Message: form.MessageAccepted, Wording: r.wording(e.Value, form.MessageAccepted)})
		case "lasts":
			d.Accepted.Lasts = r.bound(e.Value)
		}
	}
}

func (r *reader) leave(n *document.Node) {
	p := &r.declaration.Leave
	for _, e := range r.Map(n, "when", "inFlight") {
		switch e.Key {
		case "when":
			p.When = map[string]form.LeaveWhen{
				"dirty": form.LeaveDirty, "dirtyAndTouched": form.LeaveDirtyAndTouched, "never": form.LeaveNever,
			}[r.Word(e.Value, "dirty", "dirtyAndTouched", "never")]
		case "inFlight":
			p.AllowInFlight = r.Word(e.Value, "ask", "allow") == "allow"
		}
	}
}

// defaults reads the answers that the form opens with. They stand at paths or in nested members.
func (r *reader) defaults(n *document.Node) {
	if n == nil {
		return
	}
	r.defaultsBelow(n, "")
}

func (r *reader) defaultsBelow(n *document.Node, prefix string) {
	for _, e := range r.Map(n) {
		path := e.Key
		if prefix != "" {
			path = prefix + "/" + e.Key
		}
		f := r.byPath[path]
		switch {
		case f != nil && f.Kind == form.KindRows:
			r.defaultRows(f, path, e.Value)
		case f != nil:
			r.defaultValue(f, -1, e.Value)
		case e.Value.Kind == document.Map:
			r.defaultsBelow(e.Value, path)
		default:
			r.known(path, e.At)
		}
	}
}

func (r *reader) defaultValue(f *protoField, row int32, n *document.Node) {
	v, ok := f.ValueOf(n.Any())
	if !ok && (n.Kind == document.Number || n.Kind == document.Bool) {
		v, ok = f.ValueOf(n.Text)
	}
	if !ok {
		r.Wrong(n, document.Describe(n), "a value for "+f.Path+" ("+f.Kind.String()+")")
		return
	}
	if f.Private || r.private[f.Path] {
		r.Wrong(n, "a default of the private field "+f.Path, "no default: it would stand in every copy of the form")
		return
	}
	place := form.Place{Field: r.ids[f.Path], Row: row}
	for k, a := range r.declaration.Defaults {
		if a.Place == place {
			r.declaration.Defaults[k].Value = v
			return
		}
	}
	r.declaration.Defaults = append(r.declaration.Defaults, form.Answer{Place: place, Value: v})
}

func (r *reader) defaultRows(group *protoField, path string, n *document.Node) {
	if n.Kind != document.List {
		r.Wrong(n, "a default of "+path+" that is no list", "a list of rows, such as [{name: Heron}]")
		return
	}
	rows := r.List(n)
	r.declaration.Defaults = append(r.declaration.Defaults, form.Answer{
		Place: form.Place{Field: r.ids[path], Row: -1}, Value: form.Number(int64(len(rows)), 0),
	})
	for k, row := range rows {
		var below func(n *document.Node, prefix string)
		below = func(n *document.Node, prefix string) {
			for _, e := range r.Map(n) {
				f := r.byPath[prefix+"/"+e.Key]
				switch {
				case f != nil:
					r.defaultValue(f, int32(k), e.Value)
				case e.Value.Kind == document.Map:
					below(e.Value, prefix+"/"+e.Key)
				default:
					r.known(prefix+"/"+e.Key, e.At)
				}
			}
		}
		if row.Kind != document.Map {
			r.Wrong(row, "a row of "+path+" that is no mapping", "a row such as {name: Heron}")
			continue
		}
		below(row, path+"/*")
	}
}
