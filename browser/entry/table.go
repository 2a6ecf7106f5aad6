// Code generated from browser/make/table.go; DO NOT EDIT.

package entry

import (
	"cmp"
	"strconv"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/runner"
)

// protocol names the table: a script that was made from another one is not understood.
const protocol = "f7421f99"

// table are the parts of each record, which the script reads first: a name that ends with ? is a
// fact, with # a number, with * a list of words, with = a JSON text. Behind the parts stand the name of a list and the
// parts of its elements.
const table = "" +
	"table\ttext\n" +
	"form\tpage name title buttons* protocol replaces?\n" +
	"declared\tpath kind of required? private? label unit help placeholder autocomplete\toptions\traw label\n" +
	"words\t\twords\tname one other\n" +
	"field\tpath key asked? dirty? touched? checking? contested? raw saved answered? answer\tissues\tsource code shown? text\n" +
	"status\tsubmission prefill leaving unsaved? guarded? busy? locked? pending receipt reason to changes#\n" +
	"button\tname holds* why\n" +
	"issues\t\tissues\tsource code shown? text\n" +
	"say\tlevel text about until\n" +
	"left out\tpath raw\n" +
	"unreadable\twhy\n" +
	"unfit\tpaths\n" +
	"announce\ttext\n" +
	"focus\tpath\n" +
	"ask\treason to\n" +
	"leave\tto kind\n" +
	"navigate\tto\n" +
	"guard\ton?\n" +
	"keep\tmark text\n" +
	"fetch\tid kind method url body button key version path value prepared?\theaders\tname value\n" +
	"values\tvalues=\n" +
	"attempt\tbutton key values=\n" +
	"replied\tstatus# location version body=\n" +
	"denied\tkind\n" +
	"abort\tid\n" +
	"timer\tid after#\n" +
	"stop\tid\n" +
	"trace\ttext\n" +
	"turned away\twhy\n" +
	"error\twhy\n"

func (p *patch) table(text string) {
	p.begin("table")
	p.text(text)
	p.end()
}

func (p *patch) form(page string, name string, title string, buttons []string, replaces bool) {
	p.begin("form")
	p.text(page)
	p.text(name)
	p.text(title)
	p.list(buttons)
	p.text(protocol)
	p.fact(replaces)
	p.end()
}

func (p *patch) declared(field *form.Field) {
	p.begin("declared")
	p.text(field.Path)
	p.text(field.Kind.String())
	p.text(field.Of.String())
	p.fact(field.Needed())
	p.fact(field.Private)
	p.text(field.Label)
	p.text(field.Unit)
	p.text(field.Help)
	p.text(field.Placeholder)
	p.text(field.Autocomplete)
	for _, option := range field.Options {
		p.text(option.Value.String())
		p.text(cmp.Or(option.Label, option.Value.String()))
	}
	p.end()
}

func (p *patch) words(f *form.Form) {
	p.begin("words")
	for _, word := range f.PageWords() {
		p.text(word.Name)
		p.text(word.One)
		p.text(word.Other)
	}
	p.end()
}

func (p *patch) field(field lifecycle.FieldState) {
	p.begin("field")
	p.text(field.Path())
	p.text(strconv.Itoa(field.ID()))
	p.fact(field.Asked())
	p.fact(field.Dirty())
	p.fact(field.Touched())
	p.fact(field.Checking())
	p.fact(field.Contested())
	p.text(rawOf(field))
	p.text(savedOf(field))
	p.fact(isAnswered(field))
	p.text(answerOf(field))
	for _, issue := range field.Issues() {
		p.text(issue.Source.String())
		p.text(issue.Code)
		p.fact(issue.Shown)
		p.text(issue.Text)
	}
	p.end()
}

func (p *patch) status(s *lifecycle.Session) {
	p.begin("status")
	p.text(s.Submission().String())
	p.text(s.Prefill().String())
	p.text(s.Leaving().String())
	p.fact(s.Unsaved())
	p.fact(s.UnloadGuard())
	p.fact(s.Activity() != lifecycle.ActivityIdle)
	p.fact(locked(s))
	p.text(s.Form().Text(s.Pending()))
	p.text(receiptOf(s))
	p.text(reasonOf(s))
	p.text(destinationOf(s))
	p.number(int64(s.Changes()))
	p.end()
}

func (p *patch) button(s *lifecycle.Session, button string, holds lifecycle.Holds) {
	p.begin("button")
	p.text(button)
	p.list(holds.Words())
	p.text(s.Form().Text(s.HoldMessage(holds)))
	p.end()
}

func (p *patch) issues(s *lifecycle.Session) {
	p.begin("issues")
	for _, issue := range s.FormIssues() {
		p.text(issue.Source.String())
		p.text(issue.Code)
		p.fact(issue.Shown)
		p.text(issue.Text)
	}
	p.end()
}

func (p *patch) say(level string, text string, about string, until string) {
	p.begin("say")
	p.text(level)
	p.text(text)
	p.text(about)
	p.text(until)
	p.end()
}

func (p *patch) leftOut(path string, raw string) {
	p.begin("left out")
	p.text(path)
	p.text(raw)
	p.end()
}

func (p *patch) unreadable(why string) {
	p.begin("unreadable")
	p.text(why)
	p.end()
}

func (p *patch) unfit(paths string) {
	p.begin("unfit")
	p.text(paths)
	p.end()
}

func (p *patch) announce(text string) {
	p.begin("announce")
	p.text(text)
	p.end()
}

func (p *patch) focus(path string) {
	p.begin("focus")
	p.text(path)
	p.end()
}

func (p *patch) ask(reason string, to string) {
	p.begin("ask")
	p.text(reason)
	p.text(to)
	p.end()
}

func (p *patch) leave(to string, kind string) {
	p.begin("leave")
	p.text(to)
	p.text(kind)
	p.end()
}

func (p *patch) navigate(to string) {
	p.begin("navigate")
	p.text(to)
	p.end()
}

func (p *patch) guard(on bool) {
	p.begin("guard")
	p.fact(on)
	p.end()
}

func (p *patch) keep(mark string, text string) {
	p.begin("keep")
	p.text(mark)
	p.text(text)
	p.end()
}

func (p *patch) fetch(id string, r *runner.Request) {
	p.begin("fetch")
	p.text(id)
	p.text(r.Kind.String())
	p.text(r.Method)
	p.text(r.URL)
	p.text(string(r.Body))
	p.text(r.Button)
	p.text(r.Key)
	p.text(r.Version)
	p.text(r.Path)
	p.text(r.Value)
	p.fact(r.Prepared)
	for _, header := range headersOf(r) {
		p.text(header[0])
		p.text(header[1])
	}
	p.end()
}

func (p *patch) values(s *lifecycle.Session) {
	p.begin("values")
	p.text(string(s.Form().AppendBody(nil, s.Form().WithoutBeyond(s.AppendValues(nil)))))
	p.end()
}

func (p *patch) attempt(s *lifecycle.Session) {
	p.begin("attempt")
	p.text(s.Attempt().Button)
	p.text(s.Attempt().Key.String())
	p.text(attemptOf(s))
	p.end()
}

func (p *patch) replied(r *replies.Received, f *form.Form) {
	p.begin("replied")
	p.number(int64(r.Status))
	p.text(r.HeaderOf("Location"))
	p.text(r.HeaderOf("ETag"))
	p.text(r.JSON(f))
	p.end()
}

func (p *patch) denied(kind string) {
	p.begin("denied")
	p.text(kind)
	p.end()
}

func (p *patch) abort(id string) {
	p.begin("abort")
	p.text(id)
	p.end()
}

func (p *patch) timer(id string, after int64) {
	p.begin("timer")
	p.text(id)
	p.number(after)
	p.end()
}

func (p *patch) stop(id string) {
	p.begin("stop")
	p.text(id)
	p.end()
}

func (p *patch) trace(text string) {
	p.begin("trace")
	p.text(text)
	p.end()
}

func (p *patch) turnedAway(why string) {
	p.begin("turned away")
	p.text(why)
	p.end()
}

func (p *patch) error(why string) {
	p.begin("error")
	p.text(why)
	p.end()
}

// eventOf is what the script tells of an applicant.
func eventOf(what string, told texts) (lifecycle.Event, bool) {
	switch what {
	case "edit":
		path := told.at(0)
		raw := told.at(1)
		return lifecycle.Edit(path, raw), true
	case "blur":
		path := told.at(0)
		return lifecycle.Blur(path), true
	case "submit":
		button := told.at(0)
		return lifecycle.Submit(button), true
	case "cancel":
		return lifecycle.Cancel(), true
	case "retry":
		return lifecycle.Retry(), true
	case "reset":
		return lifecycle.Reset(), true
	case "refresh":
		return lifecycle.Refresh(), true
	case "add row":
		group := told.at(0)
		return lifecycle.AddRow(group), true
	case "remove row":
		row := told.at(0)
		return lifecycle.RemoveRow(row), true
	case "move row":
		row := told.at(0)
		to := told.at(1)
		return lifecycle.MoveRow(row, to), true
	case "resolve":
		path := told.at(0)
		choice := told.at(1)
		return lifecycle.Resolve(path, choiceOf(choice)), true
	case "leave asked":
		to := told.at(0)
		kind := told.at(1)
		return lifecycle.LeaveAsked(to, leaveKindOf(kind)), true
	case "leave decided":
		decision := told.at(0)
		return lifecycle.LeaveDecided(decisionOf(decision)), true
	case "returned":
		return lifecycle.Returned(), true
	}
	return lifecycle.Event{}, false
}

type callOpen struct {
	seed     string
	mark     string
	kept     string
	given    string
	defaults string
}

func openOf(told texts) (c callOpen) {
	c.seed = told.at(0)
	c.mark = told.at(1)
	c.kept = told.at(2)
	c.given = told.at(3)
	c.defaults = told.at(4)
	return c
}

type callAnswered struct {
	id         string
	status     int
	headers    string
	from       string
	redirected bool
	cut        bool
	signedOut  bool
	refusal    string
}

func answeredOf(told texts) (c callAnswered) {
	c.id = told.at(0)
	c.status = told.number(1)
	c.headers = told.at(2)
	c.from = told.at(3)
	c.redirected = told.fact(4)
	c.cut = told.fact(5)
	c.signedOut = told.fact(6)
	c.refusal = told.at(7)
	return c
}

type callElapsed struct {
	id string
}

func elapsedOf(told texts) (c callElapsed) {
	c.id = told.at(0)
	return c
}

type callSupply struct {
	version string
	after   int
}

func supplyOf(told texts) (c callSupply) {
	c.version = told.at(0)
	c.after = told.number(1)
	return c
}
