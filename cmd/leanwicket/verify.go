package main

import (
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

// verifying is what the command was asked for.
type verifying struct {
	options   verify.Options
	together  int
	memory    int // MiB
	time      time.Duration
	out       string
	stats     bool
	scenarios []string
	traces    []string
	bounded   bool // a bound was given: a bounds file does not count

	stdout, stderr io.Writer
	style          scenario.Style
}

func verifyCommand() *cobra.Command {
	v := &verifying{options: verify.Options{Attempts: 2, Tries: 2, Loads: 2}}
	c := &cobra.Command{
		Use:   "verify FORM…",
		Short: "Walk every order of clicks and answers and check the guarantees",
		Long: `Walks every state that a form can reach, breadth first, running the core itself:
the applicant's events and the backend's answers in every order that the timers
allow, within bounds. Says that the guarantees hold, or gives the shortest session
that breaks one; for a guarantee that a policy trades away, the shortest session
that shows the price.

A walk edits a field that is typed, one that is a number or a time, one that is chosen,
and one for each trait (in rows, checked, compared, asked sometimes, private), while
the others are filled in. All walks are taken within narrow bounds, and then within
wider ones, as far as that takes half a minute or, with --time, so long.
NAME.bounds.yaml beside NAME.form.yaml says other walks. A limit of 0 is none: any
number of attempts, tries and loads.

With --covered-by, says which transitions of the lifecycle the scenarios take, and
writes the shortest scenario for each that they never take. With --traces, replays
recorded sessions and checks the guarantees in each.

Exit status 1 where a guarantee is broken, a walk could not be finished, or a
transition is never taken.`,
		Example: `  leanwicket verify mooring.form.yaml
  leanwicket verify --attempts 0 --tries 0 --loads 0 permit
  leanwicket verify mooring.form.yaml --covered-by permit --out missing`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			v.stdout, v.stderr, v.style = c.OutOrStdout(), c.ErrOrStderr(), style()
			for _, name := range []string{"attempts", "tries", "loads", "rows", "edit", "together"} {
				v.bounded = v.bounded || c.Flags().Changed(name)
			}
			return v.run(args)
		},
	}
	f := c.Flags()
	f.IntVar(&v.options.Attempts, "attempts", 2, "submissions begun, at most; 0: any number")
	f.IntVar(&v.options.Tries, "tries", 2, "sendings of one attempt, at most; 0: any number")
	f.IntVar(&v.options.Loads, "loads", 2, "loads asked for, at most; 0: any number")
	f.BoolVar(&v.options.Supplied, "supplied", false, "the application supplies saved answers of its own accord; with prefill.own it always may")
	f.IntVar(&v.options.Rows, "rows", 2, "rows of a group, at most")
	f.StringSliceVar(&v.options.Edited, "edit", nil, "take one walk that edits these fields")
	f.IntVar(&v.together, "together", 1, "fields that a walk edits")
	f.IntVar(&v.options.States, "states", 10_000_000, "states after which a walk gives up")
	f.IntVar(&v.memory, "memory", 2048, "MiB of memory after which a walk gives up")
	f.DurationVar(&v.time, "time", 0, "time after which the walks give up, such as 30s; 0: they go on")
	f.IntVar(&v.options.Workers, "workers", 0, "goroutines that walk; 0: one for each core")
	f.BoolVar(&v.options.First, "first", false, "stop at the first guarantee that is broken")
	f.BoolVar(&v.options.Whole, "whole", false, "reduce nothing: slower, with the same verdict")
	f.BoolVar(&v.stats, "stats", false, "say how long it took, and how much memory")
	f.StringVar(&v.out, "out", "", "write each session to this folder, as a scenario")
	f.StringArrayVar(&v.scenarios, "covered-by", nil, "scenario files or folders: which transitions do they take?")
	f.StringArrayVar(&v.traces, "traces", nil, "trace files or folders: do the guarantees hold in them?")
	return c
}

func (v *verifying) run(args []string) error {
	files, err := document.Find(args, "form")
	if err != nil {
		return err
	}
	stop := make(chan struct{})
	interrupts := make(chan os.Signal, 1)
	signal.Notify(interrupts, os.Interrupt)
	defer signal.Stop(interrupts)
	go func() {
		<-interrupts
		close(stop)
	}()
	v.options.Stop, v.options.Memory = stop, v.memory<<20
	if v.time > 0 {
		v.options.Until = time.Now().Add(v.time)
	}
	verdict := error(nil)
	for k, file := range files {
		if k > 0 {
			fmt.Fprintln(v.stdout)
		}
		good, err := v.file(file)
		if err != nil {
			return err
		}
		if !good {
			verdict = errNo
		}
	}
	return verdict
}

func (v *verifying) file(file string) (good bool, err error) {
	source, err := declare.Open(file)
	if err != nil {
		return false, err
	}
	if len(v.traces) > 0 {
		return v.replayed(source)
	}
	o := v.options
	var cover *coverage
	if len(v.scenarios) > 0 {
		if cover, err = v.covered(source); err != nil {
			return false, err
		}
		o.Wanted = cover.missing
	}
	start := time.Now()
	live := term.IsTerminal(int(os.Stderr.Fd()))
	report, err := v.walk(source, o, func(walks []verify.Options) { v.showProgress(walks, source.Form.Name, start, live) })
	if live {
		fmt.Fprint(v.stderr, "\r\x1b[K")
	}
	if err != nil {
		return false, fmt.Errorf("%s: %w", file, err)
	}
	good = len(report.Breaches) == 0 && report.Unfinished() == ""
	v.tell(file, report)
	if v.stats {
		v.tellStats(report, time.Since(start))
	}
	if err := v.tellSessions(source, report); err != nil {
		return false, err
	}
	if cover != nil {
		all, err := v.tellCoverage(source, cover, report)
		return good && all, err
	}
	return good, nil
}

// walk takes the walks that the flags say, else those of the form.
func (v *verifying) walk(source *declare.Source, o verify.Options, prepare func([]verify.Options)) (*verify.Report, error) {
	var walks []verify.Options
	switch {
	case o.Edited != nil:
		walks = []verify.Options{o}
	case v.bounded:
		walks = verify.Walks(source.Form, o, verify.Plan(source.Form, v.together))
	default:
		return verify.Form(source, o, v.together, prepare)
	}
	prepare(walks)
	return verify.Verify(source.Form, walks)
}

// showProgress tells how far the walks are. On a terminal it rewrites one line, and otherwise it writes a
// line every ten seconds. It tells a breach when it is found, unless the report follows at once.
func (v *verifying) showProgress(walks []verify.Options, name string, start time.Time, live bool) {
	begins, ends, soon := "\r\x1b[K", "", time.Second
	if !live {
		begins, ends, soon = "", "\n", 10*time.Second
	}
	told := start
	for k := range walks {
		walks[k].Progress = func(p verify.Progress) {
			if !live && time.Since(told) < soon {
				return
			}
			told = time.Now()
			rate := float64(p.States) / max(time.Since(start).Seconds(), 0.001)
			fmt.Fprintf(v.stderr, "%s%s, walk %d of %d: %s states, %s a second, %s to go on from, %d deep%s",
				begins, name, k+1, len(walks), thousands(p.States), thousands(int(rate)), thousands(p.Frontier), p.Depth, ends)
		}
		walks[k].Found = func(b verify.Breach) {
			if time.Since(start) < soon {
				return
			}
			fmt.Fprintf(v.stderr, "%s%s, walk %d of %d: %s\n", begins, name, k+1, len(walks), b.Error())
		}
	}
}

func thousands(n int) string {
	text := strconv.Itoa(n)
	for k := len(text) - 3; k > 0; k -= 3 {
		text = text[:k] + "," + text[k:]
	}
	return text
}

// tell says what was walked, and the verdict.
func (v *verifying) tell(file string, report *verify.Report) {
	verdict := v.style.Paint("32", "every guarantee holds")
	switch unfinished := report.Unfinished(); {
	case len(report.Breaches) > 0:
		words := make([]string, len(report.Breaches))
		for k, b := range report.Breaches {
			words[k] = b.Guarantee.String()
		}
		verdict = v.style.Paint("1;31", "broken: "+strings.Join(words, ", "))
	case unfinished != "":
		verdict = v.style.Paint("33", "not finished, for "+unfinished+"; no guarantee was broken so far")
	}
	states, transitions, _ := report.Total()
	deepest := 0
	var edited, within, begun []string
	where := map[string][]string{}
	for _, w := range report.Walks {
		deepest = max(deepest, w.Depth)
		fields := strings.Join(w.Edited, " with ")
		edited, within, begun = withAll(edited, fields), withAll(within, w.Bounds), withAll(begun, w.Begun...)
		where[w.Bounds] = withAll(where[w.Bounds], fields)
	}
	fmt.Fprintf(v.stdout, "%s: %s\n", file, verdict)
	fmt.Fprintf(v.stdout, "  visits  %s states by %s transitions, in %s; a session has at most %s\n",
		thousands(states), thousands(transitions), scenario.Plural(len(report.Walks), "walk"), scenario.Plural(deepest, "step"))
	fmt.Fprintf(v.stdout, "  edits   in each walk one of: %s\n", strings.Join(edited, "; "))
	fmt.Fprintf(v.stdout, "  opens   %s\n", strings.Join(begun, ", "))
	title := "bounds"
	for _, bounds := range within {
		fields := ""
		if len(edited) > 1 && len(within) > 1 {
			fields = ": " + strings.Join(where[bounds], "; ")
		}
		fmt.Fprintf(v.stdout, "  %-6s  %s%s\n", title, bounds, fields)
		title = ""
	}
	if unfinished := report.Unfinished(); strings.Contains(unfinished, "limit") || strings.Contains(unfinished, "time") {
		fmt.Fprintln(v.stdout, "  to finish: a higher --states, --memory or --time, or less to walk: --edit one field, --attempts 1")
	}
	if len(report.NotTaken) > 0 {
		fmt.Fprintf(v.stdout, "  left    walks that were not taken, which edit: %s\n", edits(report.NotTaken))
	}
	if len(report.NotDeep) > 0 {
		fmt.Fprintf(v.stdout, "  deeper  the widest bounds were not finished where this is edited: %s; a longer --time goes on\n", edits(report.NotDeep))
	}
	if others := report.NotEdited(); len(others) > 0 {
		fmt.Fprintf(v.stdout, "  never edited, but filled in: %s\n", strings.Join(others, ", "))
	}
}

// edits lists what walks edit, each once.
func edits(walks [][]string) string {
	var list []string
	for _, fields := range walks {
		list = withAll(list, strings.Join(fields, " with "))
	}
	return strings.Join(list, "; ")
}

// withAll adds the words that are not there yet.
func withAll(list []string, words ...string) []string {
	for _, word := range words {
		if !slices.Contains(list, word) {
			list = append(list, word)
		}
	}
	return list
}

func (v *verifying) tellStats(report *verify.Report, took time.Duration) {
	states, transitions, bytes := report.Total()
	cpu := cpuTime().Seconds()
	fmt.Fprintf(v.stdout, "  took    %.1f s and %.1f s of CPU: %s states and %s transitions a CPU second, %d bytes a state\n",
		took.Seconds(), cpu, thousands(int(float64(states)/cpu)), thousands(int(float64(transitions)/cpu)), bytes/max(states, 1))
}

// tellSessions shows what is broken and what was traded away as play does, and
// writes the sessions.
func (v *verifying) tellSessions(source *declare.Source, report *verify.Report) error {
	for _, w := range report.Waived {
		title := fmt.Sprintf("waived: %s, by %s: %s", w.Guarantee, w.Policy, w.Price)
		if w.Scenario == nil {
			title += " (no session within the bounds shows it)"
		}
		if err := v.tellSession(source, v.style.Paint("1;33", title), "price-of-"+policyName(w.Policy), w.Session); err != nil {
			return err
		}
	}
	for _, b := range report.Breaches {
		title := strings.Replace(b.Error(), "; in the way: ", "\nin the way: ", 1) // a line is long enough
		if err := v.tellSession(source, v.style.Paint("1;31", title), b.Guarantee.String(), b.Session); err != nil {
			return err
		}
	}
	return nil
}

func policyName(policy string) string {
	return strings.NewReplacer(".", "-", ": ", "-").Replace(policy)
}

func (v *verifying) tellSession(source *declare.Source, title, name string, session verify.Session) error {
	fmt.Fprintf(v.stdout, "\n%s\n", title)
	if session.Scenario == nil {
		return nil
	}
	name = fmt.Sprintf("%s-%s.scenario.yaml", source.Form.Name, name)
	s, err := scenario.With(source, name, session.Scenario)
	if err != nil {
		return err
	}
	_, steps := scenario.Record(s, nil)
	fmt.Fprintln(v.stdout)
	scenario.WriteSteps(v.stdout, steps, v.style)
	if v.out == "" {
		return nil
	}
	if err := v.write(source, name, session); err != nil {
		return err
	}
	fmt.Fprintf(v.stdout, "\nwritten to %s\n", filepath.Join(v.out, name))
	return nil
}

// write puts a session into the folder, with the way from there to its form, and
// its picture beside it.
func (v *verifying) write(source *declare.Source, name string, session verify.Session) error {
	form, err := filepath.Abs(source.File)
	if err != nil {
		return err
	}
	folder, err := filepath.Abs(v.out)
	if err != nil {
		return err
	}
	beside, err := filepath.Rel(folder, form)
	if err != nil {
		return err
	}
	text := strings.Replace(string(session.Scenario), fmt.Sprintf("form: %q", source.Form.Name+".form.yaml"), fmt.Sprintf("form: %q", filepath.ToSlash(beside)), 1)
	s, err := scenario.With(source, name, session.Scenario)
	if err != nil {
		return err
	}
	picture, err := pictureOf(s, recordOf(s))
	if err != nil {
		return err
	}
	_, err = writeNew(v.out, map[string][]byte{name: []byte(text), strings.Replace(name, ".scenario.yaml", ".svg", 1): picture})
	return err
}

// coverage is what scenarios take of the lifecycle.
type coverage struct {
	scenarios int
	taken     map[lifecycle.Transition]int
}

func (c *coverage) missing(t lifecycle.Transition) bool { return c.taken[t] == 0 }
