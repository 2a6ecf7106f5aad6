// Command finder walks the forms of a folder and plays its scenarios. It prints what is
// broken, and its exit status is 1 then. It is much smaller than leanwicket, so that it is
// soon built for a change of the core.
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
	broken, err := find(os.Args[1])
	if err != nil {
		broken = append(broken, "at once: "+err.Error())
	}
	if len(broken) > 0 {
		fmt.Println(broken[0])
		os.Exit(1)
	}
}

func find(dir string) (broken []string, err error) {
	forms, err := filepath.Glob(filepath.Join(dir, "*.form.yaml"))
	if err != nil {
		return nil, err
	}
	for _, name := range forms {
		source, err := declare.Open(name)
		if err != nil {
			return nil, err
		}
		name = strings.TrimSuffix(name, ".form.yaml") + ".bounds.yaml"
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		walks, err := verify.Bounds(source, name, data, verify.Options{First: true, States: 10_000_000, Memory: 2 << 30})
		if err != nil {
			return nil, err
		}
		report, err := verify.Verify(source.Form, walks)
		if err != nil {
			return nil, err
		}
		for _, b := range report.Breaches {
			broken = append(broken, "verify, "+b.Guarantee.String())
		}
		if report.Unfinished() != "" {
			broken = append(broken, "verify, not finished")
		}
		if len(broken) > 0 {
			return broken, nil
		}
	}
	scenarios, err := filepath.Glob(filepath.Join(dir, "*.scenario.yaml"))
	if err != nil {
		return nil, err
	}
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
