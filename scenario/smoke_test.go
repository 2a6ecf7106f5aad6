package scenario

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
)

func TestSmoke(t *testing.T) {
	names, _ := filepath.Glob("../harbour/demo/*.scenario.yaml")
	for _, name := range names {
		s, err := File(name)
		if err != nil {
			t.Error(err)
			continue
		}
		var steps []Step
		r := Play(s, Options{Observe: func(s *Step) { steps = append(steps, *s) }})
		fmt.Println("==", s.Name, r.Passed())
		if !r.Passed() || os.Getenv("ALL") != "" {
			WriteSteps(os.Stdout, steps, Style{})
		}
		for _, f := range r.Failures {
			WriteFailure(os.Stdout, f, Style{})
			t.Fail()
		}
	}
}
