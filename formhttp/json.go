package formhttp

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"unicode/utf8"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/replies"
)

// maxDepth is how deep a JSON body may be.
const maxDepth = 32

// maxRows is how many rows a group of a request may have.
const maxRows = 1000

func (h *Handler) readJSON(r *http.Request, s *sent) error {
	s.button = cmp.Or(r.Header.Get(markup.ButtonHeader), r.URL.Query().Get("button"))
	s.patch = r.Method == http.MethodPatch
	s.whole = !s.patch
	text, err := io.ReadAll(r.Body)
	if err != nil {
		return err
	}
	if !utf8.Valid(text) {
		return errors.New("the body is no UTF-8")
	}
	var body map[string]any
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	if err := decoder.Decode(&body); err != nil || body == nil {
		return fmt.Errorf("the body is no JSON object%s", suffix(err))
	}
	if _, err := decoder.Token(); err != io.EOF {
		return fmt.Errorf("the body has %d bytes behind its JSON object", len(text)-int(decoder.InputOffset()))
	}
	if depth(body) > maxDepth {
		return errTooMany
	}
	types := typeCheck{form: h.form}
	types.object(body)
	s.wrong = types.wrong
	s.beyond = appendBeyond(nil, h.form, body, "", "")
	answers := replies.Values(h.form, body)
	if len(answers) > h.o.MaxFields || types.rows > maxRows {
		return errTooMany
	}
	if s.whole { // a group that is not there has no rows
		for _, f := range h.form.Declared() {
			if f.Kind == form.KindRows {
				s.rows[f.Path] = 0
			}
		}
	}
	for _, a := range answers {
		path := h.form.Path(a.Place)
		if h.form.Fields[a.Field].Kind == form.KindRows {
			s.rows[path] = int(a.Value.Integer())
			continue
		}
		s.values = append(s.values, typed{a.Place, path, h.form.Format(a.Value)})
	}
	return nil
}

func suffix(err error) string {
	if err == nil {
		return ""
	}
	return ": " + err.Error()
}

// depth is how deep a decoded value is nested. A text or a number has depth 0.
func depth(v any) (deepest int) {
	switch v := v.(type) {
	case map[string]any:
		for _, member := range v {
			deepest = max(deepest, depth(member))
		}
	case []any:
		for _, item := range v {
			deepest = max(deepest, depth(item))
		}
	default:
		return 0
	}
	return deepest + 1
}

// typeCheck looks for JSON that is of another type than the form's fields are: it could
// only be stored as something that nobody meant.
type typeCheck struct {
	form  *form.Form
	wrong []problemEntry
	rows  int // of the longest list of rows
}

func (c *typeCheck) is(pointer string, v any, want string) {
	c.wrong = append(c.wrong, problemEntry{"#" + pointer, "badInput", c.form.Words(form.MessageWrongType, "found", jsonType(v), "right", want)})
}

// object checks the members of a record that the form has.
func (c *typeCheck) object(body map[string]any) {
	seen := map[string]bool{} // objects on the way that are none, each said once
	for id := range c.form.Declared() {
		field := &c.form.Fields[id]
		if c.form.GroupOf(form.FieldID(id)) >= 0 {
			continue
		}
		v, at, there := c.find(body, "", field.Path, seen)
		switch {
		case !there || v == nil:
		case field.Kind == form.KindRows:
			c.list(at, v, form.FieldID(id))
		default:
			c.value(at, v, field)
		}
	}
}

// list checks the rows of a group.
func (c *typeCheck) list(pointer string, v any, group form.FieldID) {
	list, is := v.([]any)
	if !is {
		c.is(pointer, v, "a list")
		return
	}
	c.rows = max(c.rows, len(list))
	if c.rows > maxRows {
		return
	}
	head := len(c.form.Fields[group].Path + "/*/")
	for row, item := range list {
		at := pointer + "/" + strconv.Itoa(row)
		if c.form.IsList(group) {
			if item != nil {
				c.value(at, item, &c.form.Fields[c.form.Members(group)[0]])
			}
			continue
		}
		object, is := item.(map[string]any)
		if !is {
			c.is(at, item, "an object")
			continue
		}
		seen := map[string]bool{}
		for _, id := range c.form.Members(group) {
			member := &c.form.Fields[id]
			if v, at, there := c.find(object, at, member.Path[head:], seen); there && v != nil {
				c.value(at, v, member)
			}
		}
	}
}

// find follows a path into an object.
func (c *typeCheck) find(object map[string]any, pointer, path string, seen map[string]bool) (v any, at string, there bool) {
	for {
		token, rest, deeper := strings.Cut(path, "/")
		pointer += "/" + token
		v, there = object[form.UnescapeToken(token)]
		if !there || !deeper || v == nil {
			return v, pointer, there
		}
		if object, there = v.(map[string]any); !there {
			if !seen[pointer] {
				seen[pointer] = true
				c.is(pointer, v, "an object")
			}
			return nil, pointer, false
		}
		path = rest
	}
}

func (c *typeCheck) value(pointer string, v any, field *form.Field) {
	kind := field.Kind
	if kind == form.KindChoice {
		kind = field.Of
	}
	var is bool
	var want string
	switch kind {
	case form.KindNumber, form.KindInteger:
		_, is = v.(json.Number)
		if _, typed := v.(string); typed { // it is read as a text that was typed
			is = true
		}
		want = "a number"
	case form.KindBoolean:
		_, is = v.(bool)
		want = "true or false"
	case form.KindChoices:
		var list []any
		list, is = v.([]any)
		want = "a list of options"
		for k, item := range list {
			switch item.(type) {
			case string, json.Number:
			default:
				c.is(pointer+"/"+strconv.Itoa(k), item, "an option")
			}
		}
	default:
		_, is = v.(string)
		want = "a text"
	}
	if !is {
		c.is(pointer, v, want)
	}
}

func jsonType(v any) string {
	switch v.(type) {
	case nil:
		return "null"
	case bool:
		return "true or false"
	case json.Number:
		return "a number"
	case string:
		return "a text"
	case []any:
		return "a list"
	default:
		return "an object"
	}
}
