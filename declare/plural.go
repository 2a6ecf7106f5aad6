package declare

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// pluralsOf returns the plural categories of a language, as Unicode CLDR has them. A
// language that CLDR does not know has one category. An empty name stands for English.
func pluralsOf(lang string) form.PluralTable {
	tag, err := language.Parse(lang)
	if err != nil {
		return ""
	}
	if base, _ := tag.Base(); base.String() == "en" {
		return ""
	}
	categories := map[plural.Form]form.PluralCategory{
		plural.Zero: form.PluralZero, plural.One: form.PluralOne, plural.Two: form.PluralTwo,
		plural.Few: form.PluralFew, plural.Many: form.PluralMany,
	}
	table := make([]byte, form.PluralTableSize)
	for k := range table {
		count := k
		if k == form.PluralTableSize-1 {
			count = 1_000_000
		}
		table[k] = byte(categories[plural.Cardinal.MatchPlural(tag, count, 0, 0, 0, 0)])
	}
	return form.PluralTable(table)
}

// wording reads a text, or a map of its plural forms such as {one: …, other: …}.
func (r *reader) wording(n *document.Node, of form.MessageID) (w form.Wording) {
	if n == nil || n.Kind != document.Map {
		w.Other = r.Text(n)
		r.placeHolders(w.Other, n, of)
		return w
	}
	forms := map[string]*string{"other": &w.Other, "zero": &w.Zero, "one": &w.One, "two": &w.Two, "few": &w.Few, "many": &w.Many}
	said := []string{}
	for _, e := range r.Map(n, form.PluralWords()...) {
		*forms[e.Key] = r.Text(e.Value)
		r.placeHolders(*forms[e.Key], e.Value, of)
		said = append(said, e.Key)
	}
	if w.Other == "" {
		r.Wrong(n, "plural forms without other", "other: the text for every number that has no form of its own")
	}
	r.plurals = append(r.plurals, pluralForms{n, said})
	return w
}

// pluralForms are the forms that a text has.
type pluralForms struct {
	at   *document.Node
	said []string
}

var placeHolder = regexp.MustCompile(`\{[a-z]*\}`)

// placeHolders refuses what would be said with its braces. A message can have place holders of its
// own; [form.MessageNone] stands for what a rule says.
func (r *reader) placeHolders(text string, at *document.Node, of form.MessageID) {
	known := append([]string{"{label}", "{other}", "{limit}", "{count}", "{wait}"}, placeHolder.FindAllString(of.English().Other, -1)...)
	for _, found := range placeHolder.FindAllString(text, -1) {
		if !slices.Contains(known, found) {
			r.Wrong(at, "the place holder "+found, strings.Join(known, ", "))
		}
	}
}

// advisePlurals names the plural forms that the language has and a text lacks.
func (r *reader) advisePlurals(report *document.Report) {
	needed := []form.PluralCategory{form.PluralOther, form.PluralOne} // English
	if table := r.declaration.Plurals; table != "" {
		needed = nil
		for k := range table {
			if category := form.PluralCategory(table[k]); !slices.Contains(needed, category) {
				needed = append(needed, category)
			}
		}
	}
	for _, forms := range r.plurals {
		for _, category := range needed {
			if word := category.String(); !slices.Contains(forms.said, word) {
				report.Wrong(forms.at, "plural forms without "+word+", which "+cmp.Or(r.declaration.Lang, "en")+" has: other is said instead", word+": …")
			}
		}
	}
}
