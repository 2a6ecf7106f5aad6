package scenario

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// Style is how a table is written.
type Style struct {
	Color bool
	Width int // columns of the terminal; 0 means 110
}

// Paint writes a text in a colour, given as ANSI attributes, where there are colours.
func (s Style) Paint(code, text string) string {
	if !s.Color || strings.TrimSpace(text) == "" {
		return text
	}
	return "\x1b[" + code + "m" + text + "\x1b[0m"
}

// The colours of a table, as ANSI attributes.
const (
	dim   = "2"
	bold  = "1"
	red   = "1;31"
	green = "32"
	amber = "33"
	cyan  = "36"
)

// WriteSteps writes a session as a table: when, who, what happened, and what
// the form then shows.
func WriteSteps(w io.Writer, steps []Step, style Style) {
	width := style.Width
	if width == 0 {
		width = 110
	}
	at, who, what := len("time"), len("applicant"), len("what happened")
	for k := range steps {
		at, who = max(at, len(clock(steps[k].At))), max(who, len(steps[k].Who))
		what = max(what, utf8.RuneCountInString(happened(&steps[k])))
	}
	what = min(what, 46, max(24, (width-at-who)/2-4))
	rest := max(24, width-at-who-what-6)
	limits := [...]int{at, who, what, rest}
	row := func(paint func(string) string, columns ...string) {
		var lines [len(limits)][]string
		height := 0
		for k, limit := range limits {
			lines[k] = wrap(columns[k], limit)
			height = max(height, len(lines[k]))
		}
		lead := ""
		for y := range height {
			left, last := "", ""
			for k, limit := range limits {
				text := ""
				if y < len(lines[k]) {
					text = lines[k][y]
				}
				pad := strings.Repeat(" ", max(0, limit-utf8.RuneCountInString(text)))
				switch k {
				case 0:
					left += pad + text + "  "
				case len(limits) - 1:
					last = text
				default:
					left += text + pad + "  "
				}
			}
			if !strings.HasPrefix(last, " ") { // not the second line of a wrapped one
				lead = last
			}
			if last == "" {
				left = strings.TrimRight(left, " ")
			}
			fmt.Fprintln(w, paint(left)+style.Paint(colorOf(lead), last))
		}
	}
	row(func(s string) string { return style.Paint(bold, s) }, "time", "who", "what happened", "what the form then shows")
	for k := range steps {
		step := &steps[k]
		paint := func(s string) string { return s }
		if step.Outcome != "taken" {
			paint = func(s string) string { return style.Paint(dim, s) }
		}
		row(paint, clock(step.At), step.Who, happened(step), strings.Join(shown(step), "\n"))
	}
}

// colorOf marks the lines that matter most: what became of a submission, what
// is wrong, what was said.
func colorOf(line string) string {
	for _, lead := range []struct{ prefix, color string }{
		{"submission:", bold}, {"sends ", bold}, {"what the form", bold}, {"issue at ", red}, {"issue gone", green}, {"says: ", cyan}, {"asks ", amber}, {"leave: ", amber},
	} {
		if strings.HasPrefix(line, lead.prefix) {
			return lead.color
		}
	}
	return dim
}

func happened(s *Step) string {
	if s.Outcome == "taken" {
		return s.What
	}
	return s.What + " — " + s.Outcome + ": " + s.Reason
}

// shown lists what a step changed, what matters most first.
func shown(s *Step) []string {
	var lines []string
	add := func(text string) { lines = append(lines, text) }
	if s.Submission != "" {
		add("submission: " + s.Submission)
	}
	if s.Sent != nil {
		text := "sends attempt " + itoa(s.Sent.Attempt) + ", try " + itoa(s.Sent.Try) + " with " + s.Sent.Button
		if s.Sent.Version != "" {
			text += ", version " + s.Sent.Version
		}
		add(text)
	}
	if s.Said != "" {
		add("says: " + s.Said)
	}
	for _, issue := range s.Issues {
		mark := "issue at "
		if issue.Gone {
			mark = "issue gone from "
		}
		add(mark + quoted(issue.Path) + ": " + issue.Text)
	}
	for _, v := range s.Values {
		text := v.Path + " = " + v.Value
		switch {
		case v.Contested:
			text += " (contested)"
		case v.Value == "not asked" || v.Value == "gone with its row" || strings.HasSuffix(v.Value, " row") || strings.HasSuffix(v.Value, " rows"):
			text = v.Path + ": " + v.Value
		}
		add(text)
	}
	if s.Prefill != "" {
		add("prefill: " + s.Prefill)
	}
	switch {
	case s.Holds == nil:
	case len(s.Holds) == 0:
		add("holds: none, it can be sent")
	default:
		add("holds: " + strings.Join(s.Holds, ", "))
	}
	if s.Focus != "" {
		add("focus: " + s.Focus)
	}
	if s.Asks != "" {
		add("asks before leaving: " + s.Asks)
	}
	if s.Leave != "" {
		text := "leave: " + s.Leave
		if s.Destination != "" {
			text += ", to " + s.Destination
		}
		add(text)
	}
	if s.UnloadGuard != nil {
		add(map[bool]string{true: "unload guard: on", false: "unload guard: off"}[*s.UnloadGuard])
	}
	return lines
}

// clock writes a time of the session.
func clock(d time.Duration) string {
	if d < time.Second {
		return strconv.FormatInt(d.Milliseconds(), 10) + " ms"
	}
	return strconv.FormatFloat(d.Seconds(), 'f', -1, 64) + " s"
}

// wrap breaks a text into lines of at most a width, at spaces where it can.
func wrap(text string, width int) []string {
	var lines []string
	for paragraph := range strings.SplitSeq(text, "\n") {
		line := ""
		for word := range strings.SplitSeq(paragraph, " ") {
			for utf8.RuneCountInString(word) > width {
				cut := width
				runes := []rune(word)
				if line != "" {
					lines, line = append(lines, line), ""
				}
				lines = append(lines, string(runes[:cut]))
				word = string(runes[cut:])
			}
			switch {
			case line == "":
				line = word
			case utf8.RuneCountInString(line)+1+utf8.RuneCountInString(word) <= width:
				line += " " + word
			default:
				lines = append(lines, line)
				line = "  " + word
			}
		}
		lines = append(lines, line)
	}
	return lines
}

// WriteFailure writes what did not hold, with its place.
func WriteFailure(w io.Writer, f Failure, style Style) {
	place := fmt.Sprintf("%s:%d:%d", f.File, f.Line, f.Column)
	fmt.Fprintf(w, "%s %s at %s\n", style.Paint(red, "FAILED"), style.Paint(bold, place), clock(f.At))
	fmt.Fprintf(w, "  expected  %s\n", f.Expected)
	fmt.Fprintf(w, "  was       %s\n", f.Found)
}

func (f Failure) String() string {
	return fmt.Sprintf("%s:%d:%d: at %s expected %s; was %s", f.File, f.Line, f.Column, clock(f.At), f.Expected, f.Found)
}
