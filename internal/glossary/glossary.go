// Package glossary says in plain words what a guarantee, hold, issue code,
// state or reply means, and what to do.
package glossary

import (
	_ "embed"
	"slices"
	"strings"
)

//go:embed glossary.md
var text string

// Entry is one word: what it names (guarantee, hold, issue, submission,
// prefill, leave, reply), and its meaning.
type Entry struct {
	Of, Word, Meaning string
}

// Entries lists every entry in the order of the page.
func Entries() []Entry {
	var entries []Entry
	for section := range strings.SplitSeq(text, "\n## ") {
		heading, meaning, _ := strings.Cut(section, "\n")
		of, word, ok := strings.Cut(heading, " ")
		if ok && !strings.HasPrefix(heading, "#") {
			entries = append(entries, Entry{of, word, strings.TrimSpace(meaning)})
		}
	}
	return entries
}

// Find returns the entries of a word; "hold invalid" asks for one of them.
func Find(word string) []Entry {
	return slices.DeleteFunc(Entries(), func(e Entry) bool { return e.Word != word && e.Of+" "+e.Word != word })
}
