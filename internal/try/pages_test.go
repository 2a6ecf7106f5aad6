package try

import (
	"context"
	"os"
	"slices"
	"strings"
	"sync"
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

// Each page runs the trials of its mistake, which break, and the right page the same ones,
// which are kept. LONG=1 makes all trials of every page: nothing else breaks, and nothing
// cannot be told.
func TestEachMistakeIsFound(t *testing.T) {
	chromiumtest.Find(t)
	long := os.Getenv("LONG") != ""
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
				tried := func(wrong string, of func(name string) bool, judge func(r Result)) (err error) {
					var work errgroup.Group
					var telling sync.Mutex
					work.SetLimit(3)
					for _, x := range trials {
						if !of(x.name) {
							continue
						}
						work.Go(func() error {
							r, err := x.make(browser, page+"?wrong="+wrong, p)
							telling.Lock()
							defer telling.Unlock()
							judge(r)
							return err
						})
					}
					return work.Wait()
				}
				if long && os.Getenv("MISTAKE") == "" {
					err := tried("", func(string) bool { return true }, func(r Result) {
						if strings.Contains(r.Trial, "check") {
							return
						}
						if r.Verdict != Kept {
							t.Errorf("the right page %s: %s is %s: %s", way, r.Trial, r.Verdict, r.Why)
						}
					})
					if err != nil {
						return err
					}
				}
				for k, m := range mistakes {
					if os.Getenv("MISTAKE") != "" && os.Getenv("MISTAKE") != m.name {
						continue
					}
					if !long && os.Getenv("MISTAKE") == "" && k%len(ways) != slices.Index(ways, way) {
						continue
					}
					// A mistake may break more than its own trials on one page or another; its
					// own it breaks on each.
					if way == "wizard" && m.name == "unfocused" { // the other step is not shown
						m.breaks = []string{"refusal-shown"}
					}
					err := tried(m.name, func(name string) bool { return slices.Contains(m.breaks, name) && (long || name == m.breaks[0]) }, func(r Result) {
						if r.Verdict != Broken {
							t.Errorf("%s with the mistake %s: %s is %s: %s", way, m.name, r.Trial, r.Verdict, r.Why)
						}
					})
					if err != nil {
						return err
					}
					if !long {
						err = tried("", func(name string) bool { return name == m.breaks[0] }, func(r Result) {
							if r.Verdict != Kept {
								t.Errorf("the right page %s: %s is %s: %s", way, r.Trial, r.Verdict, r.Why)
							}
						})
						if err != nil {
							return err
						}
					}
				}
				return nil
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
		found := slices.ContainsFunc([]string{"late-check", "check-never-answers"}, func(s string) bool { return strings.Contains(x.name, s) })
		for _, m := range mistakes {
			found = found || slices.Contains(m.breaks, x.name)
		}
		require.True(t, found, x.name)
	}
}
