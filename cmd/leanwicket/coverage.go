package main

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"syscall"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/scenario"
	"leanwicket.dev/trace"
	"leanwicket.dev/verify"
)

// covered plays the scenarios of a form and counts the transitions they take.
func (v *verifying) covered(source *declare.Source) (*coverage, error) {
	files, err := document.Find(v.scenarios, "scenario")
	if err != nil {
		return nil, err
	}
	c := &coverage{taken: map[lifecycle.Transition]int{}}
	reader := scenario.NewReader(nil)
	for _, file := range files {
		s, err := reader.File(file)
		if err != nil {
			return nil, err
		}
		if s.Form().LifecycleFingerprint() != source.Form.LifecycleFingerprint() {
			continue // another form's
		}
		c.scenarios++
		result := scenario.Play(s, scenario.Options{Taken: func(t lifecycle.Transition) { c.taken[t]++ }})
		if !result.Passed() {
			fmt.Fprintf(v.stderr, "%s fails: play it first\n", file)
		}
	}
	if c.scenarios == 0 {
		return nil, fmt.Errorf("%s: found no scenario of the form %s among %d files; right would be one that names this form",
			strings.Join(v.scenarios, ", "), source.Form.Name, len(files))
	}
	return c, nil
}

// tellCoverage lists what the scenarios take and what they never take, and
// writes the shortest scenario for each of those. It reports whether all were
// taken.
func (v *verifying) tellCoverage(source *declare.Source, c *coverage, report *verify.Report) (all bool, err error) {
	missing, written := 0, 0
	for _, r := range report.Reached {
		if c.missing(r.Transition) {
			missing++
		}
	}
	fmt.Fprintf(v.stdout, "\ntransitions of the lifecycle that the form can take: %d; taken by %s: %d\n",
		len(report.Reached), scenario.Plural(c.scenarios, "scenario"), len(report.Reached)-missing)
	for _, r := range report.Reached {
		times := c.taken[r.Transition]
		if times > 0 {
			fmt.Fprintf(v.stdout, "  %s %s\n", v.style.Paint("32", fmt.Sprintf("%5d ×", times)), r.Transition)
			continue
		}
		fmt.Fprintf(v.stdout, "  %s %s\n", v.style.Paint("33", "  never"), r.Transition)
		if v.out == "" || r.Scenario == nil {
			continue
		}
		name := fmt.Sprintf("%s-%s.scenario.yaml", source.Form.Name, fileName(r.String()))
		if err := v.write(source, name, r.Session); err != nil {
			return false, err
		}
		written++
	}
	beyond := slices.SortedFunc(maps.Keys(c.taken), lifecycle.Transition.Compare)
	beyond = slices.DeleteFunc(beyond, func(t lifecycle.Transition) bool {
		return slices.ContainsFunc(report.Reached, func(r verify.Reached) bool { return r.Transition == t })
	})
	for _, t := range beyond {
		fmt.Fprintf(v.stdout, "  %5d × %s, which no walk takes\n", c.taken[t], t)
	}
	if written > 0 {
		fmt.Fprintf(v.stdout, "\n%s, one for each that was never taken, written to %s\n", scenario.Plural(written, "scenario"), v.out)
	}
	return missing == 0, nil
}

func fileName(text string) string {
	words := strings.FieldsFunc(text, func(r rune) bool { return r < 'a' || r > 'z' })
	return strings.Join(words, "-")
}

// replayed checks the guarantees in recorded sessions of a form.
func (v *verifying) replayed(source *declare.Source) (good bool, err error) {
	files, err := findTraces(v.traces)
	if err != nil {
		return false, err
	}
	good = true
	count := 0
	for _, file := range files {
		record, err := readTrace(file)
		if err != nil {
			return false, err
		}
		if record.Fits(source.Form) != nil {
			continue // another form's
		}
		count++
		found, difference, err := trace.Guarantees(source.Form, record)
		switch {
		case err != nil:
			return false, fmt.Errorf("%s: %w", file, err)
		case difference != nil:
			good = false
			tellDifference(v.stdout, file, difference)
		case len(found) == 0:
			fmt.Fprintf(v.stdout, "%s: %s in %d steps\n", file, v.style.Paint("32", "every guarantee holds"), record.Steps())
		}
		for _, b := range found {
			good = false
			fmt.Fprintf(v.stdout, "%s:%d: %s\n", file, b.Line, v.style.Paint("1;31", b.Error()))
		}
	}
	if count == 0 {
		return false, fmt.Errorf("%s: found no trace of the form %s among %d files; right would be one that was recorded with this form as it is now",
			strings.Join(v.traces, ", "), source.Form.Name, len(files))
	}
	return good, nil
}

// cpuTime is what the program has used of all cores.
func cpuTime() time.Duration {
	var used syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &used); err != nil {
		return time.Nanosecond
	}
	return cmp.Or(time.Duration(used.Utime.Nano()+used.Stime.Nano()), time.Nanosecond)
}
