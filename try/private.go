package try

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/form"
)

// private lists the private fields that a trial has met, as they are named on the page.
func (t *tab) private() (paths []string) {
	for path := range t.opened.Fields {
		if place, known := t.form.Lookup(path); known && t.form.Fields[place.Field].Private {
			paths = append(paths, path)
		}
	}
	return paths
}

// cover takes the answers of private fields out of what a trial tells: those that it has
// typed, and those of the record.
func (t *tab) cover(r *Result) {
	var secrets []string
	for k := range t.form.Declared() {
		f := &t.form.Fields[k]
		if !f.Private {
			continue
		}
		path := form.PathInRow(f.Path, 0)
		for _, raw := range append([]string{t.valid[path], t.loaded[path]}, t.typed[path]...) {
			if len(raw) > 1 && !slices.Contains(secrets, raw) {
				secrets = append(secrets, raw)
			}
		}
	}
	slices.SortFunc(secrets, func(a, b string) int { return len(b) - len(a) }) // one can be a part of another
	covered := func(text string) string {
		for _, secret := range secrets {
			written := strings.Trim(quoted(secret), `"`)
			text = strings.NewReplacer(secret, "(private)", written, "(private)").Replace(text)
		}
		return text
	}
	r.Why = covered(r.Why)
	for k := range r.Timeline {
		r.Timeline[k].What = covered(r.Timeline[k].What)
	}
	for k := range r.Requests {
		q := &r.Requests[k]
		q.URL, q.Body, q.Reply = covered(q.URL), covered(q.Body), covered(q.Reply)
	}
}

func quoted(v any) string {
	text, _ := json.Marshal(v) // texts and lists of them
	return string(text)
}

// hears notes what the page says at the end of a trial and did not say when it opened.
func (t *tab) hears() {
	text, err := t.jsWithin(2*time.Second, "look()")
	var l look
	if err != nil || json.Unmarshal([]byte(text), &l) != nil {
		return // it is gone, or asks something
	}
	t.mu.Lock()
	l.Alerts = slices.Clone(t.alerts)
	t.mu.Unlock()
	if len(l.Alerts) < len(t.opened.Alerts) {
		return
	}
	if news := l.news(t.opened); len(news) > 0 {
		t.did("screen", "says: %s", clipped(strings.Join(news, " / ")))
	}
}

// clipped is the beginning of a text, which is all that is told of it.
func clipped(text string) string {
	if most := 300; len(text) > most {
		return fmt.Sprintf("%s … (%d more characters)", strings.ToValidUTF8(text[:most], ""), len(text)-most)
	}
	return text
}
