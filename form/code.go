package form

import "slices"

// Code names what is wrong, in HTML's constraint-validation names.
type Code uint8

// The codes of rules, in the order in which a field's issues are listed.
const (
	CodeValueMissing Code = iota
	CodeBadInput
	CodeTypeMismatch
	CodePatternMismatch
	CodeTooShort
	CodeTooLong
	CodeRangeUnderflow
	CodeRangeOverflow
	CodeStepMismatch
	CodeCustomError
	codeCount
)

var codeWords = [codeCount]string{
	"valueMissing", "badInput", "typeMismatch", "patternMismatch", "tooShort", "tooLong",
	"rangeUnderflow", "rangeOverflow", "stepMismatch", "customError",
}

func (c Code) String() string { return Word(codeWords[:], c) }

// CodeWords lists the codes of rules.
func CodeWords() []string { return slices.Clone(codeWords[:]) }

// Codes is a set of codes.
type Codes uint16

// Has reports whether a code is in the set.
func (cs Codes) Has(c Code) bool { return cs&(1<<c) != 0 }

// Word returns the word for a constant, and "?" for one that does not exist.
func Word[T ~uint8](words []string, v T) string {
	if int(v) < len(words) {
		return words[v]
	}
	return "?"
}
