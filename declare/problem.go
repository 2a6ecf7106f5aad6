package declare

import "leanwicket.dev/internal/document"

// Problem is one mistake in a form file, a schema, a scenario or a bounds file. It has
// File, Line and Column (from 1), what was Found there, and what would be right (Want).
// errors.As finds the first one in an error, and [Problems] all.
type Problem = document.Problem

// Problems are all the mistakes that were found, in the order of the files.
type Problems = document.Problems
