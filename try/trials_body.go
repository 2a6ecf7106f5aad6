package try

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/replies"
)

// bodyAsDeclared compares what is sent with what was typed: values and not labels, numbers
// as numbers, boxes that are not ticked.
func bodyAsDeclared(t *tab) (Verdict, string) {
	t.submits(t.success())
	body := t.sent()[0].Body
	var read any
	if json.Unmarshal([]byte(body), &read) != nil {
		return t.pairsAsDeclared(body)
	}
	object := holder(read, t.form)
	if object == nil {
		return Broken, "the body has none of the form's fields"
	}
	sent := t.answersIn(object)
	for _, path := range t.order {
		f, id := t.field(path)
		want := t.form.Format(t.form.Parse(id, t.valid[path]))
		if got := sent[path]; got != want && !f.Private {
			if raw, there := member(object, path); there {
				return Broken, fmt.Sprintf("%s is %s, where %q was given", path, quoted(raw), want)
			}
			return Broken, fmt.Sprintf("%s is not in the body, where %q was given", path, want)
		}
		if raw, there := member(object, path); there {
			if wrong := otherType(f, raw); wrong != "" {
				return Broken, fmt.Sprintf("%s is %s, and the form declares %s", path, quoted(raw), wrong)
			}
		}
	}
	return Kept, "every answer is in it as the form declares it"
}

// answersIn are the answers of an object by path, as a control shows them.
func (p *plan) answersIn(object map[string]any) map[string]string {
	answers := map[string]string{}
	for _, a := range replies.Values(p.form, object) {
		answers[p.form.Path(a.Place)] = p.form.Format(a.Value)
	}
	return answers
}

// holder is the object of a body that has the most of the form's fields, or nil.
func holder(v any, f *form.Form) (best map[string]any) {
	most := 0
	var look func(v any, depth int)
	look = func(v any, depth int) {
		object, is := v.(map[string]any)
		if !is || depth > 4 {
			return
		}
		count := 0
		for k := range f.Declared() {
			if _, there := object[strings.SplitN(f.Fields[k].Path, "/", 2)[0]]; there {
				count++
			}
		}
		if count > most {
			best, most = object, count
		}
		for _, inner := range object {
			look(inner, depth+1)
		}
	}
	look(v, 0)
	return best
}

// member finds what an object has at a path.
func member(object map[string]any, path string) (any, bool) {
	v := pointed(object, "/"+path)
	return v, v != nil
}

// otherType says of which type a JSON value would have to be. It is empty where the type is right.
func otherType(f *form.Field, v any) string {
	switch f.Kind {
	case form.KindNumber, form.KindInteger:
		if _, is := v.(float64); !is {
			return "a number"
		}
	case form.KindBoolean:
		if _, is := v.(bool); !is {
			return "true or false"
		}
	case form.KindChoices:
		if _, is := v.([]any); !is {
			return "a list"
		}
	}
	return ""
}

// pairsAsDeclared compares a body of names and values.
func (t *tab) pairsAsDeclared(body string) (Verdict, string) {
	pairs, err := url.ParseQuery(body)
	if err != nil || !strings.Contains(body, "=") || strings.HasPrefix(body, "--") {
		return NotApplicable, "the body is neither JSON nor names and values"
	}
	for _, path := range t.order {
		f, id := t.field(path)
		want := t.form.Parse(id, t.valid[path])
		if values, there := pairs[path]; there && !f.Private && t.form.Parse(id, strings.Join(values, "\n")) != want && f.Kind != form.KindBoolean {
			return Broken, fmt.Sprintf("%s is %q, where %q was given", path, strings.Join(values, ", "), t.valid[path])
		}
	}
	return Kept, "every answer is in it as it was given"
}
