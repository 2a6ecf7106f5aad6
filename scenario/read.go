package scenario

import (
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/internal/wire"
	"leanwicket.dev/replies"
)

// File reads a scenario file (YAML or JSON) from disk, with the form that it
// names. The error is a [form.Problems] where the file can be opened.
func File(name string) (*Scenario, error) { return NewReader(nil).File(name) }

// Reader reads scenario files, and each form that they name only once.
type Reader struct {
	fsys  fs.FS
	forms map[string]formResult
}

type formResult struct {
	source *declare.Source
	err    error
}

// NewReader reads from a file system, or from disk where it is nil.
func NewReader(fsys fs.FS) *Reader { return &Reader{fsys, map[string]formResult{}} }

func (r *Reader) bytes(name string) ([]byte, error) {
	if r.fsys != nil {
		return fs.ReadFile(r.fsys, name)
	}
	return os.ReadFile(filepath.FromSlash(name))
}

func (r *Reader) form(name string) (*declare.Source, error) {
	if known, ok := r.forms[name]; ok {
		return known.source, known.err
	}
	var result formResult
	if r.fsys != nil {
		result.source, result.err = declare.OpenFS(r.fsys, name)
	} else {
		result.source, result.err = declare.Open(name)
	}
	r.forms[name] = result
	return result.source, result.err
}

// File reads one scenario file.
func (r *Reader) File(name string) (*Scenario, error) {
	name = filepath.ToSlash(name)
	data, err := r.bytes(name)
	if err != nil {
		return nil, &document.FileError{File: name, Want: "a scenario file", Err: err}
	}
	return r.read(name, data)
}

func (r *Reader) read(name string, data []byte) (*Scenario, error) {
	root, err := document.Read(name, data)
	if err != nil {
		return nil, err
	}
	p := &scenarioReader{Report: document.NewReport(name), s: &Scenario{File: name}}
	n := root.Get("form")
	if n == nil {
		p.keys(root)
		return nil, p.Err()
	}
	file := p.Text(n)
	if !path.IsAbs(file) && !filepath.IsAbs(file) {
		file = path.Join(path.Dir(name), file)
	}
	source, err := r.form(file)
	if err != nil {
		p.keys(root)
		if _, ours := err.(form.Problems); ours {
			p.Join(err)
		} else {
			p.Wrong(n, "a form file that cannot be read ("+document.Cause(err).Error()+")", "a form file beside this one")
		}
		return nil, p.Err()
	}
	p.s.Source = source
	p.body(root)
	return p.s, p.Err()
}

// keys reads what stands at the top of the file.
func (p *scenarioReader) keys(root *document.Node) {
	keys := []string{"scenario", "form", "backend", "draft", "timeline"}
	if former := root.Get("kept"); former != nil {
		p.Wrong(former, "kept, which is called draft now", "draft:")
		keys = append(keys, "kept")
	}
	p.Map(root, keys...)
	for _, key := range []string{"scenario", "form", "timeline"} {
		given := root.Get(key) != nil || key == "form" && p.s.Source != nil
		if root.Kind == document.Map && !given {
			p.Wrong(root, "no "+key, map[string]string{
				"scenario": "scenario: a sentence that says what it shows", "form": "form: a form file beside this one",
				"timeline": "timeline: a list of {at: …, …}",
			}[key])
		}
	}
	if n := root.Get("scenario"); n != nil {
		p.s.Name = p.Text(n)
	}
}

// body reads all that is said of the session.
func (p *scenarioReader) body(root *document.Node) {
	p.keys(root)
	p.backend(root.Get("backend"))
	p.draft(root.Get("draft"))
	p.timeline(root.Get("timeline"))
}

type scenarioReader struct {
	*document.Report
	s *Scenario
}

func (p *scenarioReader) form() *form.Form { return p.s.Source.Form }

func (p *scenarioReader) backend(n *document.Node) {
	if n == nil {
		return
	}
	for _, e := range p.Map(n, "prefill", "checks", "submit") {
		switch e.Key {
		case "prefill":
			if !p.form().Prefill.Loads() {
				p.Wrong(e.At, "answers to a prefill", "no prefill: the form loads nothing")
			}
			p.s.Backend.Prefill = p.answers(e.Value)
		case "submit":
			p.s.Backend.Submit = p.answers(e.Value)
		case "checks":
			for _, c := range p.Map(e.Value) {
				place, ok := p.path(c.Key, c.At)
				if ok && p.form().Fields[place.Field].Check.URL == "" {
					p.Wrong(c.At, "answers to a check of "+c.Key, "a field with a check")
				}
				p.s.Backend.Checks = append(p.s.Backend.Checks, CheckReplies{c.Key, p.answers(c.Value)})
			}
		}
	}
}

func (p *scenarioReader) answers(n *document.Node) []Reply {
	var answers []Reply
	for _, item := range p.List(n) {
		a := Reply{at: item}
		for _, e := range p.Map(item, "after", "again", "status", "headers", "type", "body", "from", "cut", "never", "broken", "signedOut") {
			switch e.Key {
			case "after":
				a.After = p.Duration(e.Value)
			case "again":
				a.Again = p.Duration(e.Value)
			case "status":
				if a.Status = p.Int(e.Value, 100); a.Status > 599 {
					p.Wrong(e.Value, document.Describe(e.Value), "an HTTP status from 200 to 599")
				}
			case "type":
				a.setHeader(contentType, p.Text(e.Value))
			case "from":
				if a.From = p.Text(e.Value); !strings.HasPrefix(a.From, "/") && !strings.Contains(a.From, "://") {
					p.Wrong(e.Value, document.Describe(e.Value), "the address that answers after a redirect, such as /sign-in")
				}
			case "cut":
				a.Cut = p.Bool(e.Value)
			case "signedOut":
				a.SignedOut = p.Bool(e.Value)
			case "headers":
				for _, h := range p.Map(e.Value) {
					a.setHeader(h.Key, p.Text(h.Value))
				}
			case "body":
				a.Body = e.Value.Any()
			case "never":
				a.Never = p.Bool(e.Value)
			case "broken":
				a.Broken = p.Bool(e.Value)
			}
		}
		if item.Kind == document.Map && a.Status == 0 && !a.Never && !a.Broken {
			p.Wrong(item, "an answer without status", "{after: 1s, status: 200}, {never: true} or {broken: true, after: 1s}")
		}
		if a.Status != 0 && (a.Never || a.Broken) {
			p.Wrong(item, "a status of an answer that does not arrive", "status, never or broken")
		}
		if a.SignedOut && !a.Broken {
			p.Wrong(item, "signedOut at a reply that arrives", "{broken: true, signedOut: true, after: 1s}, or a status such as 401")
		}
		if _, is := a.Body.(string); !is && a.Body != nil && !isJSON(a.Header[contentType]) {
			p.Wrong(item, "a body of type "+a.Header[contentType]+" that is no text", "a text, or no type")
		}
		answers = append(answers, a)
	}
	return answers
}

const contentType = "Content-Type"

// isJSON reports whether a body of a media type is written as JSON. An empty type stands for JSON.
func isJSON(kind string) bool {
	kind, _, _ = strings.Cut(strings.ToLower(kind), ";")
	return kind == "" || strings.HasSuffix(strings.TrimSpace(kind), "json")
}

func (a *Reply) setHeader(name, value string) {
	if a.Header == nil {
		a.Header = map[string]string{}
	}
	if strings.EqualFold(name, contentType) {
		name = contentType
	}
	a.Header[name] = value
}

// received is what a driver would hand over of the reply.
func (a *Reply) received() replies.Received {
	got := wire.Received(replies.Response{Broken: a.Broken, Status: a.Status, Header: a.Header, Body: a.Body})
	got.From, got.Redirected, got.Cut, got.SignedOut = a.From, a.From != "", a.Cut, a.SignedOut
	return got
}

// path checks that the form can have a path. In it, * stands for any row.
func (p *scenarioReader) path(name string, at *document.Node) (form.Place, bool) {
	place, ok := p.form().Lookup(strings.ReplaceAll(name, "*", "0"))
	if !ok {
		paths := make([]string, len(p.form().Fields))
		for k := range p.form().Declared() {
			paths[k] = p.form().Fields[k].Path
		}
		p.Wrong(at, "the path "+name+", which the form does not have", document.Suggest(name, paths))
	}
	return place, ok
}

// fieldValue reads a value as JSON has it or as it is typed.
func (p *scenarioReader) fieldValue(place form.Place, n *document.Node) (form.Value, bool) {
	field := &p.form().Fields[place.Field]
	v, ok := field.ValueOf(n.Any())
	if !ok && n.Kind != document.List && n.Kind != document.Map {
		v = p.form().Parse(place.Field, n.Text)
	}
	return v, true
}

// raw reads a value as somebody would type it. A number or date without quotes is its text, true
// and false tick and untick a box, and a list chooses several options.
func (p *scenarioReader) raw(e document.Entry) (string, bool) {
	place, ok := p.path(e.Key, e.At)
	if !ok {
		return "", false
	}
	kind := p.form().Fields[place.Field].Kind
	switch {
	case kind == form.KindRows:
		p.Wrong(e.At, "an edit of rows", "an edit of a field in a row, or add, remove or move")
		return "", false
	case e.Value.Kind == document.List && kind == form.KindChoices:
		var chosen []string
		for _, item := range e.Value.Items {
			chosen = append(chosen, p.Text(item))
		}
		return strings.Join(chosen, "\n"), true
	case e.Value.Kind == document.Bool && e.Value.Text == "false" && kind == form.KindBoolean:
		return "", true
	case e.Value.Kind == document.Null:
		p.Wrong(e.At, "an edit to nothing", `"" for a text that was emptied`)
		return "", false
	default:
		return p.Text(e.Value), true
	}
}

func (p *scenarioReader) timeline(n *document.Node) {
	if n == nil {
		return
	}
	last := time.Duration(0)
	for _, item := range p.List(n) {
		entry := Entry{node: item}
		actions := 0
		if item.Kind != document.Map {
			p.Wrong(item, document.Describe(item), "{at: 150ms, edit: {…}} or another action")
			continue
		}
		for _, e := range p.Map(item, timelineKeys...) {
			if e.Key == "at" {
				entry.At = p.Duration(e.Value)
				continue
			}
			actions++
			p.action(&entry, e)
		}
		if at := item.Get("at"); at == nil {
			p.Wrong(item, "an entry without at", "at: a time such as 150ms")
		} else if entry.At < last {
			p.Wrong(at, document.Describe(at)+" after "+last.String(), "a time that does not go back")
		}
		if actions != 1 && !misspelt(item) {
			p.Wrong(item, Plural(actions, "action")+" in one entry", "one of "+strings.Join(timelineKeys[1:], ", "))
		}
		last = max(last, entry.At)
		p.s.Timeline = append(p.s.Timeline, entry)
	}
	if len(n.Items) == 0 && n.Kind == document.List {
		p.Wrong(n, "an empty timeline", "at least one entry")
	}
}

// misspelt reports whether an entry has a key that has been told already.
func misspelt(item *document.Node) bool {
	return slices.ContainsFunc(item.Entries, func(e document.Entry) bool { return !slices.Contains(timelineKeys, e.Key) })
}

// Plural writes a number and what is counted. Unless the number is one, the first word of that
// gets an s.
func Plural(n int, what string) string {
	switch n {
	case 0:
		return "no " + what
	case 1:
		return "1 " + what
	default:
		first, rest, _ := strings.Cut(what, " ")
		return strings.TrimSpace(itoa(n) + " " + first + "s " + rest)
	}
}

// With reads a scenario from memory, for a form that has been read already,
// whatever file it names.
func With(source *declare.Source, name string, data []byte) (*Scenario, error) {
	root, err := document.Read(name, data)
	if err != nil {
		return nil, err
	}
	p := &scenarioReader{Report: document.NewReport(name), s: &Scenario{File: name, Source: source}}
	p.body(root)
	return p.s, p.Err()
}
