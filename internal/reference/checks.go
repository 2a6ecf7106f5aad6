package reference

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// sends holds a submission against the screen, and takes it down.
func (a *Account) sends(f lifecycle.Effect, body []byte) {
	key := f.Key.String()
	now := a.screen()
	if w := a.work[key]; w != nil {
		if key != a.open {
			a.fail("the key %s was sent again, and its outcome is known", key[:6])
		}
		return
	}
	if a.open != "" {
		a.fail("the key %s was sent while the outcome of %s is not known", key[:6], a.open[:6])
	}
	content := f.Button + string(body)
	if w := a.work[a.last]; w != nil && !a.rules.replaces && !a.acted && w.content == content {
		a.fail("the same application was sent as a second one")
	}
	switch {
	case !a.rules.replaces && f.Version != "":
		a.fail("a form that creates sent a version")
	case a.rules.replaces && f.Version == "" && a.version:
		a.fail("a save went out without a version, and one was known")
	case (a.rules.needed || a.tookOver && a.rules.form.Prefill.Loads()) && !a.loaded && !a.accepted:
		a.fail("a save went out before the record had loaded")
	}
	a.checkBody(now, decode(body))
	known := map[string]map[string]bool{}
	for path, texts := range a.known {
		known[path] = maps.Clone(texts)
	}
	a.work[key] = &work{now, maps.Clone(a.removed), a.rowsMine, a.blanks, a.cleared, a.loaded, known, decode(body), f.Version, content, a.wanted}
	a.open, a.attempts, a.settled, a.since, a.rowsSince, a.cellsSince, a.owesClear, a.mayClear = key, true, false, map[string]bool{}, false, false, false, false
}

// checkBody: nothing is sent that is not on the screen, and all of it is. A merge
// patch says only what has changed.
func (a *Account) checkBody(now *screen, body record) {
	patch := a.rules.form.Submit.Method == "PATCH"
	for path, text := range now.plain {
		if !now.asked[path] {
			text = ""
		}
		if got := at(body, path); got != text && !(patch && got == "" && text == a.effectiveBase(path)) {
			a.fail("%s is %q on the screen, and %q was sent", path, text, got)
		}
	}
	if _, mentioned := body["crew"]; patch && !mentioned {
		return
	}
	rows, sent := now.rows, rowsOf(body)
	if !now.groupAsked {
		rows = nil
	}
	if len(sent) != len(rows) {
		a.fail("%d rows are on the screen, and %d were sent", len(rows), len(sent))
	}
	for k, row := range rows {
		if id := row["id"]; id != "" && a.removed[id] && a.rules.replaces && !a.office.changed { // rows are matched by place
			a.fail("the row %s was taken away, and is sent", id)
		}
		for member, text := range row {
			if got := at(sent[k], member); got != text {
				a.fail("%s is %q on the screen, and %q was sent", rowPath(k, member), text, got)
			}
		}
	}
}

// effectiveBase is what was last known to be saved, where that asks the field.
func (a *Account) effectiveBase(path string) string {
	if box := a.rules.when[path]; box != "" && a.base[box] != "true" {
		return ""
	}
	return a.base[path]
}

// check holds the screen against the list: nothing that was typed is lost or
// replaced; dirty and edited since are what they have to be.
func (a *Account) check() {
	if a.s.Leaving() == lifecycle.LeaveGone {
		return
	}
	now := a.screen()
	for path, text := range a.typed {
		if now.plain[path] != text {
			a.fail("%q was typed at %s, and %q is there", text, path, now.plain[path])
		}
	}
	for path, since := range a.since {
		if f, _ := a.s.Field(path); since && !f.EditedSince() {
			a.fail("%s was typed in since the attempt, and is not edited since", path)
		}
	}
	for text, member := range a.marks {
		if !now.has(text) && !a.seen(text) {
			a.fail("%q was typed in a row at %s, and is nowhere", text, member)
		}
	}
	if w := a.arrived; w != nil && !w.waits && a.open == "" && a.s.Activity() == lifecycle.ActivityIdle && a.s.Version() != w.version {
		a.fail("a load has arrived, nothing is open, and it is not merged")
	}
	a.checkContested()
	if a.arrived != nil || a.owesClear {
		return
	}
	for path := range now.plain {
		f, _ := a.s.Field(path)
		text := now.plain[path]
		if box := a.rules.when[path]; box != "" && now.plain[box] != "true" {
			text = ""
		}
		if dirty := text != a.effectiveBase(path); f.Dirty() != dirty && !a.rules.private[path] {
			a.fail("%s is %q over %q, and dirty is %v", path, text, a.effectiveBase(path), f.Dirty())
		}
	}
}

// checkContested: nothing is contested that nobody edited or brought back. Being
// asked, or not, is no change of a group, but its answers that come back are edited
// since an attempt.
func (a *Account) checkContested() {
	for f := range a.s.Fields() {
		path := f.Path()
		edited := a.ever[path] || a.ever[a.rules.when[path]]
		if f.Declared().Kind == form.KindRows || f.Place().Row >= 0 {
			edited = a.everRows || a.ever[a.rules.when["crew"]] && len(a.work) > 0
		}
		if f.Contested() && !edited {
			a.fail("%s is contested, and nobody has typed there", path)
		}
	}
}

// seen reports whether a text waits for its row.
func (a *Account) seen(text string) bool {
	return slices.ContainsFunc(a.s.Waiting(), func(w lifecycle.DraftAnswer) bool { return w.Raw == text })
}

// checkRecord holds what was stored against what was on the screen: no row is gone
// that the applicant did not take away, no answer is blank that they did not empty.
func (a *Account) checkRecord(w *work, before record, current bool) {
	after := a.office.record
	for path, text := range w.screen.plain {
		if !w.screen.asked[path] {
			text = ""
		}
		if got := at(after, path); got != text && a.rules.form.Submit.Method == "PUT" {
			a.fail("%s was %q on the screen, and the record has %q", path, text, got)
		}
		was := at(before, path)
		if current && w.loaded && text != was && w.screen.asked[path] && !w.known[path][text] && !w.cleared {
			a.fail("%s was %q in the record and became %q, which nobody typed", path, was, text)
		}
	}
	if vat := at(before, "owner/vat"); current && w.loaded && vat != "" && at(after, "owner/vat") != vat {
		a.fail("owner/vat was %q in the record and became %q, and the form does not know it", vat, at(after, "owner/vat"))
	}
	if was, is := fmt.Sprint(before["extra"]), fmt.Sprint(after["extra"]); current && w.loaded && before["extra"] != nil && is != was {
		a.fail("extra was %s in the record and became %s, and the form does not know it", was, is)
	}
	if !current || !w.loaded || w.rowsMine || !w.screen.groupAsked || w.cleared {
		return
	}
	back := a.ever[a.rules.when["crew"]] && len(a.work) > 1 // what an edit brings back is wanted as it was on the screen
	kept := map[string]record{}
	for _, row := range rowsOf(after) {
		kept[at(row, "id")] = row
	}
	for _, row := range rowsOf(before) {
		id := at(row, "id")
		if id == "" { // the applicant added it, and it has no name of its own
			continue
		}
		now, there := kept[id]
		if !there {
			if !w.removed[id] && !back && (w.wanted == nil || a.rules.ask) { // with keep, what is on the screen is wanted instead of the row
				a.fail("the row %s is gone from the record, and the applicant did not take it away", id)
			}
			continue
		}
		for _, member := range [...]string{"name", "role"} {
			if is, was := at(now, member), at(row, member); is != was && strings.HasPrefix(was, "o") && !strings.HasPrefix(is, "t") && !(is == "" && w.blanks) && !back && !(w.wanted != nil && w.wanted.has(is)) {
				a.fail("%s of the row %s was %q in the record and became %q, which nobody typed", member, id, was, is)
			}
		}
	}
}

// checkClean: clean means equal to the office's record.
func (a *Account) checkClean() {
	if !a.rules.replaces || !a.loaded || a.blind || a.s.Leaving() == lifecycle.LeaveGone || a.s.Unsaved() || a.s.Version() != a.office.tag() || a.owesClear || a.cleared {
		return
	}
	now := a.screen()
	for path, text := range now.plain {
		f, _ := a.s.Field(path)
		if was := at(a.office.record, path); f.Asked() && text != was {
			a.fail("the page is clean, and %s is %q; the record has %q", path, text, was)
		}
	}
	rows := rowsOf(a.office.record)
	if now.groupAsked && len(rows) != len(now.rows) {
		a.fail("the page is clean with %d rows; the record has %d", len(now.rows), len(rows))
	}
	for k := range now.rows {
		for member, text := range now.rows[k] {
			if now.groupAsked && text != at(rows[k], member) {
				a.fail("the page is clean, and %s is %q; the record has %q", rowPath(k, member), text, at(rows[k], member))
			}
		}
	}
}
