// Package sample finds values that a field accepts, and a way to fill a form.
//
//	edits, complete := sample.Fill(source.Form)
//
// The verifier, first scenarios and the trials of somebody's page choose their values with it.
package sample

import (
	"regexp/syntax"
	"slices"
	"strings"

	"leanwicket.dev/form"
)

// One finds a text that a field accepts, as typed. It reports false where it
// finds none: its rules contradict each other, or its pattern is too hard.
func One(form *form.Form, id form.FieldID) (string, bool) {
	if found := Some(form, id, 1); len(found) > 0 {
		return found[0], true
	}
	return "", false
}

// Some finds at most so many texts with different values that a field
// accepts.
func Some(form *form.Form, id form.FieldID, most int) []string {
	var found []string
	for _, raw := range candidates(&form.Fields[id]) {
		v := form.Parse(id, raw)
		if text := form.Format(v); len(found) < most && !v.Absent() && form.Accepts(id, v) && !slices.Contains(found, text) {
			found = append(found, text)
		}
	}
	return found
}

func candidates(f *form.Field) []string {
	list := append([]string(nil), f.Samples...)
	switch f.Kind {
	case form.KindBoolean:
		return append(list, "true")
	case form.KindDate:
		return append(list, "2031-05-02", "2031-05-09", "2031-05-16")
	case form.KindTime:
		return append(list, "09:30", "10:45", "14:15")
	case form.KindDateTime:
		return append(list, "2031-05-02T09:30", "2031-05-09T10:45", "2031-05-16T14:15")
	case form.KindFile:
		return append(list, "papers.pdf", "letter.pdf")
	case form.KindChoice, form.KindChoices:
		all := ""
		for _, option := range f.Options {
			list = append(list, option.Value.String())
			all = strings.TrimPrefix(all+"\n"+option.Value.String(), "\n")
			list = append(list, all)
		}
		return list
	case form.KindNumber, form.KindInteger:
		return append(list, numbers(f)...)
	default:
		return append(list, texts(f)...)
	}
}

// numbers tries each bound, and the multiples of a step beside it.
func numbers(f *form.Field) []string {
	list := []string{"1", "2", "10", "0", "0.5", "100", "1000"}
	steps := []form.Value{form.Number(1, 0), form.Number(1, -1), form.Number(1, -3)}
	for _, c := range f.Constraints {
		if c.Op == form.OpMultipleOf {
			steps = append(steps, c.Value)
			list = append(list, c.Value.String())
		}
	}
	for _, c := range f.Constraints {
		if c.Value.Kind != form.ValueNumber || c.Op == form.OpMultipleOf {
			continue
		}
		list = append(list, c.Value.String())
		for _, step := range steps {
			for _, near := range form.Neighbours(c.Value, step) {
				list = append(list, near.String())
			}
		}
	}
	return list
}

func texts(f *form.Field) []string {
	list := []string{"Heron", "quay@saltmarsh.example", "https://saltmarsh.example/", "pier@saltmarsh.example", "https://saltmarsh.example/tides"}
	longest, shortest := int64(1000), int64(0)
	for _, c := range f.Constraints {
		switch c.Op {
		case form.OpPattern:
			translated, _ := form.TranslatePattern(c.Text) // it was compiled when the form was declared
			if parsed, err := syntax.Parse(translated, syntax.Perl); err == nil {
				for repeat := range 3 {
					list = append(list, example(parsed.Simplify(), repeat))
				}
			}
		case form.OpEqual:
			list = append(list, c.Value.String())
		case form.OpMaxLength:
			longest = min(longest, c.Value.Integer())
		case form.OpMinLength:
			shortest = max(shortest, c.Value.Integer())
		}
	}
	for k := range list {
		text := list[k]
		for int64(len(text)) < min(shortest, 10_000) {
			text += "n"
		}
		list = append(list, text, text[:min(int64(len(text)), longest)])
	}
	return list
}

// example writes a text that a pattern finds. repeat is how often what may be left out is written;
// another one gives another text where the pattern allows that.
func example(re *syntax.Regexp, repeat int) string {
	switch re.Op {
	case syntax.OpLiteral:
		return string(re.Rune)
	case syntax.OpCharClass:
		return string(classRune(re.Rune, repeat))
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return "a"
	case syntax.OpCapture, syntax.OpPlus:
		return example(re.Sub[0], repeat)
	case syntax.OpStar:
		return strings.Repeat(example(re.Sub[0], repeat), repeat)
	case syntax.OpQuest:
		return strings.Repeat(example(re.Sub[0], repeat), min(repeat, 1))
	case syntax.OpRepeat:
		return strings.Repeat(example(re.Sub[0], repeat), re.Min)
	case syntax.OpConcat:
		text := ""
		for _, sub := range re.Sub {
			text += example(sub, repeat)
		}
		return text
	case syntax.OpAlternate:
		return example(re.Sub[min(repeat, len(re.Sub)-1)], repeat)
	default:
		return ""
	}
}

// classRune prefers a letter or digit of a class of ranges: for each repeat another one, where the
// class has it.
func classRune(ranges []rune, repeat int) rune {
	for _, wanted := range [...]string{"aA1", "bB2", "cC3"}[repeat] + "aA1" {
		for k := 0; k+1 < len(ranges); k += 2 {
			if ranges[k] <= wanted && wanted <= ranges[k+1] {
				return wanted
			}
		}
	}
	if len(ranges) == 0 {
		return 'a'
	}
	return ranges[0]
}
