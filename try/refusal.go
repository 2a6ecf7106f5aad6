package try

import (
	"encoding/json"
	"fmt"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// refusal is the reply with which the backend refuses a form.
type refusal struct {
	path, says string // the refused field, and the words about it
	reply      reply
	stray      reply  // the same of a field that the form does not have
	unknowable string // why there is no stray; empty means that there is one
}

// denial is what the backend says of a field unless its own words are declared.
const denial = "The harbour office cannot take this."

// stranger is a field that no form has.
const stranger = "leanwicketStranger"

// refusing reads a refusal as the form's server writes it. Where there is none it is
// problem details with the list of errors that RFC 9457, section 3, shows, or with
// refused.inBody an accepted reply with that list.
func (p *plan) refusing(sample []byte) (refusal, error) {
	if sample == nil {
		path, _ := p.text(false)
		problem := func(pointer string) reply {
			r := replies.Refusing(p.form, []any{map[string]any{"pointer": "#/" + pointer, "detail": denial}})
			kind := "application/json"
			if object := r.Body.(map[string]any); r.Status != 200 {
				kind, object["title"], object["status"] = problemJSON, "Refused", r.Status
			}
			body, _ := json.Marshal(r.Body)
			return reply{status: r.Status, kind: kind, body: string(body)}
		}
		return refusal{path: path, says: denial, reply: problem(path), stray: problem(stranger)}, nil
	}
	var body any
	if err := json.Unmarshal(sample, &body); err != nil {
		return refusal{}, fmt.Errorf("the refusal: found no JSON: %w", err)
	}
	r := refusal{reply: reply{status: p.refusedStatus(body), body: string(sample)}}
	placed, found := p.entry(replies.Place(p.form, replies.Response{Status: r.reply.status, Body: body}))
	if !found {
		return refusal{}, fmt.Errorf("the refusal: found no entry for a field of the form; right would be one, such as {\"errors\": {%q: [\"This is taken.\"]}}", p.paths[0])
	}
	r.path, r.says = placed.Path, placed.Text
	r.stray, r.unknowable = r.reply, "the refusal names its field in a way in which no other can be named"
	if text, ok := p.strange(body, r.reply.status, placed); ok {
		r.stray.body, r.unknowable = text, ""
	}
	return r, nil
}

// refusedStatus is the status with which a body refuses: 200 where the form reads
// refusals of accepted replies and finds one, else its own member, else 422.
func (p *plan) refusedStatus(body any) int {
	if replies.Submit(p.form, replies.Response{Status: 200, Body: body}).Kind == lifecycle.ReplyRefused {
		return 200
	}
	if object, ok := body.(map[string]any); ok {
		if status, _ := object["status"].(float64); status >= 400 && status < 500 && status != 401 && status != 403 {
			return int(status)
		}
	}
	return 422
}

// entry is the first entry for a field in which text is typed, else for any field outside
// of rows.
func (p *plan) entry(list []replies.Placed) (replies.Placed, bool) {
	var other replies.Placed
	for _, placed := range list {
		place, known := p.form.Lookup(placed.Path)
		if !known || placed.Text == "" {
			continue
		}
		field := &p.form.Fields[place.Field]
		if typed(field) {
			return placed, true
		}
		if other.Path == "" && place.Row < 0 && field.Kind != form.KindRows {
			other = placed
		}
	}
	return other, other.Path != ""
}

// strange is a refusal in which the words are about a field that the form does not
// have: its name is a text or the name of a member, whole or the last part of it.
func (p *plan) strange(body any, status int, placed replies.Placed) (string, bool) {
	last := placed.Name[strings.LastIndexAny(placed.Name, "/.")+1:]
	for _, name := range []string{placed.Name, last} {
		for _, members := range []bool{false, true} {
			other := renamed(body, name, members)
			for _, now := range replies.Place(p.form, replies.Response{Status: status, Body: other}) {
				if now.Path == "" && now.Text == placed.Text && strings.Contains(now.Name, stranger) {
					text, err := json.Marshal(other)
					return string(text), err == nil
				}
			}
		}
	}
	return "", false
}

// renamed is a body in which each text that is a name, or each member that has it, is
// the stranger's.
func renamed(body any, name string, members bool) any {
	switch v := body.(type) {
	case string:
		if v == name && !members {
			return stranger
		}
	case []any:
		list := make([]any, len(v))
		for k, item := range v {
			list[k] = renamed(item, name, members)
		}
		return list
	case map[string]any:
		object := make(map[string]any, len(v))
		for key, item := range v {
			if key == name && members {
				key = stranger
			}
			object[key] = renamed(item, name, members)
		}
		return object
	}
	return body
}
