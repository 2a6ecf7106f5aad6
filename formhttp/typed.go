package formhttp

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/decode"
)

// Typed are the record and the work of a form in a Go type, such as the struct that
// [leanwicket.dev/declare.FromStruct] has made the form of.
type Typed[T any] struct {
	// Load returns the saved record and its version, as Options.Load does. It may be nil.
	Load func(r *http.Request) (record T, version string, err error)
	// Submit does the work, as Options.Submit does. It is called with the submission decoded: with
	// PATCH, what has not changed is zero.
	Submit func(ctx context.Context, values T, s Submission) (Answer, error)
}

// For makes the handler of a form whose record is a T. What T itself refuses to read, as a type with
// UnmarshalText can, is a refusal of the form, and no failure of the server. It returns an error for what
// cannot work, as [New] does.
func For[T any](f *form.Form, t Typed[T], o Options) (*Handler, error) {
	if load := t.Load; load != nil {
		o.Load = func(r *http.Request) (map[string]any, string, error) {
			saved, version, err := load(r)
			if err != nil {
				return nil, "", err
			}
			record, err := decode.Record(f, saved)
			return record, version, err
		}
	}
	if submit := t.Submit; submit != nil {
		o.Submit = func(ctx context.Context, s Submission) (Answer, error) {
			var values T
			if err := s.Decode(&values); err != nil {
				return Answer{}, unread[T](f, s.Body, err)
			}
			return submit(ctx, values, s)
		}
	}
	return New(f, nil, o)
}

// unread is the refusal of a body that its type does not read: each member that the type does not read
// even alone is told at its field.
func unread[T any](f *form.Form, body []byte, whole error) Wrong {
	var record map[string]any
	_ = json.Unmarshal(body, &record) // it was written by AppendBody
	wrong := Wrong{}
	for k := range f.Declared() {
		path := f.Fields[k].Path
		alone, there := only(record, strings.Split(path, "/"))
		if !there {
			continue
		}
		text, err := json.Marshal(alone)
		if err == nil {
			err = Submission{Body: text}.Decode(new(T))
		}
		if err != nil {
			wrong[path] = err.Error()
		}
	}
	if len(wrong) == 0 {
		wrong[""] = whole.Error()
	}
	return wrong
}

// only is a record with nothing but the member at a path, and whether there is one.
func only(record map[string]any, path []string) (alone map[string]any, there bool) {
	name := form.UnescapeToken(path[0])
	member, there := record[name]
	if there && len(path) > 1 {
		below, _ := member.(map[string]any)
		member, there = only(below, path[1:])
	}
	return map[string]any{name: member}, there
}
