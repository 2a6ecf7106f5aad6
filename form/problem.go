package form

import (
	"strconv"
	"strings"
)

// Problem is one mistake in a form file, a schema, a scenario, a bounds file or the declarations of a
// page. errors.As finds the first one in an error, and [Problems] all.
type Problem struct {
	File         string
	Line, Column int    // from 1
	Found        string // what stands there
	Want         string // what would be right; empty where that is not known
}

func (p Problem) Error() string {
	text := p.File + ":" + strconv.Itoa(p.Line) + ":" + strconv.Itoa(p.Column) + ": found " + p.Found
	if p.Want != "" {
		text += "; right would be " + p.Want
	}
	return text
}

// Problems are all the mistakes that were found, in the order of the files.
type Problems []Problem

func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for k, p := range ps {
		lines[k] = p.Error()
	}
	return strings.Join(lines, "\n")
}

// Unwrap gives each mistake, for errors.As.
func (ps Problems) Unwrap() []error {
	list := make([]error, len(ps))
	for k, p := range ps {
		list[k] = p
	}
	return list
}
