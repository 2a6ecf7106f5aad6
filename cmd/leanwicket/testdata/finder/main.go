// Command finder walks the forms of a folder and plays its scenarios, or plays one scenario. It
// prints what is broken, and its exit status is 1 then. With "walks" after the folder it prints how many
// states and transitions each walk has, and its verdict, instead. With "reductions" it says
// whether small walks find the same with and without what is left out of their states. It is much
// smaller than leanwicket, so that it is soon built for a change of the core.
package main

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func main() {
	if len(os.Args) > 2 && os.Args[2] == "walks" {
		err := eachForm(os.Args[1], verify.Options{Attempts: 2, Tries: 2, Loads: 2, Rows: 2}, func(r *verify.Report) bool {
			for _, w := range r.Walks {
				fmt.Println(w.Edited, w.States, w.Transitions, w.Depth, len(w.Breaches), len(w.Waived), w.Unfinished)
			}
			return true
		})
		if err != nil {
			fmt.Println(err)
		}
		return
	}
	if len(os.Args) > 2 && os.Args[2] == "reductions" {
		answer, details, err := reductions(os.Args[1])
		if err != nil {
			answer, details = "at once", err.Error()
		}
		fmt.Println(answer)
		fmt.Println(details)
		if answer == "hidden" || answer == "a false alarm" {
			os.Exit(1)
		}
		return
	}
	broken, err := find(os.Args[1])
	if err != nil {
		broken = append(broken, "at once: "+err.Error())
	}
	if len(broken) > 0 {
		fmt.Println(broken[0])
		os.Exit(1)
	}
}

// eachForm walks each form within its bounds, until told no.
func eachForm(dir string, o verify.Options, tell func(*verify.Report) bool) error {
	forms, err := filepath.Glob(filepath.Join(dir, "*.form.yaml"))
	if err != nil {
		return err
	}
	o.States, o.Memory = 10_000_000, 2<<30
	for _, name := range forms {
		source, err := declare.Open(name)
		if err != nil {
			return err
		}
		report, err := verify.Form(source, o, 1, nil)
		if err != nil {
			return err
		}
		if !tell(report) {
			return nil
		}
	}
	return nil
}

func find(dir string) (broken []string, err error) {
	if strings.HasSuffix(dir, ".scenario.yaml") {
		return play([]string{dir})
	}
	err = eachForm(dir, verify.Options{First: true}, func(r *verify.Report) bool {
		for _, b := range r.Breaches {
			broken = append(broken, "verify, "+b.Guarantee.String())
		}
		if r.Unfinished() != "" {
			broken = append(broken, "verify, not finished")
		}
		return broken == nil
	})
	if err != nil || broken != nil {
		return broken, err
	}
	scenarios, err := filepath.Glob(filepath.Join(dir, "*.scenario.yaml"))
	if err != nil {
		return nil, err
	}
	return play(scenarios)
}

func play(scenarios []string) (broken []string, err error) {
	for _, name := range scenarios {
		s, err := scenario.File(name)
		if err != nil {
			return nil, err
		}
		if result := scenario.Play(s, scenario.Options{}); len(result.Failures) > 0 {
			return []string{"scenarios"}, nil
		}
	}
	return nil, nil
}

// wholeStates are so many that a walk without reductions ends soon.
const wholeStates = 8_000

// reductions takes the planned walks of each form within narrow bounds, with and without reductions. Its
// answer is that of the worst form: all walks find the same, both find something, the audit tells of
// a difference, a false alarm, or something that is hidden.
func reductions(dir string) (answer, details string, err error) {
	forms, err := filepath.Glob(filepath.Join(dir, "*.form.yaml"))
	if err != nil {
		return "", "", err
	}
	answers := []string{"the same", "both find something", "the audit tells it", "a false alarm", "hidden"}
	worst := 0
	for _, name := range forms {
		source, err := declare.Open(name)
		if err != nil {
			return "", "", err
		}
		o := verify.Options{Attempts: 1, Tries: 2, Loads: 1, Rows: 1, States: wholeStates}
		with, without := &found{complete: true}, &found{complete: true}
		for _, reduced := range verify.Walks(source.Form, o, verify.Plan(source.Form, 1)) {
			whole := reduced
			whole.Whole = true
			if err := with.walk(source.Form, reduced); err != nil {
				return "", "", err
			}
			if err := without.walk(source.Form, whole); err != nil {
				return "", "", err
			}
		}
		if here := compared(with, without); here > worst {
			worst, details = here, fmt.Sprintf("%s: %v with reductions, %v without", name, with.broken, without.broken)
		}
	}
	return answers[worst], details, nil
}

// found is what the walks of a form have found.
type found struct {
	broken            []string // guarantees, each once
	complete, differs bool
}

func (f *found) walk(form *form.Form, o verify.Options) error {
	result, err := verify.Walk(form, o)
	if err != nil {
		return err
	}
	for _, b := range result.Breaches {
		f.broken = append(f.broken, b.Guarantee.String())
	}
	slices.Sort(f.broken)
	f.broken = slices.Compact(f.broken)
	f.complete, f.differs = f.complete && result.Complete(), f.differs || result.Differs != ""
	return nil
}

func compared(with, without *found) int {
	finds, wholeFinds := len(with.broken) > 0, len(without.broken) > 0
	switch {
	case with.differs:
		return 2
	case slices.Equal(with.broken, without.broken):
		return 0
	case finds && wholeFinds:
		return 1
	case finds && without.complete:
		return 3
	case wholeFinds && with.complete:
		return 4
	}
	return 0
}
