package scenario

import (
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

func itoa(n int) string { return strconv.Itoa(n) }

var timelineKeys = []string{
	"at", "edit", "blur", "submit", "add", "remove", "move", "cancel", "retry", "reset", "refresh", "returned",
	"resolve", "leave", "answerLeave", "supply", "expect",
}

// action reads one action of the timeline into the events that it stands for.
func (p *scenarioReader) action(entry *Entry, e document.Entry) {
	add := func(event lifecycle.Event) { entry.Events = append(entry.Events, event) }
	switch e.Key {
	case "edit":
		for _, edit := range p.Map(e.Value) {
			if raw, ok := p.raw(edit); ok {
				add(lifecycle.Edit(edit.Key, raw))
			}
		}
		if e.Value.Kind == document.Map && len(e.Value.Entries) == 0 {
			p.Wrong(e.Value, "an edit of nothing", "{path: text}")
		}
	case "blur":
		path := p.Text(e.Value)
		if place, ok := p.path(path, e.Value); ok && p.form().Fields[place.Field].Kind == form.KindRows && place.Row >= 0 {
			p.Wrong(e.Value, "the row "+path, "a field")
		}
		add(lifecycle.Blur(path))
	case "submit":
		add(lifecycle.Submit(p.button(e.Value)))
	case "add":
		add(lifecycle.AddRow(p.rows(e.Value, false)))
	case "remove":
		add(lifecycle.RemoveRow(p.rows(e.Value, true)))
	case "move":
		p.Map(e.Value, "from", "to")
		from, to := e.Value.Get("from"), e.Value.Get("to")
		if from == nil || to == nil {
			p.Wrong(e.Value, "a move without from and to", "{from: crew/1, to: crew/0}")
			return
		}
		add(lifecycle.MoveRow(p.rows(from, true), p.rows(to, true)))
	case "cancel", "retry", "reset", "refresh", "returned":
		if !p.Bool(e.Value) && e.Value.Kind == document.Bool {
			p.Wrong(e.Value, "false", "true")
		}
		add(map[string]lifecycle.Event{
			"cancel": lifecycle.Cancel(), "retry": lifecycle.Retry(), "reset": lifecycle.Reset(),
			"refresh": lifecycle.Refresh(), "returned": lifecycle.Returned(),
		}[e.Key])
	case "resolve":
		for _, choice := range p.Map(e.Value) {
			p.path(choice.Key, choice.At)
			side := lifecycle.ChooseMine
			if p.Word(choice.Value, "mine", "theirs") == "theirs" {
				side = lifecycle.ChooseTheirs
			}
			add(lifecycle.Resolve(choice.Key, side))
		}
	case "leave":
		add(p.leave(e.Value))
	case "answerLeave":
		add(lifecycle.LeaveDecided(map[string]lifecycle.LeaveDecision{
			"stay": lifecycle.DecisionStay, "discard": lifecycle.DecisionDiscard, "submit": lifecycle.DecisionSubmit,
		}[p.Word(e.Value, "stay", "discard", "submit")]))
	case "supply":
		add(p.supply(entry, e.Value))
	case "expect":
		p.expect(entry, e.Value)
	}
}

func (p *scenarioReader) button(n *document.Node) string {
	if n.Kind == document.Bool && n.Text == "true" {
		return ""
	}
	return p.Word(n, p.form().Buttons...)
}

func (p *scenarioReader) rows(n *document.Node, row bool) string {
	path := p.Text(n)
	place, ok := p.form().Lookup(path)
	if row {
		place, ok = p.form().RowAt(path)
	}
	if ok && p.form().Fields[place.Field].Kind == form.KindRows && (place.Row >= 0) == row {
		return path
	}
	var groups []string
	for k := range p.form().Declared() {
		if p.form().Fields[k].Kind == form.KindRows {
			name := p.form().Fields[k].Path
			if row {
				name += "/0"
			}
			groups = append(groups, name)
		}
	}
	want := "rows, and this form has none"
	if len(groups) > 0 {
		want = strings.Join(groups, " or ")
	}
	p.Wrong(n, document.Describe(n), want)
	return path
}

func (p *scenarioReader) leave(n *document.Node) lifecycle.Event {
	if n.Kind != document.Map {
		return lifecycle.LeaveAsked(p.Text(n), lifecycle.LeaveInside)
	}
	to, kind := "", lifecycle.LeaveInside
	for _, e := range p.Map(n, "to", "kind") {
		switch e.Key {
		case "to":
			to = p.Text(e.Value)
		case "kind":
			if p.Word(e.Value, "inside", "unload") == "unload" {
				kind = lifecycle.LeaveUnload
			}
		}
	}
	return lifecycle.LeaveAsked(to, kind)
}

// supply reads saved answers that the application brings of its own accord. The player adds how many changes
// there were when they were read.
func (p *scenarioReader) supply(entry *Entry, n *document.Node) lifecycle.Event {
	if !p.form().Prefill.Loads() {
		p.Wrong(n, "supplied answers", "a form with a prefill: this one takes no saved answers")
	}
	var values []form.Answer
	version := ""
	for _, e := range p.Map(n, "body", "version", "read") {
		switch e.Key {
		case "body":
			values = replies.Values(p.form(), e.Value.Any())
		case "version":
			version = p.Text(e.Value)
		case "read":
			read := p.Duration(e.Value)
			entry.read = &read
		}
	}
	if n.Kind == document.Map && len(p.form().WithoutBeyond(values)) == 0 {
		p.Wrong(n, "a supply without a body that has a field of the form", "{body: {…}, version: '\"2\"', read: 1s}, with a body as a load brings it")
	}
	return lifecycle.Supplied(values, version, 0)
}
