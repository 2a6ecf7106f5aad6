package trace

import (
	"errors"
	"strconv"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/jsontext"
)

// The lines of a trace are written here by hand: a browser that records a trace carries no
// JSON library.

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

// str and num leave out a member that is zero.
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

func (o *object) flag(name string, value bool) {
	if value {
		o.raw(name, []byte("true"))
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

// parseObject reads what object writes.
func parseObject(line string) (map[string]any, error) {
	v, err := jsontext.Read(line)
	object, ok := v.(map[string]any)
	if err != nil || !ok {
		return nil, errJSON
	}
	return object, nil
}
