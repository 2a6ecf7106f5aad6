package scenario

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"
)

// Record plays a scenario and keeps every step; trace, unless it is nil, gets the
// record of the session.
func Record(s *Scenario, trace io.Writer) (*Result, []Step) {
	var steps []Step
	result := Play(s, Options{Trace: trace, Observe: func(step *Step) { steps = append(steps, *step) }})
	return result, steps
}

// WriteResult writes a session as a table, then what failed.
func WriteResult(w io.Writer, r *Result, steps []Step, style Style) {
	fmt.Fprintf(w, "%s\n%s, form %s\n\n", style.Paint(bold, r.Scenario.Name), r.Scenario.File, r.Scenario.Form().Name)
	WriteSteps(w, steps, style)
	fmt.Fprintln(w)
	for _, f := range r.Failures {
		WriteFailure(w, f, style)
	}
	if r.Passed() {
		fmt.Fprintln(w, style.Paint(green, "passed"))
	} else {
		fmt.Fprintln(w, style.Paint(red, Plural(len(r.Failures), "failure")))
	}
}

// WriteStory writes in a few lines what a scenario showed. They tell what the form said,
// what was sent, and how the session ended.
func WriteStory(w io.Writer, number int, r *Result, steps []Step, style Style) {
	verdict := style.Paint(green, "passed")
	if !r.Passed() {
		verdict = style.Paint(red, "FAILED")
	}
	fmt.Fprintf(w, "%2d  %s  %s\n", number, verdict, style.Paint(bold, r.Scenario.Name))
	s := story{}
	for k := range steps {
		s.step(&steps[k])
	}
	told := func(lead, text, color string) {
		for k, line := range wrap(text, 108) {
			if k > 0 {
				lead = "      "
			}
			fmt.Fprintf(w, "      %s%s\n", lead, style.Paint(color, line))
		}
	}
	told("", r.Scenario.Form().Title+": "+strings.Join(s.summary(), ", "), dim)
	for _, said := range s.said {
		told("says  ", said, cyan)
	}
	for _, f := range r.Failures {
		WriteFailure(w, f, style)
	}
}

// story is what is told of a session.
type story struct {
	edits, ignored, turnedAway, sends, shown int
	attempts                                 map[int]bool
	loads                                    []string
	submission, left, asked                  string
	said                                     []string
}

func (s *story) step(step *Step) {
	switch {
	case step.Outcome == "ignored":
		s.ignored++
	case step.Outcome == "turned away":
		s.turnedAway++
	case step.Who == "applicant" && strings.HasPrefix(step.What, "types "):
		s.edits++
	}
	if step.Sent != nil {
		if s.attempts == nil {
			s.attempts = map[int]bool{}
		}
		s.sends++
		s.attempts[step.Sent.Attempt] = true
	}
	for _, issue := range step.Issues {
		if !issue.Gone {
			s.shown++
		}
	}
	if step.Prefill == "ready" || step.Prefill == "failed" {
		s.loads = append(s.loads, map[string]string{"ready": "arrives", "failed": "fails"}[step.Prefill])
	}
	if step.Submission != "" {
		s.submission = step.Submission
	}
	if step.Asks != "" {
		s.asked = step.Asks
	}
	if step.Leave == "gone" {
		s.left = step.Destination
	}
	if step.Said != "" {
		s.said = append(s.said, step.Said)
	}
}

func (s *story) summary() []string {
	parts := []string{Plural(s.edits, "edit")}
	if len(s.loads) > 0 {
		parts = append(parts, "the load "+strings.Join(s.loads, ", then "))
	}
	add := func(n int, what string) {
		if n > 0 {
			parts = append(parts, Plural(n, what))
		}
	}
	add(s.turnedAway, "edit turned away")
	add(s.shown, "issue shown")
	if s.sends > 0 {
		parts = append(parts, Plural(s.sends, "send")+" under "+Plural(len(s.attempts), "key"))
	}
	add(s.ignored, "click ignored")
	if s.submission != "" {
		parts = append(parts, "ends "+s.submission)
	}
	if s.asked != "" {
		parts = append(parts, "asks about "+s.asked+" work")
	}
	if s.left != "" {
		parts = append(parts, "leaves to "+s.left)
	}
	return parts
}

// Counts sums up what was played.
type Counts struct {
	Scenarios int `json:"scenarios"`
	Passed    int `json:"passed"`
	Failed    int `json:"failed"`
	Events    int `json:"events"`
	Expected  int `json:"expectations"`
}

// Add counts one result.
func (c *Counts) Add(r *Result) {
	c.Scenarios++
	c.Events += r.Events
	c.Expected += r.Expected
	if r.Passed() {
		c.Passed++
	} else {
		c.Failed++
	}
}

func (c Counts) String() string {
	return fmt.Sprintf("%s, %s, %s: %d passed, %d failed", Plural(c.Scenarios, "scenario"), Plural(c.Events, "event"), Plural(c.Expected, "expectation"), c.Passed, c.Failed)
}

// MarshalJSON writes a failure as play --json does.
func (f Failure) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		File     string `json:"file"`
		Line     int    `json:"line"`
		Column   int    `json:"column"`
		At       int64  `json:"at"`
		Failed   string `json:"failed"`
		Expected string `json:"expected"`
		Found    string `json:"found"`
	}{f.File, f.Line, f.Column, f.At.Milliseconds(), f.Kind.String(), f.Expected, f.Found})
}
