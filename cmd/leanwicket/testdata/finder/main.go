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
// answer is that of the worst form: both find the same, both find something, the audit tells of a
// difference, a false alarm, or something that is hidden.
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
		for _, reduced := range verify.Walks(source.Form, o, verify.Plan(source.Form, 1)) {
			whole := reduced
			whole.Whole = true
			with, err := verify.Walk(source.Form, reduced)
			if err != nil {
				return "", "", err
			}
			without, err := verify.Walk(source.Form, whole)
			if err != nil {
				return "", "", err
			}
			if here := compared(with, without); here > worst {
				worst, details = here, fmt.Sprintf("%s, %s: %v with reductions, %v without", name, with.Bounds, guarantees(with), guarantees(without))
			}
		}
	}
	return answers[worst], details, nil
}

func compared(with, without *verify.Result) int {
	a, b := guarantees(with), guarantees(without)
	switch {
	case with.Differs != "":
		return 2
	case len(a) == 0 && len(b) == 0, slices.Equal(a, b) && with.Complete() == without.Complete():
		return 0
	case len(a) > 0 && len(b) > 0:
		return 1
	case len(a) > 0 && without.Complete():
		return 3
	case len(b) > 0 && with.Complete():
		return 4
	}
	return 0
}

func guarantees(r *verify.Result) (names []string) {
	for _, b := range r.Breaches {
		names = append(names, b.Guarantee.String())
	}
	slices.Sort(names)
	return names
}
