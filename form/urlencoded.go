package form

import "strings"

// AppendForm writes answers as the body of a form that a browser would send
// (application/x-www-form-urlencoded; URL Standard, section 5). The names are paths, and the values stand in
// canonical form: a number with a point, a date as 2031-05-02. Each of several choices is a pair of its
// own, a box that is not ticked is left out, and so is what is absent. Of rows there is first how many they are.
func (f *Form) AppendForm(to []byte, answers []Answer) []byte {
	for _, a := range answers {
		path := f.Path(a.Place)
		switch field := &f.Fields[a.Field]; {
		case a.Value.Absent(), field.Kind == KindBoolean && a.Value.String() != "true":
		case a.Value.Kind == ValueChoices:
			for _, option := range a.Value.Options() {
				to = AppendPair(to, path, option)
			}
		default:
			to = AppendPair(to, path, a.Value.String())
		}
	}
	return to
}

// AppendPair writes one more name and its value to such a body. The end of a line is CRLF.
func AppendPair(to []byte, name, value string) []byte {
	if len(to) > 0 {
		to = append(to, '&')
	}
	return appendEncoded(append(appendEncoded(to, name), '='), strings.ReplaceAll(value, "\n", "\r\n"))
}

// appendEncoded writes a text as a name or a value of such a body. A space is a plus.
func appendEncoded(to []byte, text string) []byte {
	const digits = "0123456789ABCDEF"
	for k := range len(text) {
		switch c := text[k]; {
		case c == ' ':
			to = append(to, '+')
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c >= '0' && c <= '9', strings.IndexByte("*-._", c) >= 0:
			to = append(to, c)
		default:
			to = append(to, '%', digits[c>>4], digits[c&15])
		}
	}
	return to
}
