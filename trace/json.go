package trace

import (
	"errors"
	"strconv"
	"strings"
	"unicode/utf16"

	"leanwicket.dev/form"
)

// The lines of a trace are written and read here, by hand: a browser that
// records a trace carries no JSON library.

// object builds one JSON object, member by member.
type object struct{ text []byte }

func (o *object) key(name string) {
	if len(o.text) == 0 {
		o.text = append(o.text, '{')
	} else {
		o.text = append(o.text, ',')
	}
	o.text = append(form.AppendJSONString(o.text, name), ':')
}

// str and num leave out what is zero.
func (o *object) str(name, value string) {
	if value != "" {
		o.key(name)
		o.text = form.AppendJSONString(o.text, value)
	}
}

func (o *object) num(name string, value int64) {
	if value != 0 {
		o.key(name)
		o.text = strconv.AppendInt(o.text, value, 10)
	}
}

func (o *object) raw(name string, value []byte) {
	o.key(name)
	o.text = append(o.text, value...)
}

func (o *object) end() []byte {
	if len(o.text) == 0 {
		return []byte("{}")
	}
	return append(o.text, '}')
}

// array writes texts or objects that are JSON already.
func array(items [][]byte) []byte {
	text := []byte{'['}
	for k, item := range items {
		if k > 0 {
			text = append(text, ',')
		}
		text = append(text, item...)
	}
	return append(text, ']')
}

func quoted(s string) []byte { return form.AppendJSONString(nil, s) }

var errJSON = errors.New("no JSON object of strings, whole numbers, true, lists and objects")

// parser reads what object writes: JSON without fractions.
type parser struct {
	text  string
	depth int
}

func parseObject(line string) (map[string]any, error) {
	p := parser{text: line}
	v, err := p.value()
	object, ok := v.(map[string]any)
	if err != nil || !ok || strings.TrimSpace(p.text) != "" {
		return nil, errJSON
	}
	return object, nil
}

func (p *parser) next(c byte) bool {
	p.text = strings.TrimLeft(p.text, " \t")
	if p.text == "" || p.text[0] != c {
		return false
	}
	p.text = p.text[1:]
	return true
}

func (p *parser) value() (any, error) {
	if p.depth++; p.depth > 20 {
		return nil, errJSON
	}
	defer func() { p.depth-- }()
	switch {
	case p.next('{'):
		object := map[string]any{}
		for first := true; !p.next('}'); first = false {
			if !first && !p.next(',') {
				return nil, errJSON
			}
			if !p.next('"') {
				return nil, errJSON
			}
			key, err := p.str()
			if err != nil || !p.next(':') {
				return nil, errJSON
			}
			if object[key], err = p.value(); err != nil {
				return nil, err
			}
		}
		return object, nil
	case p.next('['):
		list := []any{}
		for first := true; !p.next(']'); first = false {
			if !first && !p.next(',') {
				return nil, errJSON
			}
			item, err := p.value()
			if err != nil {
				return nil, err
			}
			list = append(list, item)
		}
		return list, nil
	case p.next('"'):
		return p.str()
	case strings.HasPrefix(p.text, "true"):
		p.text = p.text[4:]
		return true, nil
	default:
		end := strings.IndexFunc(p.text, func(r rune) bool { return r != '-' && (r < '0' || r > '9') })
		if end < 0 {
			end = len(p.text)
		}
		n, err := strconv.ParseInt(p.text[:end], 10, 64)
		if err != nil {
			return nil, errJSON
		}
		p.text = p.text[end:]
		return n, nil
	}
}

// str reads a string whose opening quote has been read.
func (p *parser) str() (string, error) {
	var out strings.Builder
	for {
		end := strings.IndexAny(p.text, `"\`)
		if end < 0 {
			return "", errJSON
		}
		out.WriteString(p.text[:end])
		quote := p.text[end] == '"'
		p.text = p.text[end+1:]
		if quote {
			return out.String(), nil
		}
		if p.text == "" {
			return "", errJSON
		}
		c := p.text[0]
		p.text = p.text[1:]
		switch {
		case c == 'u':
			r, ok := p.unit()
			if low, more := r, false; ok && utf16.IsSurrogate(r) && strings.HasPrefix(p.text, `\u`) {
				p.text = p.text[2:]
				if low, more = p.unit(); !more {
					return "", errJSON
				}
				r = utf16.DecodeRune(r, low)
			}
			if !ok {
				return "", errJSON
			}
			out.WriteRune(r)
		case strings.IndexByte(`"\/`, c) >= 0:
			out.WriteByte(c)
		case strings.IndexByte("bfnrt", c) >= 0:
			out.WriteByte("\b\f\n\r\t"[strings.IndexByte("bfnrt", c)])
		default:
			return "", errJSON
		}
	}
}

func (p *parser) unit() (rune, bool) {
	if len(p.text) < 4 {
		return 0, false
	}
	n, err := strconv.ParseUint(p.text[:4], 16, 16)
	p.text = p.text[4:]
	return rune(n), err == nil
}
