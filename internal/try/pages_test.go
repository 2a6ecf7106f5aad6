package try

import (
	"context"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromiumtest"
)

// The pages of testdata/pages do the same job in five ways of writing a page: plain script,
// a frame, a shadow root with widgets, a page that is drawn anew at each change, a wizard
// behind a banner.
var ways = []string{"script", "frame", "element", "render", "wizard"}

// mistakes are what ?wrong=NAME does to each page, and the trials that it breaks: its own
// comes first.
var mistakes = []struct {
	name   string
	breaks []string
}{
	{"load-over", []string{"load-over-typing"}},
	{"load-choice", []string{"load-over-choosing"}},
	{"load-dead", []string{"load-fails"}},
	{"early", []string{"quiet-while-typing"}},
	{"late", []string{"told-after-leaving"}},
	{"sticky", []string{"gone-when-mended"}},
	{"invalid", []string{"invalid-by-button", "invalid-by-enter", "invalid-by-script"}},
	{"plain", []string{"plain-buttons"}},
	{"double", []string{"two-clicks-40", "two-clicks-5", "two-clicks-150", "enter-and-click", "enter-twice", "enter-held"}},
	{"enter-text", []string{"enter-in-text"}},
	{"labels", []string{"body-as-declared"}},
	{"texts", []string{"body-as-declared"}},
	{"unseen", []string{"pending-shown", "pending-told"}},
	{"untold", []string{"pending-told"}},
	{"forever", []string{"pending-ends"}},
	{"wipe", []string{"edit-while-sending"}},
	{"dropped", []string{"refusal-shown", "nothing-swallowed"}},
	{"unlinked", []string{"refusal-at-its-field", "refusal-goes"}},
	{"unfocused", []string{"refusal-focus", "refusal-announced"}},
	{"cleared", []string{"refusal-keeps-values"}},
	{"fading", []string{"refusal-stays"}},
	{"stale", []string{"refusal-goes"}},
	{"swallowed", []string{"nothing-swallowed"}},
	{"signed-out", []string{"signed-out"}},
	{"new-key", []string{"lost-reply", "key-after-error", "key-after-silence"}},
	{"old-key", []string{"key-after-refusal"}},
	{"one-key", []string{"key-after-success"}},
	{"key-500", []string{"key-after-error"}},
	{"said-twice", []string{"success-told"}},
	{"unannounced", []string{"success-announced"}},
	{"uncleared", []string{"reset-after", "quiet-after-success"}},
	{"marks", []string{"reset-after"}},
	{"unguarded", []string{"asks-at-reload", "asks-at-close", "asks-at-back", "asks-after-choosing"}},
	{"unguarded-route", []string{"asks-at-link", "asks-at-hash"}},
	{"text-only", []string{"asks-after-choosing"}},
	{"nagging", []string{"quiet-at-close", "quiet-at-reload", "quiet-untouched"}},
	{"after", []string{"quiet-after-success"}},
}

// played is a trial of a page with a mistake, and what it has to find.
type played struct {
	trial
	wrong string
	want  Verdict
}

// playedOn are the trials of a page: of every fifth mistake its own trial. With LONG=1 they
// are all that each mistake breaks, and every trial of the right page. MISTAKE makes one.
func playedOn(way string) (list []played) {
	long, only := os.Getenv("LONG") != "", os.Getenv("MISTAKE")
	add := func(name, wrong string, want Verdict) {
		k := slices.IndexFunc(trials, func(t trial) bool { return t.name == name })
		list = append(list, played{trials[k], wrong, want})
	}
	if long && only == "" {
		for _, t := range trials {
			want := Kept
			if t.name == "late-check" || t.name == "check-never-answers" { // the form has no check
				want = NotApplicable
			}
			add(t.name, "", want)
		}
	}
	for k, m := range mistakes {
		breaks := m.breaks
		if way == "wizard" && m.name == "unfocused" { // the other step is not shown
			breaks = []string{"refusal-shown"}
		}
		switch {
		case only == m.name || long && only == "":
			for _, name := range breaks {
				add(name, m.name, Broken)
			}
		case only == "" && k%len(ways) == slices.Index(ways, way):
			add(breaks[0], m.name, Broken)
		}
	}
	return list
}

// Each mistake is made on one of the pages, with LONG=1 on all, and its trials find it; the
// right pages keep everything.
func TestEachMistakeIsFound(t *testing.T) {
	chromiumtest.Find(t)
	source, err := declare.Open("testdata/pages/berth.form.yaml")
	require.NoError(t, err)
	for _, way := range ways {
		t.Run(way, func(t *testing.T) {
			o := Options{Page: "testdata/pages/" + way + ".html"}
			if name := "testdata/pages/" + way + ".try.yaml"; exists(name) {
				o.Declared, err = ReadDeclarations(name, source.Form)
				require.NoError(t, err)
			}
			stopped, err := withBrowser(t.Context(), source, o, func(browser context.Context, page string, p *plan) error {
				_, moving, err := meet(browser, page, p)
				if err != nil {
					return err
				}
				p.ignored = append(p.ignored, moving...)
				require.Equal(t, way == "render", len(moving) > 0, moving)
				var work errgroup.Group
				work.SetLimit(3)
				for _, x := range playedOn(way) {
					work.Go(func() error {
						r, err := x.make(browser, page+"?wrong="+x.wrong, p)
						if err == nil && r.Verdict != x.want {
							t.Errorf("%s with the mistake %q: %s is %s and has to be %s: %s", way, x.wrong, r.Trial, r.Verdict, x.want, r.Why)
						}
						return err
					})
				}
				return work.Wait()
			})
			require.NoError(t, err)
			require.Empty(t, stopped)
		})
	}
}

func exists(name string) bool {
	_, err := os.Stat(name)
	return err == nil
}

// Every trial but those of checks has a mistake that it finds.
func TestEachTrialHasAMistake(t *testing.T) {
	for _, x := range trials {
		found := x.name == "late-check" || x.name == "check-never-answers"
		for _, m := range mistakes {
			found = found || slices.Contains(m.breaks, x.name)
		}
		require.True(t, found, x.name)
	}
}
