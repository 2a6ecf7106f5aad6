package form

import (
	"slices"
	"strings"
)

// HalfTyped stands for what was typed at a control that does not tell it, such as a date without
// its year: its validity says badInput, and its value is empty (HTML, section 4.10.20.1). No field
// can hold it.
const HalfTyped = "\x00"

// Parse reads what was typed at a field. Text that does not parse gives a
// ValueUnparsed: it is kept as typed, with badInput.
func (f *Form) Parse(id FieldID, raw string) Value {
	field := &f.Fields[id]
	if raw == HalfTyped {
		return Value{Kind: ValueUnparsed, Text: raw}
	}
	switch field.Kind {
	case KindChoice:
		return f.parseChoice(id, raw)
	case KindChoices:
		return f.parseChoices(id, raw)
	case KindFile:
		if raw == "" {
			return Value{}
		}
		return Value{Kind: ValueFile, Text: raw}
	default:
		return parseAs(field.Kind, raw, f.comma)
	}
}

func parseAs(kind FieldKind, raw string, comma bool) Value {
	if kind == KindText || kind == KindBeyond {
		return Text(raw)
	}
	s := strings.TrimSpace(raw)
	if s == "" {
		return Value{}
	}
	v, ok := Value{}, false
	switch kind {
	case KindNumber:
		v, ok = parseNumber(ungrouped(s, comma), comma)
	case KindInteger:
		v, ok = parseNumber(ungrouped(s, comma), comma)
		ok = ok && v.whole()
	case KindBoolean:
		switch s {
		case "true":
			v, ok = True(), true
		case "false":
			ok = true
		}
	case KindDate:
		v, ok = ParseDate(s)
	case KindTime:
		v, ok = ParseTime(s)
	case KindDateTime:
		v, ok = ParseDateTime(s)
	}
	if !ok {
		return Value{Kind: ValueUnparsed, Text: raw}
	}
	return v
}

// ungrouped is a number without the signs between its thousands: spaces or apostrophes, and points
// where the decimal sign is a comma, or commas where it is a point. Where such a sign stands elsewhere
// the text stays as it is, and is no number.
func ungrouped(s string, comma bool) string {
	sign, decimal := ",", "."
	if comma {
		sign, decimal = ".", ","
	}
	whole, fraction, hasFraction := strings.Cut(s, decimal)
	for _, other := range [...]string{" ", "\u00a0", "\u202f", "\u2009", "'", "’"} {
		if strings.Contains(whole, other) {
			sign = other
		}
	}
	head, rest, grouped := strings.Cut(whole, sign)
	if digits := strings.TrimLeft(head, "+-"); !grouped || len(digits) == 0 || len(digits) > 3 || len(rest)%(3+len(sign)) != 3 {
		return s
	}
	for group := ""; grouped; head += group {
		group, rest, grouped = strings.Cut(rest, sign)
		if len(group) != 3 || strings.Trim(group, "0123456789") != "" {
			return s
		}
	}
	if hasFraction {
		head += decimal + fraction
	}
	return head
}

func (f *Form) parseChoice(id FieldID, raw string) Value {
	if raw == "" {
		return Value{}
	}
	for k, text := range f.optionTexts[id] {
		if text == raw || strings.Contains(text, "\n") && text == strings.ReplaceAll(raw, "\r\n", "\n") { // as a browser sends it

			return f.Fields[id].Options[k].Value
		}
	}
	return parseAs(f.Fields[id].Of, raw, f.comma)
}

func (f *Form) parseChoices(id FieldID, raw string) Value {
	texts := f.optionTexts[id]
	if inOrder(raw, texts) {
		return Value{Kind: ValueChoices, Text: raw}
	}
	return Choices(ordered(strings.Split(raw, "\n"), texts)...)
}

// ordered lists chosen options once each, in the declared order; what is no
// option follows, as it was given.
func ordered(chosen, texts []string) []string {
	list := make([]string, 0, len(chosen))
	for _, text := range texts {
		if slices.Contains(chosen, text) {
			list = append(list, text)
		}
	}
	for _, text := range chosen {
		if text != "" && !slices.Contains(list, text) {
			list = append(list, text)
		}
	}
	return list
}

// inOrder reports whether the lines of raw are options, each once, in the
// declared order: the usual case, which then needs no allocation.
func inOrder(raw string, texts []string) bool {
	for raw != "" {
		line, rest, _ := strings.Cut(raw, "\n")
		k := slices.Index(texts, line)
		if k < 0 {
			return false
		}
		raw, texts = rest, texts[k+1:]
		if raw == "" {
			return true
		}
	}
	return false
}

// Format writes a value as it would be typed at this form: with the decimal
// sign of its language.
func (f *Form) Format(v Value) string {
	s := v.String()
	if f.comma && v.Kind == ValueNumber {
		return strings.Replace(s, ".", ",", 1)
	}
	return s
}
