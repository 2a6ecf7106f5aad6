package try

import (
	"crypto/x509"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

type declarationsReader struct {
	*document.Report
	dir  string
	form *form.Form
}

func (r *declarationsReader) declarations(root *document.Node) *Declarations {
	d := &Declarations{Controls: map[string]Control{}}
	for _, e := range r.Map(root, "page", "start", "fallback", "headers", "cookies", "user", "password", "certificate", "signIn",
		"steps", "fields", "submit", "load", "key", "answers", "record", "refusal", "accepted", "ignore", "excused") {
		switch e.Key {
		case "page":
			if d.Page = r.text(e.Value); d.Page != "" && !IsAddress(d.Page) {
				d.Page = filepath.Join(r.dir, d.Page)
			}
		case "start":
			d.Start = r.text(e.Value)
		case "fallback":
			d.Fallback = r.text(e.Value)
		case "headers":
			d.Headers = r.texts(e.Value)
		case "cookies":
			d.Cookies = r.texts(e.Value)
		case "user":
			d.User = r.text(e.Value)
		case "password":
			d.Password = r.text(e.Value)
		case "certificate":
			d.Certificates = r.certificate(e.Value)
		case "signIn":
			d.SignIn = r.signIn(e.Value)
		case "steps":
			d.Steps = r.steps(e.Value)
		case "fields":
			r.controls(e.Value, d.Controls)
		case "submit":
			d.Submit = r.message(e.Value, "control", "before", "method", "url", "operation")
		case "load":
			d.Load = r.message(e.Value, "method", "url", "operation")
		case "key":
			d.Key = r.key(e.Value)
		case "answers":
			for _, item := range r.List(e.Value) {
				d.Others = append(d.Others, r.answered(item))
			}
		case "record":
			d.Record, d.RecordAt = r.record(e.Value)
		case "refusal":
			d.Refusal = r.json(e.Value)
		case "accepted":
			d.accepted = r.answer(e.Value, http.StatusCreated, "status", "body")
		case "ignore":
			for _, item := range r.List(e.Value) {
				d.Ignored = append(d.Ignored, r.text(item))
			}
		case "excused":
			d.Excused = r.texts(e.Value)
			for _, trial := range e.Value.Entries {
				r.Word(&document.Node{Kind: document.String, Text: trial.Key, Line: trial.At.Line, Column: trial.At.Column}, names()...)
				if trial.Value.Text == "" {
					r.Wrong(trial.At, "no reason", "why "+trial.Key+" is not made")
				}
			}
		}
	}
	if n := root.Get("start"); n != nil && IsAddress(d.Page) {
		r.Wrong(n, "a start in an address", "start only where page is a folder")
	}
	return d
}

var environment = regexp.MustCompile(`\$\{([A-Za-z_][A-Za-z0-9_]*)\}`)

// text is a text in which ${NAME} is what the environment has.
func (r *declarationsReader) text(n *document.Node) string {
	return environment.ReplaceAllStringFunc(r.Text(n), func(named string) string {
		name := named[2 : len(named)-1]
		value, there := os.LookupEnv(name)
		if !there {
			r.Wrong(n, named+", which the environment does not have", "a variable of that name, as in "+name+"=… leanwicket try")
		}
		return value
	})
}

func (r *declarationsReader) texts(n *document.Node) map[string]string {
	texts := map[string]string{}
	for _, e := range r.Map(n) {
		texts[e.Key] = r.text(e.Value)
	}
	return texts
}

// file reads a file beside this one.
func (r *declarationsReader) file(n *document.Node) []byte {
	name := r.text(n)
	if !filepath.IsAbs(name) {
		name = filepath.Join(r.dir, name)
	}
	data, err := os.ReadFile(name)
	if err != nil {
		r.Wrong(n, "a file that cannot be read ("+document.Cause(err).Error()+")", "a file beside this one")
	}
	return data
}

// json is what a file beside this one holds, or what stands here.
func (r *declarationsReader) json(n *document.Node) []byte {
	if n.Kind != document.String {
		data, err := json.Marshal(n.Any())
		if err != nil || n.Kind != document.Map && n.Kind != document.List {
			r.Wrong(n, document.Describe(n), "a JSON file beside this one, or a mapping")
		}
		return data
	}
	data := r.file(n)
	if data != nil && !json.Valid(data) {
		r.Wrong(n, "no JSON in "+n.Text, "a JSON file beside this one, or a mapping")
	}
	return data
}

func (r *declarationsReader) certificate(n *document.Node) *x509.CertPool {
	pool, err := x509.SystemCertPool()
	if err != nil {
		pool = x509.NewCertPool()
	}
	if data := r.file(n); data != nil && !pool.AppendCertsFromPEM(data) {
		r.Wrong(n, "no certificate in "+n.Text, "a file with a certificate in PEM")
	}
	return pool
}

func (r *declarationsReader) signIn(n *document.Node) *SignIn {
	s := &SignIn{}
	for _, e := range r.Map(n, "page", "steps", "sends") {
		switch e.Key {
		case "page":
			s.Page = r.text(e.Value)
		case "steps":
			s.Steps = r.steps(e.Value)
		case "sends":
			for _, item := range r.List(e.Value) {
				sends := r.Text(item)
				if method, path, _ := strings.Cut(sends, " "); safe(method) || method != strings.ToUpper(method) || !strings.HasPrefix(path, "/") {
					r.Wrong(item, document.Describe(item), "a method and a path, such as POST /session")
				}
				s.Sends = append(s.Sends, sends)
			}
		}
	}
	if len(s.Steps) == 0 {
		r.Wrong(n, "a sign-in without steps", `steps: [{type: egret, into: "#user"}, {click: "#go"}, {until: "#menu"}]`)
	}
	return s
}

func (r *declarationsReader) steps(n *document.Node) (list []Step) {
	for _, item := range r.List(n) {
		var s Step
		for _, e := range r.Map(item, "click", "reading", "ifThere", "type", "into", "until") {
			switch e.Key {
			case "click":
				s.Click = r.text(e.Value)
			case "reading":
				s.Reading = r.text(e.Value)
			case "ifThere":
				s.IfThere = r.Bool(e.Value)
			case "type":
				s.Type = r.text(e.Value)
			case "into":
				s.Into = r.text(e.Value)
			case "until":
				s.Until = r.text(e.Value)
			}
		}
		kinds := 0
		for _, selector := range []string{s.Click, s.Into, s.Until} {
			if selector != "" {
				kinds++
			}
		}
		if item.Kind == document.Map && (kinds != 1 || item.Get("type") != nil && s.Into == "" || s.Click == "" && (s.Reading != "" || s.IfThere)) {
			r.Wrong(item, "a step that is not one thing", `{click: "#next"}, {click: "li", reading: "{label}"}, {type: Egret, into: "#name"} or {until: "#menu"}`)
		}
		list = append(list, s)
	}
	return list
}

func (r *declarationsReader) controls(n *document.Node, controls map[string]Control) {
	var paths []string
	for k := range r.form.Declared() {
		paths = append(paths, r.form.Fields[k].Path)
	}
	for _, e := range r.Map(n, paths...) {
		place, _ := r.form.Lookup(strings.Replace(e.Key, "*", "0", 1))
		keys := []string{"control", "before", "steps"}
		if f := &r.form.Fields[place.Field]; f.Kind == form.KindRows {
			keys = []string{"control", "before"}
		} else if isDate(f) {
			keys = append(keys, "typed", "parts")
		}
		var c Control
		for _, s := range r.Map(e.Value, keys...) {
			switch s.Key {
			case "control":
				c.Selector = r.text(s.Value)
			case "before":
				c.Before = r.steps(s.Value)
			case "steps":
				c.Steps = r.steps(s.Value)
			case "typed":
				if c.Typed = r.text(s.Value); !slices.ContainsFunc(dateParts, func(part string) bool { return strings.Contains(c.Typed, "{"+part+"}") }) {
					r.Wrong(s.Value, document.Describe(s.Value), `how a date is typed, such as "{day}.{month}.{year}"`)
				}
			case "parts":
				c.Parts = make([]string, len(dateParts))
				for _, p := range r.Map(s.Value, dateParts...) {
					c.Parts[slices.Index(dateParts, p.Key)] = r.text(p.Value)
				}
				if slices.Contains(c.Parts, "") {
					r.Wrong(s.Value, "a date without all its parts", "the selectors of year, month and day")
				}
			}
		}
		controls[e.Key] = c
	}
}

// dateParts are the parts of a date, in the order of ISO 8601.
var dateParts = []string{"year", "month", "day"}

func isDate(f *form.Field) bool { return f.Kind == form.KindDate }

func (r *declarationsReader) message(n *document.Node, keys ...string) (m Message) {
	for _, e := range r.Map(n, keys...) {
		switch e.Key {
		case "control":
			m.Control = r.text(e.Value)
		case "before":
			m.Before = r.steps(e.Value)
		case "method":
			m.Method = r.Text(e.Value)
		case "url":
			m.URL = r.text(e.Value)
		case "operation":
			m.Operation = r.text(e.Value)
		}
	}
	return m
}

func (r *declarationsReader) key(n *document.Node) (k Key) {
	for _, e := range r.Map(n, "header", "body") {
		switch e.Key {
		case "header":
			k.Header = r.text(e.Value)
		case "body":
			if k.Body = r.text(e.Value); !strings.HasPrefix(k.Body, "/") {
				r.Wrong(e.Value, document.Describe(e.Value), "a JSON pointer, such as /input/key")
			}
		}
	}
	if (k.Header == "") == (k.Body == "") {
		r.Wrong(n, document.Describe(n), "{header: NAME} or {body: /POINTER}")
	}
	return k
}

func (r *declarationsReader) answered(n *document.Node) (a Answered) {
	a.Method = http.MethodGet
	for _, e := range r.Map(n, "method", "url", "status", "body") {
		switch e.Key {
		case "method":
			a.Method = r.Text(e.Value)
		case "url":
			a.URL = r.text(e.Value)
		}
	}
	if a.URL == "" {
		r.Wrong(n, "an answer without a url", "{url: /api/account, body: account.json}")
	}
	a.reply = r.answer(n, http.StatusOK, "method", "url", "status", "body")
	return a
}

func (r *declarationsReader) answer(n *document.Node, status int, keys ...string) reply {
	answer := reply{status: status, body: "{}"}
	for _, e := range r.Map(n, keys...) {
		switch e.Key {
		case "status":
			answer.status = r.Int(e.Value, 200)
		case "body":
			answer.body = string(r.json(e.Value))
		}
	}
	return answer
}

func (r *declarationsReader) record(n *document.Node) (data []byte, at string) {
	if n.Kind != document.Map || n.Get("body") == nil {
		return r.json(n), ""
	}
	for _, e := range r.Map(n, "body", "at") {
		switch e.Key {
		case "body":
			data = r.json(e.Value)
		case "at":
			at = r.text(e.Value)
		}
	}
	return data, at
}

// IsAddress reports whether a page is named by its address, and is no file or folder.
func IsAddress(page string) bool {
	return strings.HasPrefix(page, "http://") || strings.HasPrefix(page, "https://")
}
