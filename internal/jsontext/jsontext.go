// Package jsontext reads JSON texts (RFC 8259) where encoding/json cannot be had: a browser
// that loads the core carries no JSON library. It reads what encoding/json reads, and keeps
// each number as it is written.
package jsontext

import (
	"errors"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// MaxDepth is how deep lists and objects may be nested. MaxValues is how many values a text
// may hold: 4 MB of small objects would take more memory than the core has in a browser.
const (
	MaxDepth  = 1000
	MaxValues = 200_000
)

// Number is a number as it is written.
type Number string

func (n Number) String() string { return string(n) }

var errJSON = errors.New("found no JSON text in UTF-8")

// Read reads one value: nil, bool, [Number], string, []any or map[string]any. Of members with
// the same name the last one counts.
func Read(text string) (any, error) {
	r := reader{text: text}
	v := r.value(0)
	if r.space(); r.at < len(text) {
		r.bad = true
	}
	if r.bad || !utf8.ValidString(text) {
		return nil, errJSON
	}
	return v, nil
}

// reader stays where the text is no JSON: after bad nothing moves on.
type reader struct {
	text       string
	at, values int
	bad        bool
}

func (r *reader) space() {
	for r.at < len(r.text) && strings.IndexByte(" \t\r\n", r.text[r.at]) >= 0 {
		r.at++
	}
}

// next takes a byte if it is the next one after white space.
func (r *reader) next(c byte) bool {
	r.space()
	if r.bad || r.at == len(r.text) || r.text[r.at] != c {
		return false
	}
	r.at++
	return true
}

// want takes a byte that has to be there.
func (r *reader) want(c byte) { r.bad = !r.next(c) || r.bad }

func (r *reader) value(depth int) any {
	r.values++
	r.bad = r.bad || r.values > MaxValues
	switch {
	case r.next('{'):
		object := map[string]any{}
		for first := true; !r.bad && !r.next('}'); first = false {
			if !first {
				r.want(',')
			}
			r.want('"')
			name := r.str()
			r.want(':')
			object[name] = r.below(depth)
		}
		return object
	case r.next('['):
		list := []any{}
		for first := true; !r.bad && !r.next(']'); first = false {
			if !first {
				r.want(',')
			}
			list = append(list, r.below(depth))
		}
		return list
	case r.next('"'):
		return r.str()
	}
	for _, word := range [...]string{"true", "false", "null"} {
		if strings.HasPrefix(r.text[r.at:], word) {
			r.at += len(word)
			if word == "null" {
				return nil
			}
			return word == "true"
		}
	}
	return r.number()
}

// below reads a value within another one.
func (r *reader) below(depth int) any {
	if r.bad || depth == MaxDepth-1 && r.opens() {
		r.bad = true
		return nil
	}
	return r.value(depth + 1)
}

func (r *reader) opens() bool {
	r.space()
	return r.at < len(r.text) && (r.text[r.at] == '[' || r.text[r.at] == '{')
}

func (r *reader) digits() {
	from := r.at
	for r.at < len(r.text) && r.text[r.at] >= '0' && r.text[r.at] <= '9' {
		r.at++
	}
	r.bad = r.bad || r.at == from
}

// has takes one of some bytes if it comes next, without white space.
func (r *reader) has(of string) bool {
	if r.at == len(r.text) || strings.IndexByte(of, r.text[r.at]) < 0 {
		return false
	}
	r.at++
	return true
}

func (r *reader) number() any {
	from := r.at
	r.has("-")
	if !r.has("0") {
		r.digits()
	}
	if r.has(".") {
		r.digits()
	}
	if r.has("eE") {
		r.has("+-")
		r.digits()
	}
	return Number(r.text[from:r.at])
}

// str reads a text whose opening quote has been read.
func (r *reader) str() string {
	from, out := r.at, []byte(nil)
	for !r.bad && r.at < len(r.text) {
		c := r.text[r.at]
		switch {
		case c == '"':
			text := r.text[from:r.at]
			r.at++
			if out == nil {
				return text
			}
			return string(append(out, text...))
		case c == '\\':
			out = append(out, r.text[from:r.at]...)
			r.at++
			out = r.escaped(out)
			from = r.at
		case c < ' ':
			r.bad = true
		default:
			r.at++
		}
	}
	r.bad = true
	return ""
}

// escaped reads what stands behind a backslash.
func (r *reader) escaped(out []byte) []byte {
	if r.has("u") {
		unit := r.unit()
		if utf16.IsSurrogate(unit) && strings.HasPrefix(r.text[r.at:], `\u`) {
			before := r.at
			r.at += 2
			if pair := utf16.DecodeRune(unit, r.unit()); pair != utf8.RuneError || r.bad {
				return utf8.AppendRune(out, pair)
			}
			r.at = before // the second one stands for itself
		}
		return utf8.AppendRune(out, unit) // half of a pair is U+FFFD
	}
	const names, bytes = `"\/bfnrt`, "\"\\/\b\f\n\r\t"
	if r.at < len(r.text) && strings.IndexByte(names, r.text[r.at]) >= 0 {
		k := strings.IndexByte(names, r.text[r.at])
		r.at++
		return append(out, bytes[k])
	}
	r.bad = true
	return out
}

// unit reads the four digits of a UTF-16 code unit.
func (r *reader) unit() (unit rune) {
	for range 4 {
		k := -1
		if r.at < len(r.text) {
			k = strings.IndexByte("0123456789abcdefABCDEF", r.text[r.at])
		}
		if k < 0 {
			r.bad = true
			return 0
		}
		if k > 15 {
			k -= 6
		}
		unit = unit<<4 | rune(k)
		r.at++
	}
	return unit
}

// Names are the names of an object's members, in order.
func Names(object map[string]any) []string {
	names := make([]string, 0, len(object))
	for name := range object {
		names = append(names, name)
	}
	return InOrder(names)
}

// InOrder sorts names. The library's sort is a hundredth of what a browser loads.
func InOrder(names []string) []string {
	if len(names) < 2 {
		return names
	}
	a, b := InOrder(names[:len(names)/2]), InOrder(names[len(names)/2:])
	all := make([]string, 0, len(names))
	for len(a) > 0 && len(b) > 0 {
		if a[0] <= b[0] {
			all, a = append(all, a[0]), a[1:]
		} else {
			all, b = append(all, b[0]), b[1:]
		}
	}
	return append(append(all, a...), b...)
}
