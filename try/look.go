package try

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"github.com/chromedp/chromedp"
)

//go:embed look.js
var lookScript string

// field is the state of a control.
type field struct {
	Value           string
	Invalid, Native bool
	Described       string
	Editable, Shown bool
	Type            string
}

// writable reports whether a control is one to type in.
func (f field) writable() bool {
	return slices.Contains([]string{"text", "search", "email", "tel", "url", "password", "number", "textarea", "textbox", "spinbutton"}, f.Type)
}

// look is what an applicant can see of the page.
type look struct {
	URL              string
	Lines, Live      []string
	Alerts           []string // what the page has said with the browser's own dialogs
	Busy, Dialogs    int      // how many of each
	Says             bool     // of one button that it submits
	Focus, FocusText string
	Buttons          []struct {
		Text, Described string
		Held            bool
	}
	Fields map[string]field
}

// stands reports whether a text can be read now. has reports whether it can, or could before.
func (l look) stands(text string) bool { return strings.Contains(strings.Join(l.Lines, "\n"), text) }

func (l look) has(text string) bool {
	return l.stands(text) || strings.Contains(strings.Join(l.Alerts, "\n"), text)
}

// news are the lines that were not there before. A line in which only figures have
// changed, such as a clock, is none.
func (l look) news(before look) []string {
	old := make([]string, len(before.Lines))
	for k, line := range before.Lines {
		old[k] = strings.Map(masked, line)
	}
	var fresh []string
	for _, line := range l.Lines {
		if k := slices.Index(old, strings.Map(masked, line)); k >= 0 {
			old = slices.Delete(old, k, k+1)
		} else {
			fresh = append(fresh, line)
		}
	}
	return append(fresh, l.Alerts[min(len(before.Alerts), len(l.Alerts)):]...)
}

// paths are the fields that are on the page, in the order of their names.
func (l look) paths() []string { return slices.Sorted(maps.Keys(l.Fields)) }

// holding finds the path that shows a value which was typed at some path: that path, or the same field
// of a later row.
func (l look) holding(path, value string) (at string, stands bool) {
	if l.Fields[path].Value == value {
		return path, true
	}
	group, member, inRow := strings.Cut(path, "/0/") // trials type in the first row
	if !inRow {
		return path, false
	}
	for row := range l.rows(group) {
		if at = fmt.Sprintf("%s/%d/%s", group, row, member); l.Fields[at].Value == value {
			return at, true
		}
	}
	return path, false
}

// rows is how many rows a group has.
func (l look) rows(group string) int {
	count := 0
	for path := range l.Fields {
		if rest, in := strings.CutPrefix(path, group+"/"); in {
			row, _, _ := strings.Cut(rest, "/")
			if n, err := strconv.Atoi(row); err == nil {
				count = max(count, n+1)
			}
		}
	}
	return count
}

// waits reports whether a page shows that something is pending.
func (l look) waits(before look) bool {
	return l.Busy > before.Busy || l.held() && !before.held() || l.buttonLess(before) || l.relabelled(before)
}

// ends reports whether nothing is pending any more, and something is said.
func (l look) ends(before look) bool { return len(l.news(before)) > 0 && !l.waits(before) }

// relabelled reports whether the button says something else.
func (l look) relabelled(before look) bool {
	return len(l.Buttons) > 0 && l.Buttons[0].Text != before.Buttons[0].Text
}

// masked makes every figure the same.
func masked(r rune) rune {
	if unicode.IsDigit(r) {
		return '0'
	}
	return r
}

// buttonLess reports whether the form is there, and its button is not any more.
func (l look) buttonLess(before look) bool {
	return len(l.Fields) > 0 && len(l.Buttons) == 0 && len(before.Buttons) > 0
}

func (l look) held() bool { return len(l.Buttons) > 0 && l.Buttons[0].Held }

// js evaluates an expression beside the functions of look.js.
func (t *tab) js(expression string) (string, error) { return t.jsWithin(10*time.Second, expression) }

func (t *tab) jsWithin(most time.Duration, expression string) (string, error) {
	known, _ := json.Marshal([]any{t.fields, t.groups, t.submit, t.opened.Says, t.ignored})
	ctx, cancel := context.WithTimeout(t.ctx, most)
	defer cancel()
	script := fmt.Sprintf("(async () => { const [fields, groups, submit, says, ignored] = %s\n%s\nreturn JSON.stringify(await (%s)) ?? \"null\" })()", known, lookScript, expression)
	return chromedp.Run(ctx, chromedp.Evaluate[string](script, chromedp.EvalAwaitPromise))
}

// see looks at the page; while one document goes and the next comes there is
// nothing to see.
func (t *tab) see() look {
	var l look
	var err error
	for end := time.Now().Add(moment); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		var text string
		if text, err = t.js("look()"); err == nil {
			if err = json.Unmarshal([]byte(text), &l); err == nil {
				t.mu.Lock()
				defer t.mu.Unlock()
				l.Alerts = slices.Clone(t.alerts)
				return l
			}
		}
		if errors.Is(err, context.Canceled) {
			break
		}
	}
	t.cannot("the page cannot be looked at: %v", err)
	return l
}

// quiet waits until nothing has changed in the page for a while. It gives up on a page that never rests.
func (t *tab) quiet() look {
	for range 3 { // a document that goes takes the promise with it
		if _, err := t.js("rest()"); err == nil {
			break
		}
	}
	return t.see()
}

// until waits until a look at the page has something.
func (t *tab) until(most time.Duration, so func(look) bool) (look, bool) {
	end := time.Now().Add(most)
	for {
		l := t.see()
		if so(l) {
			return l, true
		}
		if time.Now().After(end) {
			return l, false
		}
		time.Sleep(40 * time.Millisecond)
	}
}

// waitFor waits for something that does not show on the page.
func (t *tab) waitFor(most time.Duration, so func() bool) bool {
	for end := time.Now().Add(most); !so(); time.Sleep(10 * time.Millisecond) {
		if time.Now().After(end) || t.ctx.Err() != nil {
			return so()
		}
	}
	return true
}

// moment is how long a page may take to show what came.
const moment = 4 * time.Second
