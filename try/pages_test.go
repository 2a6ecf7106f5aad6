package try

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromiumtest"
)

// The pages of testdata/pages do the same job in seven ways of writing a page: plain script,
// a frame, a shadow root with widgets, a page that is drawn anew at each change, a wizard
// behind a banner, components and pickers of packages that somebody else wrote.
var ways = []string{"script", "frame", "element", "render", "wizard", "components", "pickers"}

// pagesOfWays is a copy of those pages, with the packages beside them.
func pagesOfWays(t *testing.T) (dir string) {
	chromiumtest.Find(t)
	dir = t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("testdata/pages")))
	for _, name := range []string{"@shoelace-style/shoelace", "flatpickr", "tom-select"} {
		from := chromiumtest.Package(name)
		if from == "" {
			t.Skip("the packages of pages are not installed: run ./test")
		}
		to := filepath.Join(dir, "packages", name)
		require.NoError(t, os.MkdirAll(filepath.Dir(to), 0o755))
		require.NoError(t, os.Symlink(from, to))
	}
	return dir
}

// withDates are the pages with a control of the browser's for a date.
var withDates = []string{"script", "frame", "element", "components"}

// mistakes are what ?wrong=NAME does to each page, and the trials that it breaks: its own
// comes first.
var mistakes = []struct {
	name   string
	breaks []string
}{
	{"load-over", []string{"load-over-typing", "composing"}},
	{"load-choice", []string{"load-over-choosing"}},
	{"unloaded", []string{"untouched-values-stay"}},
	{"brought-back", []string{"back-restores"}},
	{"load-dead", []string{"load-fails"}},
	{"early", []string{"quiet-while-typing"}},
	{"late", []string{"told-after-leaving"}},
	{"shifts", []string{"click-after-a-wrong-field"}},
	{"sticky", []string{"gone-when-mended"}},
	{"invalid", []string{"invalid-by-button", "invalid-by-enter", "invalid-by-script"}},
	{"half-date", []string{"half-typed"}},
	{"by-events", []string{"values-without-events"}},
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
	{"redirect", []string{"signed-out-by-redirect"}},
	{"portal", []string{"page-for-an-answer"}},
	{"half", []string{"cut-answer"}},
	{"draft", []string{"closed-after-success"}},
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
			if t.name == "half-typed" && !slices.Contains(withDates, way) || t.name == "late-check" || t.name == "check-never-answers" { // the form has no check
				want = NotApplicable
			}
			add(t.name, "", want)
		}
	}
	if way == "script" && only == "" { // what looks wrong, and is none
		for _, fine := range [][2]string{{"hint", "quiet-while-typing"}, {"search", "load-fails"}, {"search", "invalid-by-button"}, {"again", "pending-ends"}, {"untyped", "two-clicks-40"}} {
			add(fine[1], fine[0], Kept)
		}
	}
	if only != "" { // the trial that it breaks is kept without it
		for _, m := range mistakes {
			if m.name == only && (only != "half-date" || slices.Contains(withDates, way)) {
				add(m.breaks[0], "", Kept)
			}
		}
	}
	for k, m := range mistakes {
		breaks := m.breaks
		if m.name == "half-date" && !slices.Contains(withDates, way) {
			continue
		}
		if way == "render" && m.name == "load-over" { // it draws nothing while something is composed
			breaks = m.breaks[:1]
		}
		if way == "wizard" && m.name == "shifts" { // its button is on another step than what is left
			continue
		}
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
	dir := pagesOfWays(t)
	source, err := declare.Open(filepath.Join(dir, "berth.form.yaml"))
	require.NoError(t, err)
	for _, way := range ways {
		t.Run(way, func(t *testing.T) {
			o := Options{Page: filepath.Join(dir, way+".html")}
			o.Declared, err = ReadDeclarations(filepath.Join(dir, way+".try.yaml"), source.Form)
			if !errors.Is(err, fs.ErrNotExist) {
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

// Ten runs of ten pages agree in every verdict: TRIES says how many, with LONG=1 alone.
func TestRunsAgree(t *testing.T) {
	if os.Getenv("LONG") == "" {
		t.Skip("tries each page ten times: LONG=1")
	}
	dir := pagesOfWays(t)
	office := filepath.Join("..", "harbour")
	require.NoError(t, os.CopyFS(filepath.Join(dir, "office"), os.DirFS(filepath.Join(office, "pages"))))
	berth, err := declare.Open(filepath.Join(dir, "berth.form.yaml"))
	require.NoError(t, err)
	mooring, err := declare.Open(filepath.Join(office, "demo", "mooring.form.yaml"))
	require.NoError(t, err)
	pages := map[string]*declare.Source{"office/naive.html": mooring, "office/careful.html": mooring, "office/controlled/built": mooring}
	for _, way := range ways {
		pages[way+".html"] = berth
	}
	runs, err := strconv.Atoi(cmp.Or(os.Getenv("TRIES"), "10"))
	require.NoError(t, err)
	for page, source := range pages {
		t.Run(page, func(t *testing.T) {
			o := Options{Page: filepath.Join(dir, page)}
			o.Declared, err = ReadDeclarations(strings.TrimSuffix(o.Page, ".html")+".try.yaml", source.Form)
			if !errors.Is(err, fs.ErrNotExist) {
				require.NoError(t, err)
			}
			var first []string
			for k := range runs {
				answer, err := Run(t.Context(), source, o)
				require.NoError(t, err)
				var verdicts []string
				for _, r := range answer.Results {
					verdicts = append(verdicts, r.Trial+": "+string(r.Verdict)+", "+r.Why)
				}
				if k == 0 {
					first = verdicts
				}
				require.Equal(t, first, verdicts)
			}
		})
	}
}
