package try

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
)

// candidate is something on the page that no field has claimed: a selector, and what it is
// called.
type candidate [2]string

func (c candidate) String() string { return fmt.Sprintf("%s (%q)", c[0], c[1]) }

// First is a first try file for a page, from what it shows as it opens.
func First(ctx context.Context, source *declare.Source, o Options) (text string, err error) {
	err = onArrival(ctx, source, o, func(t *tab, l look) {
		var rest struct{ Controls, Buttons []candidate }
		found, err := t.js("unclaimed()")
		t.need(err)
		t.need(json.Unmarshal([]byte(found), &rest))
		text = t.first(o.Page, filepath.Dir(source.File), l, rest.Controls, rest.Buttons)
	})
	return text, err
}

// Markup is a page's markup after its scripts have run, with what is in open shadow roots and
// in frames of the same origin.
func Markup(ctx context.Context, source *declare.Source, o Options) (text string, err error) {
	err = onArrival(ctx, source, o, func(t *tab, _ look) {
		found, err := t.js("markup()")
		t.need(err)
		t.need(json.Unmarshal([]byte(found), &text))
	})
	return text, err
}

// onArrival opens a page in a browser of its own, and looks at it.
func onArrival(ctx context.Context, source *declare.Source, o Options, do func(t *tab, l look)) error {
	_, err := withBrowser(ctx, source, o, func(browser context.Context, page string, p *plan) error {
		return p.once(browser, page, func(t *tab) { do(t, t.arrive()) })
	})
	return err
}

func (t *tab) first(page, dir string, l look, controls, buttons []candidate) string {
	var text strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&text, format+"\n", args...) }
	line("# How leanwicket try reaches and operates this page. docs/try.md says what else can stand here.")
	line("page: %s", quoted(beside(dir, page)))
	var missing, there []string
	for k := range t.form.Declared() {
		f := &t.form.Fields[k]
		if _, found := l.Fields[form.PathInRow(f.Path, 0)]; found {
			there = append(there, f.Path)
		} else {
			missing = append(missing, f.Path)
		}
	}
	if len(there) > 0 {
		line("# These fields were found by their names or labels: %s.", strings.Join(there, ", "))
	}
	if len(missing) > 0 {
		if len(controls) > 0 {
			line("# These controls belong to no field yet: %s.", join(controls))
		}
		var lines []string
		for _, path := range missing {
			f, _ := t.field(form.PathInRow(path, 0))
			group, _ := t.inRows(form.PathInRow(path, 0))
			unknown := "  # " + path + ": {control: \"…\"}"
			switch c, found := likely(f, controls); {
			case f.Kind == form.KindRows:
				lines = append(lines, unknown+"  # the button that adds a row")
			case group != "":
				lines = append(lines, unknown+"  # {row} is the row's number")
			case len(f.Asked) > 0:
				lines = append(lines, unknown+"  # asked sometimes, so that it may come later")
			case found:
				lines = append(lines, fmt.Sprintf("  %s: {control: %s}  # is it this one?", path, quoted(c[0])))
				controls = slices.DeleteFunc(controls, func(other candidate) bool { return other == c })
			default:
				lines = append(lines, unknown)
			}
		}
		if slices.ContainsFunc(lines, func(l string) bool { return !strings.HasPrefix(l, "  #") }) {
			line("fields:")
		} else {
			line("# fields:")
		}
		for _, l := range lines {
			line("%s", l)
		}
	}
	if len(l.Buttons) == 0 {
		line("# No submit button was found. These buttons are there: %s.", cmp.Or(join(buttons), "none"))
		line("# submit: {control: \"…\"}")
	}
	time.Sleep(moment / 4) // a page may ask a little later
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.beside) > 0 {
		line("# The page sent these requests as it opened. They reach its own server where they only read.")
		line("# answers:")
		for _, request := range t.beside {
			method, path, _ := strings.Cut(request, " ")
			line("#   - {method: %s, url: %s, body: {}}", method, quoted(path))
		}
	}
	return text.String()
}

// beside is how a file of a folder names a page.
func beside(dir, page string) string {
	if IsAddress(page) {
		return page
	}
	absolute, err := filepath.Abs(page)
	base, baseErr := filepath.Abs(dir)
	relative, relErr := filepath.Rel(base, absolute)
	if errors.Join(err, baseErr, relErr) != nil {
		return page
	}
	return filepath.ToSlash(relative)
}

// likely finds the control whose name shares the most words with a field's, and at least one.
func likely(f *form.Field, controls []candidate) (best candidate, found bool) {
	words := func(text string) []string {
		return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !('a' <= r && r <= 'z' || '0' <= r && r <= '9') })
	}
	most := 0
	wanted := append(words(f.Label), words(f.Path)...)
	for _, c := range controls {
		has, count := append(words(c[0]), words(c[1])...), 0
		for _, word := range wanted {
			if slices.Contains(has, word) {
				count++
			}
		}
		if count > most {
			best, most = c, count
		}
	}
	return best, most > 0
}

func join(list []candidate) string {
	texts := make([]string, len(list))
	for k, c := range list {
		texts[k] = c.String()
	}
	return strings.Join(texts, ", ")
}
