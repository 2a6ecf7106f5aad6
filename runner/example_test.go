package runner_test

import (
	"fmt"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
)

// A runner carries out what a session asks for. Without a transport no request has an
// answer: the attempt ends unsettled when its time is up. Package overhttp makes the
// requests with an http.Client.
func Example() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	r := runner.New(source.Form, runner.Options{
		Observe: func(step lifecycle.Step) {
			for _, effect := range step.Effects {
				if effect.Kind == lifecycle.EffectSay {
					fmt.Println(source.Form.Text(effect.Message))
				}
			}
		},
	})
	defer r.Close()
	if err := r.Apply(lifecycle.Submit("")); err != nil {
		fmt.Println(err)
	}
	r.Read(func(s *lifecycle.Session) { fmt.Println(s.Submission(), s.Holds("").Words()) })
	// Output:
	// Not sent: 2 answers need your attention.
	// idle [invalid]
}
