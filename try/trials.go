package try

import (
	"cmp"
	"slices"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/sample"
)

// trial tests one thing that is easily got wrong.
type trial struct {
	name, asks string
	without    func(*plan) string // why it does not apply to a form; nil means that it always does
	run        func(*tab) (Verdict, string)
}

// lasting lists the trials that wait for long, and for how many seconds each does.
var lasting = map[string]int{"pending-ends": 15, "refusal-stays": 7}

// trials are in the order in which a form is worked on.
var trials = []trial{
	{"load-over-typing", "a late load spares what was typed meanwhile", noPrefill, loadOverTyping},
	{"load-over-choosing", "a late load spares what was chosen or ticked meanwhile", noOtherKind(true), loadOverOthers},
	{"composing", "a late load spares a text that an input method is composing", noPrefill, composing},
	{"untouched-values-stay", "what was loaded and touched by nobody goes back as it was", noRecordAndText, untouchedValuesStay},
	{"back-restores", "what a browser brings back does not go over what was saved meanwhile", noRecordAndText, backRestores},
	{"load-fails", "a form whose load fails can still be filled in and sent", noPrefill, loadFails},
	{"quiet-while-typing", "nothing is called wrong while its first letter is typed", noFirstLetter(form.ShowInput), quietWhileTyping},
	{"told-after-leaving", "what is wrong is told when the field is left", noFirstLetter(form.ShowInput, form.ShowSubmit), toldAfterLeaving},
	{"click-after-a-wrong-field", "a click on the submit button counts, though a field is left wrong by it", noFirstLetter(), clickAfterAWrongField},
	{"gone-when-mended", "what was told goes when it is mended", noFirstLetter(), goneWhenMended},
	{"late-check", "an answer about an older value is not shown at a newer one", noCheck, lateCheck},
	{"check-never-answers", "a check that is never answered does not lock the form", noCheck, checkNeverAnswers},
	{"invalid-by-button", "an invalid form is not sent by the button, and the person learns why", noGap, invalid(func(t *tab, _ string) { t.press() })},
	{"invalid-by-enter", "an invalid form is not sent by Enter, and the person learns why", noGap, invalid(pressEnter)},
	{"invalid-by-script", "an invalid form is not sent by a script's submit, and the person learns why", noGap, invalid(func(t *tab, _ string) {
		t.did("page", "a script asks for a submit")
		_, err := t.js("form().requestSubmit()")
		t.need(err)
	})},
	{"half-typed", "a date or number that is half typed is not left out without a word", nil, halfTyped},
	{"values-without-events", "what a program puts into a control is sent, as it can be seen", noTyped, valuesWithoutEvents},
	{"plain-buttons", "a button that is for something else sends nothing", nil, plainButtons},
	{"two-clicks-5", "two clicks 5 ms apart are one submission", nil, twice(5 * time.Millisecond)},
	{"two-clicks-40", "two clicks 40 ms apart are one submission", nil, twice(40 * time.Millisecond)},
	{"two-clicks-150", "two clicks 150 ms apart are one submission", nil, twice(150 * time.Millisecond)},
	{"enter-and-click", "Enter and a click together are one submission", noTyped, enterAndClick},
	{"enter-twice", "Enter pressed twice is one submission", noTyped, enters(40 * time.Millisecond)},
	{"enter-held", "Enter held down is one submission", noTyped, enters(-1)},
	{"enter-in-text", "Enter in a text of several lines is a line, and sends nothing", noLines, enterInText},
	{"body-as-declared", "what is sent is what was given: values, numbers, boxes", nil, bodyAsDeclared},
	{"pending-shown", "a submission that is under way can be seen", nil, pendingShown},
	{"pending-told", "it is told to assistive technology too", nil, pendingTold},
	{"pending-ends", "a submission without an answer ends, and the person learns it", nil, pendingEnds},
	{"edit-while-sending", "an edit made while it is sent is not lost", noTyped, editWhileSending},
	{"refusal-shown", "what the server refuses can be seen", noTyped, refused(refusalShown)},
	{"refusal-at-its-field", "it is at its field, and linked to it", noTyped, refused(refusalAtItsField)},
	{"refusal-focus", "the focus goes to it", noTyped, refused(refusalFocus)},
	{"refusal-keeps-values", "nothing typed is lost by it", noTyped, refused(refusalKeepsValues)},
	{"refusal-announced", "it is told to assistive technology too", noTyped, refused(refusalAnnounced)},
	{"refusal-stays", "it does not go away by itself", noTyped, refused(refusalStays)},
	{"refusal-goes", "it goes when the field is edited", noTyped, refused(refusalGoes)},
	{"nothing-swallowed", "a refusal that belongs to no field is seen as well", noTyped, nothingSwallowed},
	{"signed-out", "who is signed out in the middle learns it, and loses nothing", nil, signedOut},
	{"signed-out-by-redirect", "a submission that is redirected to a page to sign in is no success", nil, unproven(byRedirect)},
	{"page-for-an-answer", "a page that comes for an answer, as from a portal, is no success", nil, unproven(byPage)},
	{"cut-answer", "an answer that breaks off is no success", nil, unproven(byHalf)},
	{"lost-reply", "after a lost reply the same submission is sent again, not a second one", nil, lostReply},
	{"key-after-refusal", "what is changed after a refusal is another submission", noTyped, newKeyAfterRefusal},
	{"key-after-error", "after a server error the same submission is sent again", nil, sameKeyAfter("a server error", reply{status: 500, kind: problemJSON, body: `{"title": "The registry is closed."}`})},
	{"key-after-silence", "after a submission without an answer the same one is sent again", nil, sameKeyAfter("a submission without an answer", reply{never: true})},
	{"key-after-success", "the next application is another submission", noTyped, newKeyAfterSuccess},
	{"success-told", "success is told, once", nil, successTold},
	{"success-announced", "success is told to assistive technology too", nil, successAnnounced},
	{"reset-after", "after success everything is as the form declares: values, marks, lists", nil, resetAfter},
	{"closed-after-success", "what was received is not on the next page, however fast that is opened", nil, closedAfterSuccess},
	{"asks-at-reload", "a reload with unsaved work asks", neverAsks, asks((*tab).reload)},
	{"asks-at-close", "closing with unsaved work asks", neverAsks, asks((*tab).closes)},
	{"asks-at-link", "a link with unsaved work asks", neverAsks, asks((*tab).link)},
	{"asks-at-back", "going back with unsaved work asks", neverAsks, asks((*tab).back)},
	{"asks-at-hash", "a route behind the hash with unsaved work asks", neverAsks, asks((*tab).hash)},
	{"asks-after-choosing", "a change of a box, a choice or a number is unsaved work too", func(p *plan) string { return cmp.Or(leaveNever(p), noOtherKind(false)(p)) }, asksAfterOthers},
	{"quiet-untouched", "who has changed nothing is asked nothing", nil, quietUntouched},
	{"quiet-at-reload", "who has changed nothing and reloads is asked nothing", nil, quietBy((*tab).reload)},
	{"quiet-at-close", "who has changed nothing and closes the page is asked nothing", nil, quietBy((*tab).closes)},
	{"quiet-after-success", "after success nobody is asked", nil, quietAfterSuccess},
}

func noPrefill(p *plan) string {
	if !p.form.Prefill.Loads() {
		return "the form declares no prefill.url"
	}
	return ""
}

// text is the first field that somebody types, of those that have a record's value
// where that is asked.
func (p *plan) text(loaded bool) (string, bool) {
	for _, path := range p.paths {
		f, _ := p.field(path)
		if f.Kind == form.KindText && !f.Private && (loaded && p.loaded[path] != "" || !loaded && p.valid[path] != "") {
			return path, true
		}
	}
	return "", false
}

func noTyped(p *plan) string {
	if _, ok := p.text(false); !ok {
		return "the form has no text that has to be typed"
	}
	return ""
}

// noRecordAndText is for trials that load a record and type beside it.
func noRecordAndText(p *plan) string { return cmp.Or(noPrefill(p), noTyped(p)) }

// half is a field whose first letter is no answer yet, with the texts that a trial types there.
type half struct{ path, letter, whole string }

// halves lists these fields.
func (p *plan) halves() []half {
	var list []half
	for _, path := range slices.Concat(p.order, p.paths) { // those that need not be filled in come last
		f, id := p.field(path)
		raw, needed := p.valid[path]
		switch {
		case f.Kind == form.KindBoolean || f.Kind == form.KindChoice || f.Kind == form.KindChoices || f.Kind == form.KindFile:
			continue
		case !needed && (f.Kind != form.KindText || !p.free(path)):
			continue
		case !needed:
			raw, _ = sample.One(p.form, id)
		}
		if len(raw) > 1 && !p.form.Accepts(id, p.form.Parse(id, raw[:1])) {
			list = append(list, half{path, raw[:1], raw})
		}
	}
	return list
}

func noFirstLetter(policies ...form.ShowPolicy) func(*plan) string {
	return func(p *plan) string {
		if slices.Contains(policies, p.form.Show) {
			return "the form declares another time to show issues"
		}
		if len(p.halves()) == 0 {
			return "the form has no field whose first letter is not yet an answer"
		}
		return ""
	}
}

// gap finds a field that has to be filled in. It prefers one that no record fills.
func (p *plan) gap() string {
	for _, path := range p.missed {
		if p.loaded[path] == "" {
			return path
		}
	}
	for _, path := range p.missed {
		if f, _ := p.field(path); typed(f) {
			return path
		}
	}
	return ""
}

func noLines(p *plan) string {
	if slices.ContainsFunc(p.paths, func(path string) bool {
		f, _ := p.field(path)
		return f.Kind == form.KindText && p.free(path) && (f.Lines > 1 || len(f.Options) == 0 && f.Lines == 0)
	}) {
		return ""
	}
	return "the form has no text"
}

func noGap(p *plan) string {
	if p.gap() == "" {
		return "the form has no field that has to be filled in"
	}
	return ""
}

func neverAsks(p *plan) string { return cmp.Or(leaveNever(p), noTyped(p)) }

func leaveNever(p *plan) string {
	if p.form.Leave.When == form.LeaveNever {
		return "the form declares leave.when: never"
	}
	return ""
}
