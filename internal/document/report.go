package document

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/form"
)

// Report collects the mistakes of a file.
type Report struct {
	file     string
	problems form.Problems
}

// NewReport begins a report on a file.
func NewReport(file string) *Report { return &Report{file: file} }

// Wrong adds a mistake at a node; nil is the file as a whole.
func (r *Report) Wrong(at *Node, found, want string) {
	if at == nil {
		at = &Node{Line: 1, Column: 1}
	}
	r.problems = append(r.problems, form.Problem{File: r.file, Line: at.Line, Column: at.Column, Found: found, Want: want})
}

// Join adds the problems of another report or error; it reports whether there
// were any.
func (r *Report) Join(err error) bool {
	if problems, ok := err.(form.Problems); ok {
		r.problems = append(r.problems, problems...)
	} else if err != nil {
		r.problems = append(r.problems, form.Problem{File: r.file, Line: 1, Column: 1, Found: err.Error()})
	}
	return err != nil
}

// Count is the number of mistakes so far.
func (r *Report) Count() int { return len(r.problems) }

// Err returns the mistakes as Problems, or nil.
func (r *Report) Err() error {
	if len(r.problems) == 0 {
		return nil
	}
	slices.SortStableFunc(r.problems, func(a, b form.Problem) int {
		if a.File != b.File {
			return 0
		}
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return a.Column - b.Column
	})
	return slices.Compact(r.problems)
}

// Map returns the entries of a mapping. Where keys are given, any other key is
// a mistake and left out.
func (r *Report) Map(n *Node, keys ...string) []Entry {
	if n.Kind != Map {
		want := "a mapping"
		if len(keys) > 0 {
			want += " with " + list(keys)
		}
		r.Wrong(n, Describe(n), want)
		return nil
	}
	if len(keys) == 0 {
		return n.Entries
	}
	var known []Entry
	for _, e := range n.Entries {
		if slices.Contains(keys, e.Key) {
			known = append(known, e)
			continue
		}
		r.Wrong(e.At, "the unknown key "+e.Key, Suggest(e.Key, keys))
	}
	return known
}

// Text returns a text. A number, date or box that was written without quotes is
// the text as it stands.
func (r *Report) Text(n *Node) string {
	if n.Kind == List || n.Kind == Map || n.Kind == Null {
		r.Wrong(n, Describe(n), "a text")
	}
	return n.Text
}

// Word returns one of the given words.
func (r *Report) Word(n *Node, words ...string) string {
	if n.Kind == List || n.Kind == Map || !slices.Contains(words, n.Text) {
		r.Wrong(n, Describe(n), Suggest(n.Text, words))
		return ""
	}
	return n.Text
}

// Bool returns true or false.
func (r *Report) Bool(n *Node) bool {
	if n.Kind != Bool {
		r.Wrong(n, Describe(n), "true or false")
	}
	return n.Kind == Bool && n.Text == "true"
}

// Int returns a whole number of at least low.
func (r *Report) Int(n *Node, low int) int {
	v := 0
	if _, err := fmt.Sscanf(n.Text, "%d", &v); n.Kind != Number || err != nil || fmt.Sprint(v) != n.Text || v < low {
		r.Wrong(n, Describe(n), fmt.Sprintf("a whole number, at least %d", low))
		return low
	}
	return v
}

var duration = regexp.MustCompile(`^([0-9]+(\.[0-9]+)?(ms|s|m|h))+$`)

// Duration returns a time such as 300ms, 4s or 2m. A bare 0 is no time at all.
func (r *Report) Duration(n *Node) time.Duration {
	if n.Kind == Number && n.Text == "0" {
		return 0
	}
	d, err := time.ParseDuration(n.Text)
	if n.Kind != String || err != nil || !duration.MatchString(n.Text) || d > 24*time.Hour {
		r.Wrong(n, Describe(n), "a time such as 300ms, 4s or 2m, at most 24h")
		return 0
	}
	return d
}

// List returns the items of a list.
func (r *Report) List(n *Node) []*Node {
	if n.Kind != List {
		r.Wrong(n, Describe(n), "a list")
	}
	return n.Items
}

// Describe says what a node is, for a mistake.
func Describe(n *Node) string {
	switch n.Kind {
	case Null, List, Map:
		return n.Kind.String()
	default:
		text := n.Text
		if len(text) > 60 {
			text = text[:57] + "…"
		}
		if n.Kind == String {
			return fmt.Sprintf("%q", text)
		}
		return text
	}
}

// Suggest names the words that would be right, the likely one first.
func Suggest(found string, words []string) string {
	best, distance := "", 3
	for _, w := range words {
		if d := editDistance(strings.ToLower(found), strings.ToLower(w)); d < distance {
			best, distance = w, d
		}
	}
	if best != "" {
		return best
	}
	return list(words)
}

func list(words []string) string {
	switch len(words) {
	case 0:
		return "nothing"
	case 1:
		return words[0]
	}
	if len(words) > 24 {
		return strings.Join(words[:24], ", ") + ", …"
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

// editDistance counts the letters to change, add or drop (Levenshtein).
func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			above := row[j+1]
			cost := diagonal
			if a[i] != b[j] {
				cost++
			}
			row[j+1] = min(cost, above+1, row[j]+1)
			diagonal = above
		}
	}
	return row[len(b)]
}
