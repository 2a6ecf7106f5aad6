package replies

import (
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/jsontext"
)

// What entries look like is read from their structure: no list of servers is kept here.
// The order of these names is the order in which they are asked.
var (
	textMembers = []string{"message", "detail", "msg", "description", "defaultMessage", "reason", "error", "title"}
	nameMembers = []string{"pointer", "field", "path", "loc", "name", "param", "property", "propertyPath", "attribute"}
	codeMembers = []string{"code", "type", "rule"}
	// containers hold entries, and are no part of a name.
	containers = []string{
		"errors", "error", "detail", "details", "violations", "issues", "extensions",
		"fieldErrors", "field_errors", "fieldViolations", "field_violations", "invalid-params", "invalid_params", "invalidParams",
	}
	// silent are members that say nothing to an applicant: what was sent, and what is for
	// machines.
	silent = []string{
		"type", "instance", "code", "status", "timestamp", "path", "@type", "requestId", "request_id", "id", "domain", "locale", "location", "locations",
		"input", "value", "rejectedValue", "rejected_value", "received", "given", "ctx", "context", "arguments", "metadata", "links", "url", "help",
		"documentation_url", "statusCode", "source", "objectName", "bindingFailure", "codes", "rule",
	}
)

// isSilent reports whether a member says nothing to an applicant.
func isSilent(key string) bool {
	return slices.Contains(silent, key) || strings.HasPrefix(key, "trace") || strings.HasPrefix(key, "stack") || strings.HasPrefix(key, "debug")
}

// body reads a whole reply. Entries are in its containers; without any the body itself
// may be a map of fields.
func (p *placer) body(v any) {
	switch v := v.(type) {
	case []any:
		p.list(v, "", 0)
	case map[string]any:
		if p.inside(v, "", 0) {
			return
		}
		p.fields(v, "", 0)
	}
}

// below reads what stands at the place of the form's refused.inBody: all of it is entries.
func (p *placer) below(v any) {
	switch v := v.(type) {
	case []any:
		p.list(v, "", 1)
	case map[string]any:
		p.object(v, "", 1)
	case string:
		p.add("", "", v)
	}
}

// inside reads the containers of an object, and reports whether anything was there.
func (p *placer) inside(object map[string]any, name string, depth int) bool {
	before := len(p.placed)
	if depth > maxDepth {
		return false
	}
	for _, key := range containers {
		switch v := object[key].(type) {
		case []any:
			p.list(v, name, depth+1)
		case map[string]any:
			p.object(v, name, depth+1)
		case string:
			if key == "errors" {
				p.add(name, "", v)
			}
		}
	}
	return len(p.placed) > before
}

// list reads a list of entries. Below the name of a group of rows the place of an item is
// that of a row.
func (p *placer) list(items []any, name string, depth int) {
	if depth > maxDepth {
		p.add(name, "", "nested too deeply")
		return
	}
	for k, item := range items {
		switch item := item.(type) {
		case map[string]any:
			below := name
			if p.isGroup(name) {
				below = name + "/" + strconv.Itoa(k)
			}
			p.object(item, below, depth+1)
		case []any:
			p.list(item, name, depth+1)
		default:
			p.add(name, "", words(item))
		}
	}
}

func (p *placer) isGroup(name string) bool {
	if name == "" {
		return false
	}
	path, _ := p.names.find(name)
	place, known := p.form.Lookup(path)
	return path != "" && known && p.form.Fields[place.Field].Kind == form.KindRows && place.Row < 0
}

// object reads an entry, or what holds entries: then its own text is their heading.
func (p *placer) object(e map[string]any, name string, depth int) {
	own := nameOf(e)
	switch {
	case depth > maxDepth:
		p.add(name, "", "nested too deeply")
		return
	case own != "" && name != "" && !p.isField(own): // below a name, as a part of it
		own = name + "/" + own
	case own == "":
		own = name
	}
	says, before := first(e, textMembers), len(p.placed)
	if p.inside(e, own, depth) {
		for k := before; k < len(p.placed) && says != ""; k++ {
			if p.placed[k].Text == untold { // below it stands where, and here why
				p.placed[k].Text = clip(says)
			}
		}
		return
	}
	switch {
	case says != "" && (own != name || !p.namesField(e, name)):
		p.add(own, first(e, codeMembers), says)
	case own != "" && own != name && !p.namesField(e, name):
		p.add(own, first(e, codeMembers), untold)
	default:
		p.fields(e, name, depth)
	}
}

func (p *placer) isField(name string) bool {
	path, _ := p.names.find(name)
	return path != ""
}

// namesField reports whether a member of an object is a field of the form, below a name.
func (p *placer) namesField(e map[string]any, name string) bool {
	for key := range e {
		if !slices.Contains(textMembers, key) && !isSilent(key) && p.isField(join(name, key)) {
			return true
		}
	}
	return false
}

func join(name, key string) string {
	if name == "" {
		return key
	}
	return name + "/" + key
}

// fields reads an object by the names of fields, nested or not. Beside a name of a field
// every text is an entry; at the top of a body only what is a list of texts is one without
// it, for a record that comes back is no refusal.
func (p *placer) fields(e map[string]any, name string, depth int) {
	keys := make([]string, 0, len(e))
	for key := range e {
		keys = append(keys, key)
	}
	problem := e["type"] != nil || e["status"] != nil // RFC 9457: its members are no fields
	top := name == "" && depth == 0
	for _, key := range jsontext.InOrder(keys) {
		below := join(name, key)
		known := p.isField(below) && !(top && problem && slices.Contains([]string{"type", "title", "status", "detail", "instance"}, key))
		if !known && (isSilent(key) || top && slices.Contains(textMembers, key)) {
			continue
		}
		switch v := e[key].(type) {
		case nil:
		case []any:
			if known || !top || allTexts(v) {
				p.list(v, below, depth+1)
			}
		case map[string]any:
			if depth >= maxDepth {
				p.add(below, "", "nested too deeply")
			} else if top && !known {
				p.fields(v, below, depth+1)
			} else {
				p.object(v, below, depth+1)
			}
		case string:
			if !top || known {
				p.add(below, "", v)
			}
		default:
			if !top {
				p.add(below, "", words(v))
			}
		}
	}
}

// wasSent reports whether a text is one of those that were sent.
func (p *placer) wasSent(text string) bool {
	return slices.ContainsFunc(p.sent, func(a form.Answer) bool { return a.Value.Kind == form.ValueText && a.Value.Text == text })
}

func allTexts(list []any) bool {
	for _, item := range list {
		if s, is := item.(string); !is || s == "" {
			return false
		}
	}
	return len(list) > 0
}

// first is the first text among members of an object.
func first(e map[string]any, members []string) string {
	for _, key := range members {
		if s, is := e[key].(string); is && strings.TrimSpace(s) != "" {
			return s
		}
	}
	return ""
}

// nameOf is the name that an entry gives itself: a text, or a list of the parts of a path.
func nameOf(e map[string]any) string {
	if source, is := e["source"].(map[string]any); is {
		if name := first(source, []string{"pointer", "parameter"}); name != "" {
			return name
		}
	}
	for _, key := range nameMembers {
		switch v := e[key].(type) {
		case string:
			if v != "" {
				return v
			}
		case []any:
			if len(v) > 0 && (key == "path" || key == "loc") {
				return pathOf(v)
			}
		}
	}
	return ""
}
