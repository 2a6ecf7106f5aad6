// Command finder walks the forms of a folder and plays its scenarios, or plays one scenario. It
// prints what is broken, and its exit status is 1 then. With "walks" after the folder it prints how many
// states and transitions each walk has, and its verdict, instead. It is much smaller than
// leanwicket, so that it is soon built for a change of the core.
package main

import (
	"fmt"
	"os"
	"path/filepath"
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
