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
			fmt.Println("at once")
			fmt.Println(err)
			return
		}
		fmt.Println(answer)
		fmt.Println(details)
		if answer >= aFalseAlarm {
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

// formsOf are the forms of a folder.
func formsOf(dir string) (forms []*declare.Source, err error) {
	names, err := filepath.Glob(filepath.Join(dir, "*.form.yaml"))
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		source, err := declare.Open(name)
		if err != nil {
			return nil, err
		}
		forms = append(forms, source)
	}
	return forms, nil
}

// eachForm walks each form within its bounds, until told no.
func eachForm(dir string, o verify.Options, tell func(*verify.Report) bool) error {
	forms, err := formsOf(dir)
	if err != nil {
		return err
	}
	o.States, o.Memory = 10_000_000, 2<<30
	for _, source := range forms {
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

// comparison is what comes of walking a form with and without reductions.
type comparison int

const (
	theSame comparison = iota
	bothFindSomething
	theAuditTellsIt
	aFalseAlarm
	hidden
)

func (c comparison) String() string {
	return [...]string{"the same", "both find something", "the audit tells it", "a false alarm", "hidden"}[c]
}

// reductions takes the planned walks of each form within narrow bounds, with and without reductions. Its
// answer is that of the worst form.
func reductions(dir string) (worst comparison, details string, err error) {
	forms, err := formsOf(dir)
	if err != nil {
		return theSame, "", err
	}
	for _, source := range forms {
		o := verify.Options{Attempts: 1, Tries: 2, Loads: 1, Rows: 1, States: wholeStates}
		var reports [2]*verify.Report
		for k := range reports {
			o.Whole = k == 1
			if reports[k], err = verify.Verify(source.Form, verify.Walks(source.Form, o, verify.Plan(source.Form, 1))); err != nil {
				return theSame, "", err
			}
		}
		if here := compared(reports[0], reports[1]); here > worst {
			worst, details = here, fmt.Sprintf("%s: %v with reductions, %v without", source.File, broken(reports[0]), broken(reports[1]))
		}
	}
	return worst, details, nil
}

func compared(with, without *verify.Report) comparison {
	finds, wholeFinds := len(with.Breaches) > 0, len(without.Breaches) > 0
	switch {
	case slices.ContainsFunc(with.Walks, func(w *verify.Result) bool { return w.Differs != "" }):
		return theAuditTellsIt
	case slices.Equal(broken(with), broken(without)):
		return theSame
	case finds && wholeFinds:
		return bothFindSomething
	case finds && without.Unfinished() == "":
		return aFalseAlarm
	case wholeFinds && with.Unfinished() == "":
		return hidden
	}
	return theSame
}

// broken are the guarantees that a report has found broken.
func broken(r *verify.Report) (names []string) {
	for _, b := range r.Breaches {
		names = append(names, b.Guarantee.String())
	}
	slices.Sort(names)
	return names
}
