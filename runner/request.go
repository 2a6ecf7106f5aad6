package runner

import (
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/lifecycle"
)

// Request is an HTTP request that a session asks for.
type Request struct {
	Kind    lifecycle.EffectKind // load, check or send
	Method  string
	URL     string // as the form declares it, a check's with its value filled in; empty for a load that is the program's own
	Key     string // send: the Idempotency-Key
	Version string // send: the If-Match; empty means that it is unknown
	Button  string // send: which of the form's buttons
	Path    string // check: of the field
	Value   string // check: as a person types it
	// Prepared says that the body of a submission is what the application has made of it: see Options.Prepare.
	Prepared bool
	Type     string // send: the media type of the body
	Body     []byte // send: JSON, with PATCH a merge patch; or a form as a browser sends it
}

// Headers are the headers of the request: a name, its value, the next name, and so on.
func (r Request) Headers() []string {
	headers := []string{"Accept", "application/json"}
	add := func(name, value string) {
		if value != "" {
			headers = append(headers, name, value)
		}
	}
	add("Content-Type", r.Type)
	add("Idempotency-Key", r.Key)
	add("If-Match", r.Version)
	add(markup.ButtonHeader, r.Button)
	return headers
}

// RequestOf is the request that an effect of kind load, check or send asks for.
func RequestOf(f *form.Form, e lifecycle.Effect) Request {
	switch e.Kind {
	case lifecycle.EffectLoad:
		return Request{Kind: e.Kind, Method: "GET", URL: f.Prefill.URL}
	case lifecycle.EffectCheck:
		value := f.Format(e.Value)
		return Request{
			Kind: e.Kind, Method: "GET", URL: strings.ReplaceAll(f.Fields[e.Place.Field].Check.URL, "{value}", escape(value)),
			Path: f.Path(e.Place), Value: value,
		}
	default:
		q := Request{
			Kind: e.Kind, Method: f.Submit.Method, URL: f.Submit.URL, Key: e.Key.String(), Version: e.Version, Button: e.Button,
		}
		switch {
		case f.Submit.AsForm:
			q.Type, q.Body = "application/x-www-form-urlencoded", form.AppendPair(f.AppendForm(nil, e.Values), markup.Button, e.Button) // as a browser sends it
		case q.Method == "PATCH":
			q.Type, q.Body = "application/merge-patch+json", f.AppendBody(nil, e.Values) // RFC 7396, section 4
		default:
			q.Type, q.Body = "application/json", f.AppendBody(nil, e.Values)
		}
		return q
	}
}

// With puts the values that are given in the place of their names in the url, each as one
// segment of a path.
func (r Request) With(given map[string]string) Request {
	for name, value := range given {
		r.URL = strings.ReplaceAll(r.URL, "{"+name+"}", escape(value))
	}
	return r
}

// escape makes a text one segment of a path, or one value of a query (RFC 3986,
// section 2.3: all but the unreserved is escaped).
func escape(text string) string {
	const digits = "0123456789ABCDEF"
	out := make([]byte, 0, len(text))
	for k := range len(text) {
		c := text[k]
		switch {
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c >= '0' && c <= '9', strings.IndexByte("-._~", c) >= 0:
			out = append(out, c)
		default:
			out = append(out, '%', digits[c>>4], digits[c&15])
		}
	}
	return string(out)
}
