package form

import "strings"

// ValueOf is a decoded JSON value (nil, bool, string, float64, a number that
// prints itself, or a list of them for several choices) as a field holds it;
// null is absent. It reports false where the field cannot hold it; the value is
// then a ValueUnparsed with its text.
func (field *Field) ValueOf(v any) (Value, bool) {
	value, ok := ScalarOf(v)
	if ok && value.Absent() {
		return value, true
	}
	kind := field.Kind
	if kind == KindChoice {
		kind = field.Of
	}
	text, isText := v.(string)
	switch kind {
	case KindText:
		ok = isText
	case KindNumber:
		ok = value.Kind == ValueNumber
	case KindInteger:
		ok = value.Kind == ValueNumber && value.whole()
	case KindBoolean:
		ok = value.Kind == ValueBoolean
	case KindFile:
		value.Kind, ok = ValueFile, isText
	case KindDate, KindTime, KindDateTime:
		value, ok = Value{}, false
		if isText {
			value = parseAs(kind, text, false)
			ok = value.Kind != ValueUnparsed
		}
	case KindChoices:
		value, ok = field.choicesOf(v)
	default:
		ok = false
	}
	if !ok {
		return Value{Kind: ValueUnparsed, Text: textOf(v)}, false
	}
	return value, true
}

// ScalarOf makes a value of a decoded JSON scalar. Null, false and the empty text are absent.
func ScalarOf(v any) (Value, bool) {
	switch v := v.(type) {
	case nil:
		return Value{}, true
	case bool:
		if v {
			return True(), true
		}
		return Value{}, true
	case string:
		return Text(v), true
	case float64:
		return NumberFromFloat(v)
	case int: // of a record that a program has made
		return Number(int64(v), 0), true
	case int64:
		return Number(v, 0), true
	case interface{ String() string }: // json.Number
		return NumberFromText(v.String())
	default:
		return Value{}, false
	}
}

func (field *Field) choicesOf(v any) (Value, bool) {
	list, ok := v.([]any)
	if !ok {
		return Value{}, false
	}
	chosen := make([]string, 0, len(list))
	for _, item := range list {
		value, ok := ScalarOf(item)
		if !ok || value.Absent() || strings.Contains(value.String(), "\n") {
			return Value{}, false
		}
		chosen = append(chosen, value.String())
	}
	texts := make([]string, len(field.Options))
	for k, option := range field.Options {
		texts[k] = option.Value.String()
	}
	return Choices(ordered(chosen, texts)...), true
}

// textOf is what a control shows of a decoded value that its field cannot hold.
func textOf(v any) string {
	if value, ok := ScalarOf(v); ok {
		return value.String()
	}
	switch v := v.(type) {
	case interface{ String() string }:
		return v.String()
	case []any:
		texts := make([]string, len(v))
		for k, item := range v {
			texts[k] = textOf(item)
		}
		return strings.Join(texts, ", ")
	default:
		return "{…}"
	}
}
