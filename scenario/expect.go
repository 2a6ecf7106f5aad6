package scenario

import (
	"bytes"
	"cmp"
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
)

// expectation is one key of an expect. Its function returns what was found instead, or
// an empty text where the expectation holds.
type expectation struct {
	node     *document.Node
	expected string
	found    func(p *play) string
}

var expectKeys = []string{
	"submission", "prefill", "leave", "values", "dirty", "touched", "contested", "waiting", "issues", "shown", "unsaved",
	"unloadGuard", "holds", "sendCount", "loadCount", "keyCount", "ignored", "stale", "sentValues", "sentBody", "sentVersion", "said", "focus",
	"destination", "asking",
}

func (p *scenarioReader) expect(entry *Entry, n *document.Node) {
	for _, e := range p.Map(n, expectKeys...) {
		p.expectOne(entry, e)
	}
	if n.Kind == document.Map && len(n.Entries) == 0 {
		p.Wrong(n, "an expect of nothing", "at least one of "+strings.Join(expectKeys, ", "))
	}
}

func (p *scenarioReader) expectOne(entry *Entry, e document.Entry) {
	switch e.Key {
	case "submission":
		p.expectState(entry, e, words(lifecycle.SubmissionOutdated), func(s *lifecycle.Session) string { return s.Submission().String() })
	case "prefill":
		p.expectState(entry, e, words(lifecycle.PrefillFailed), func(s *lifecycle.Session) string { return s.Prefill().String() })
	case "leave":
		p.expectState(entry, e, words(lifecycle.LeaveGone), func(s *lifecycle.Session) string { return s.Leaving().String() })
	case "values", "sentValues":
		for _, v := range p.Map(e.Value) {
			p.expectValue(entry, e.Key, v)
		}
	case "dirty":
		p.expectPaths(entry, e, marked(lifecycle.FieldState.Dirty))
	case "touched":
		p.expectPaths(entry, e, marked(lifecycle.FieldState.Touched))
	case "contested":
		p.expectPaths(entry, e, marked(lifecycle.FieldState.Contested))
	case "waiting":
		p.expectPaths(entry, e, waitingPaths)
	case "issues", "shown":
		p.expectIssues(entry, e)
	case "unsaved":
		p.expectFlag(entry, e, (*lifecycle.Session).Unsaved)
	case "unloadGuard":
		p.expectFlag(entry, e, (*lifecycle.Session).UnloadGuard)
	case "holds":
		p.expectHolds(entry, e)
	case "sendCount":
		p.expectCount(entry, e, func(play *play) int { return play.sends })
	case "loadCount":
		p.expectCount(entry, e, func(play *play) int { return play.loads })
	case "keyCount":
		p.expectCount(entry, e, func(play *play) int { return len(play.keys) })
	case "ignored":
		p.expectCount(entry, e, func(play *play) int { return play.session.Ignored() })
	case "stale":
		p.expectCount(entry, e, func(play *play) int { return play.stale })
	case "sentBody":
		want, _ := json.Marshal(e.Value.Any()) // what was read can be written
		expectText(entry, e, string(want), func(play *play) string { return bodyText(play.scenario.Form(), play.session) })
	case "sentVersion":
		want := ""
		if e.Value.Kind != document.Null {
			want = p.Text(e.Value)
		}
		expectText(entry, e, cmp.Or(want, "nothing"), func(play *play) string { return cmp.Or(play.version, "nothing") })
	case "said":
		p.expectSaid(entry, e)
	case "focus":
		want := p.Text(e.Value)
		if want != "" {
			p.path(want, e.Value)
		}
		expectText(entry, e, quoted(want), func(play *play) string { return play.focus })
	case "destination":
		expectText(entry, e, p.Text(e.Value), func(play *play) string { return play.destination })
	case "asking":
		p.expectAsking(entry, e)
	}
}

// bodyText is the body of the newest attempt, with its members in order.
func bodyText(f *form.Form, s *lifecycle.Session) string {
	decoder := json.NewDecoder(bytes.NewReader(f.AppendBody(nil, s.AppendSent(nil))))
	decoder.UseNumber()
	var body any
	_ = decoder.Decode(&body) // what AppendBody writes is JSON
	text, _ := json.Marshal(body)
	return string(text)
}

// expectText expects what a key reads to be one text.
func expectText(entry *Entry, e document.Entry, want string, of func(*play) string) {
	entry.expect = append(entry.expect, expectation{e.At, e.Key + " " + want, func(play *play) string { return differs(want, of(play)) }})
}

func (p *scenarioReader) expectState(entry *Entry, e document.Entry, words []string, of func(*lifecycle.Session) string) {
	expectText(entry, e, p.Word(e.Value, words...), func(play *play) string { return of(play.session) })
}

func (p *scenarioReader) expectCount(entry *Entry, e document.Entry, of func(*play) int) {
	expectText(entry, e, itoa(p.Int(e.Value, 0)), func(play *play) string { return itoa(of(play)) })
}

func (p *scenarioReader) expectFlag(entry *Entry, e document.Entry, of func(*lifecycle.Session) bool) {
	expectText(entry, e, strconv.FormatBool(p.Bool(e.Value)), func(play *play) string { return strconv.FormatBool(of(play.session)) })
}

func (p *scenarioReader) expectHolds(entry *Entry, e document.Entry) {
	want := []string{}
	for _, item := range p.List(e.Value) {
		want = append(want, p.Word(item, lifecycle.HoldWords()...))
	}
	entry.expect = append(entry.expect, expectation{e.At, "holds " + bracket(want), func(play *play) string {
		found := play.session.Holds("").Words()
		if sameSet(want, found) {
			return ""
		}
		return "holds " + bracket(found)
	}})
}

func (p *scenarioReader) expectSaid(entry *Entry, e document.Entry) {
	want := p.Text(e.Value)
	entry.expect = append(entry.expect, expectation{e.At, "said " + strconv.Quote(want), func(play *play) string {
		message, _, notices := play.session.Notice()
		text := play.session.Form().Text(message)
		switch {
		case notices == 0:
			return "said nothing"
		case strings.Contains(text, want):
			return ""
		default:
			return "said " + strconv.Quote(text)
		}
	}})
}

func quoted(path string) string {
	if path == "" {
		return "the form"
	}
	return path
}

// words lists the words of a state up to its last one.
func words[T interface {
	~uint8
	String() string
}](last T) []string {
	var list []string
	for v := T(0); v <= last; v++ {
		list = append(list, v.String())
	}
	return list
}

func differs(want, found string) string {
	if want == found {
		return ""
	}
	if found == "" {
		return "nothing"
	}
	return found
}

func bracket(list []string) string { return "[" + strings.Join(list, ", ") + "]" }

func sameSet(a, b []string) bool {
	a, b = slices.Clone(a), slices.Clone(b)
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}

func (p *scenarioReader) expectAsking(entry *Entry, e document.Entry) {
	want := "false"
	if e.Value.Kind != document.Bool || e.Value.Text != "false" {
		want = p.Word(e.Value, "unsaved", "sending", "unsettled", "false")
	}
	expectText(entry, e, want, func(play *play) string {
		if reason, _ := play.session.Asking(); play.session.Leaving() == lifecycle.LeaveAsking {
			return reason.String()
		}
		return "false"
	})
}

// expectPaths expects exactly the listed paths.
func (p *scenarioReader) expectPaths(entry *Entry, e document.Entry, of func(*lifecycle.Session) []string) {
	want := []string{}
	for _, item := range p.List(e.Value) {
		path := p.Text(item)
		p.path(path, item)
		want = append(want, path)
	}
	entry.expect = append(entry.expect, expectation{e.At, e.Key + " " + bracket(want), func(play *play) string {
		found := of(play.session)
		if sameSet(want, found) {
			return ""
		}
		return e.Key + " " + bracket(found)
	}})
}

// marked gives the paths of the fields that have a mark.
func marked(mark func(lifecycle.FieldState) bool) func(*lifecycle.Session) []string {
	return func(s *lifecycle.Session) (paths []string) {
		for f := range s.Fields() {
			if mark(f) {
				paths = append(paths, f.Path())
			}
		}
		return paths
	}
}

// waitingPaths gives the paths of the answers that wait for their rows.
func waitingPaths(s *lifecycle.Session) (paths []string) {
	for _, w := range s.Waiting() {
		paths = append(paths, w.Path)
	}
	return paths
}

// expectValue expects one value. The path of rows takes null, or a list with
// one mapping a row.
func (p *scenarioReader) expectValue(entry *Entry, key string, v document.Entry) {
	place, ok := p.path(v.Key, v.At)
	if !ok {
		return
	}
	field := &p.form().Fields[place.Field]
	if field.Kind == form.KindRows {
		p.expectRows(entry, key, v)
		return
	}
	want, _ := p.fieldValue(place, v.Value)
	path := v.Key
	entry.expect = append(entry.expect, expectation{v.At, key + " " + path + " = " + show(field, want), func(play *play) string {
		found, there := play.value(key, path)
		switch {
		case !there:
			return path + " is not there"
		case found == want:
			return ""
		default:
			return path + " = " + show(field, found)
		}
	}})
}

func (p *scenarioReader) expectRows(entry *Entry, key string, v document.Entry) {
	rows := v.Value.Items
	if v.Value.Kind != document.List && v.Value.Kind != document.Null {
		p.Wrong(v.Value, document.Describe(v.Value), "null, or a list with one mapping a row, or with the items of a list")
		return
	}
	path := v.Key
	entry.expect = append(entry.expect, expectation{v.At, key + " " + path + ": " + Plural(len(rows), "row"), func(play *play) string {
		return differs(Plural(len(rows), "row"), Plural(play.rows(key, path), "row"))
	}})
	place, _ := p.form().Lookup(path)
	for k, row := range rows {
		if p.form().IsList(place.Field) {
			p.expectValue(entry, key, document.Entry{Key: path + "/" + itoa(k), At: row, Value: row})
			continue
		}
		var below func(n *document.Node, prefix string)
		below = func(n *document.Node, prefix string) {
			for _, e := range p.Map(n) {
				name := prefix + "/" + e.Key
				if e.Value.Kind == document.Map {
					below(e.Value, name)
					continue
				}
				p.expectValue(entry, key, document.Entry{Key: name, At: e.At, Value: e.Value})
			}
		}
		below(row, path+"/"+itoa(k))
	}
}

// show writes a value for the timeline. It does not show a private value.
func show(field *form.Field, v form.Value) string {
	switch {
	case v.Absent():
		return "nothing"
	case field.Private:
		return "(private)"
	case v.Kind == form.ValueText, v.Kind == form.ValueUnparsed, v.Kind == form.ValueFile:
		return strconv.Quote(v.Text)
	case v.Kind == form.ValueChoices:
		return bracket(v.Options())
	case v.Kind == form.ValueBoolean:
		return "ticked"
	default:
		return v.String()
	}
}

// expectIssues expects exactly the given codes at each given path. An empty map expects
// no issue anywhere.
func (p *scenarioReader) expectIssues(entry *Entry, e document.Entry) {
	shownOnly := e.Key == "shown"
	entries := p.Map(e.Value)
	if e.Value.Kind == document.Map && len(entries) == 0 {
		entry.expect = append(entry.expect, expectation{e.At, e.Key + " {}", func(play *play) string {
			var found []string
			for _, issue := range play.issues() {
				if issue.Shown || !shownOnly {
					found = append(found, quoted(issue.Path)+": "+issue.Code)
				}
			}
			return strings.Join(found, ", ")
		}})
	}
	for _, at := range entries {
		if at.Key != "" {
			p.path(at.Key, at.At)
		}
		want := []string{}
		for _, code := range p.List(at.Value) {
			want = append(want, p.Text(code))
		}
		path := at.Key
		entry.expect = append(entry.expect, expectation{at.At, e.Key + " at " + quoted(path) + " " + bracket(want), func(play *play) string {
			found := []string{}
			for _, issue := range play.issues() {
				if issue.Path == path && (issue.Shown || !shownOnly) {
					found = append(found, issue.Code)
				}
			}
			if sameSet(want, found) {
				return ""
			}
			return e.Key + " at " + quoted(path) + " " + bracket(found)
		}})
	}
}
