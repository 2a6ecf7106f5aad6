package form

import "slices"

// Wording is a text in the plural forms of its language, by the categories of
// Unicode CLDR (https://cldr.unicode.org/index/cldr-spec/plural-rules). Other is
// always there; a form that is empty falls back to it.
type Wording struct {
	Other                     string
	Zero, One, Two, Few, Many string
}

// of is the text of a category.
func (w *Wording) of(category PluralCategory) string {
	text := [...]string{w.Other, w.Zero, w.One, w.Two, w.Few, w.Many}[category]
	if text == "" {
		return w.Other
	}
	return text
}

// PluralCategory is the form that a number takes in a sentence.
type PluralCategory uint8

// The categories of Unicode CLDR.
const (
	PluralOther PluralCategory = iota
	PluralZero
	PluralOne
	PluralTwo
	PluralFew
	PluralMany
)

var pluralWords = [...]string{"other", "zero", "one", "two", "few", "many"}

func (c PluralCategory) String() string { return Word(pluralWords[:], c) }

// PluralWords lists the names of the categories.
func PluralWords() []string { return slices.Clone(pluralWords[:]) }

// PluralTable gives the category of each whole number in one language. It has a byte
// for each of 0 to 99, for each of 100 to 199, which stands for every larger number
// with the same last two digits, and for the multiples of a million. An empty table
// has the categories of English. Package declare makes it from the form's language.
type PluralTable string

// PluralTableSize is the number of bytes of a table that is not empty.
const PluralTableSize = 201

// Of is the category of a whole number.
func (t PluralTable) Of(count int32) PluralCategory {
	if len(t) != PluralTableSize || count < 0 {
		return englishPlural(count)
	}
	k := count
	switch {
	case count < 100:
	case count%1_000_000 == 0:
		k = PluralTableSize - 1
	default:
		k = 100 + count%100
	}
	return min(PluralCategory(t[k]), PluralMany)
}

func englishPlural(count int32) PluralCategory {
	if count == 1 {
		return PluralOne
	}
	return PluralOther
}
