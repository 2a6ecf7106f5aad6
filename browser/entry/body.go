package entry

import (
	"strconv"
	"strings"
)

// decimal is a number of a body, as the browser writes it.
type decimal string

func (d decimal) String() string { return string(d) }

// bodyReader reads a body that the browser has decoded and the script has written
// as parts: n, t, f; d and a number; s and a text; a and how many values follow; o
// and how many pairs of a name and a value follow.
type bodyReader struct {
	parts []string
	depth int
}

// readBody gives nothing for no body.
func readBody(text string) any {
	if text == "" {
		return nil
	}
	r := bodyReader{parts: strings.Split(text, string(partEnd))}
	return r.value()
}

func (r *bodyReader) next() string {
	if len(r.parts) == 0 {
		return "n"
	}
	part := r.parts[0]
	r.parts = r.parts[1:]
	return part
}

func (r *bodyReader) value() any {
	if r.depth++; r.depth > 100 {
		return nil
	}
	defer func() { r.depth-- }()
	part := r.next()
	if part == "" {
		return nil
	}
	rest := part[1:]
	switch part[0] {
	case 't':
		return true
	case 'f':
		return false
	case 'd':
		return decimal(rest)
	case 's':
		return rest
	case 'a':
		count, _ := strconv.Atoi(rest)
		list := []any{}
		for range min(count, len(r.parts)) {
			list = append(list, r.value())
		}
		return list
	case 'o':
		count, _ := strconv.Atoi(rest)
		object := map[string]any{}
		for range min(count, len(r.parts)) {
			name := r.next()
			object[name] = r.value()
		}
		return object
	default:
		return nil
	}
}
