package replies

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Response is a reply whose body is decoded: what an application answers inside a program.
// What comes over a network is a [Received].
type Response struct {
	Broken bool              // the connection broke, or there is no reply at all
	Status int               // RFC 9110, section 15
	Header map[string]string // names in any case
	Body   any               // decoded JSON: nil, bool, float64 or json.Number, string, []any, map[string]any; what is no JSON is a string
	Sent   []form.Answer     // what was sent, which no entry repeats; nil means that it is not known
	Now    time.Time         // the moment of the reply, for a Retry-After that gives a date

	came *Received // what came over a network, and what the table takes it for
	kind lifecycle.ReplyKind
}

// sameHeader compares names of headers, which are ASCII letters in any case and
// hyphens (RFC 9110, section 5.1).
func sameHeader(a, b string) bool {
	if len(a) != len(b) {
		return false
	}
	for k := range len(a) {
		if a[k]|0x20 != b[k]|0x20 {
			return false
		}
	}
	return true
}

func (r *Response) header(name string) string { return headerOf(r.Header, name) }

func headerOf(header map[string]string, name string) string {
	for key, value := range header {
		if sameHeader(key, name) {
			return value
		}
	}
	return ""
}

// Kind classifies a reply to a submission: one that came over a network by the table of
// [Received.Judge], another one by its status and headers.
func (r Response) Kind() lifecycle.ReplyKind {
	if r.came != nil {
		return r.kind
	}
	_, retry := r.retryAfter()
	switch {
	case r.Broken:
		return lifecycle.ReplyUnknown
	case r.Status >= 200 && r.Status < 300, r.Status == 303:
		return lifecycle.ReplyAccepted
	case r.Status == 401, r.Status == 403:
		return lifecycle.ReplyDenied
	case r.Status == 412:
		return lifecycle.ReplyOutdated
	case r.Status == 409 && retry, r.Status == 425:
		return lifecycle.ReplyUnderway
	case r.Status == 429, r.Status == 503:
		return lifecycle.ReplyUnavailable
	case r.Status == 408:
		return lifecycle.ReplyUnknown
	case r.Status >= 400 && r.Status < 500:
		return lifecycle.ReplyRefused
	default:
		return lifecycle.ReplyUnknown
	}
}

// refusedInBody is what a reply with an accepting status refuses all the same, where the form
// says that its server does that.
func (r *Response) refusedInBody(f *form.Form) (entries any, refused bool) {
	if r.Status < 200 || r.Status > 299 {
		return nil, false
	}
	for _, pointer := range f.InBody {
		if entries, refused = somethingAt(r.Body, pointer); refused {
			return entries, true
		}
	}
	return nil, false
}

// somethingAt reports whether something stands at a JSON Pointer: not null, false, an empty
// text, an empty list or an empty object.
func somethingAt(body any, pointer string) (v any, something bool) {
	object, _ := body.(map[string]any)
	v, _ = find(object, pointer[1:])
	switch v := v.(type) {
	case nil:
		return nil, false
	case bool:
		return v, v
	case string:
		return v, v != ""
	case []any:
		return v, len(v) > 0
	case map[string]any:
		return v, len(v) > 0
	default:
		return v, true
	}
}

// Refusing is a refusal with entries, as the form's server writes it: status 422 with a
// member errors, or, with refused.inBody, an accepted reply with the entries at that place.
func Refusing(f *form.Form, entries any) Response {
	if len(f.InBody) == 0 {
		return Response{Status: 422, Body: map[string]any{"errors": entries}}
	}
	body := map[string]any{}
	put(body, f.InBody[0], entries)
	return Response{Status: 200, Body: body}
}

// Accepting is an acceptance with a record, as the form's server writes it: something stands
// where accepted.has looks for it, and at each name of accepted.to.
func Accepting(f *form.Form, record map[string]any) Response {
	r := Response{Status: 200}
	if f.Submit.Creates() {
		r.Status = 201
	}
	var pointers []string
	if has := f.Accepted.Has; has != "" && has != form.HasNone {
		pointers = append(pointers, has)
	}
	for to := f.Accepted.To; f.Accepted.Then == form.ThenNavigate; {
		_, rest, named := strings.Cut(to, "{")
		name, after, closed := strings.Cut(rest, "}")
		if !named || !closed {
			break
		}
		pointers, to = append(pointers, "/"+name), after
	}
	for _, pointer := range pointers {
		if record == nil {
			record = map[string]any{}
		}
		if _, there := somethingAt(record, pointer); !there {
			put(record, pointer, "1")
		}
	}
	if record != nil {
		r.Body = record
	}
	return r
}

// put sets what stands at a JSON Pointer of an object.
func put(object map[string]any, pointer string, v any) {
	names := strings.Split(pointer[1:], "/")
	for _, name := range names[:len(names)-1] {
		below, is := object[form.UnescapeToken(name)].(map[string]any)
		if !is {
			below = map[string]any{}
			object[form.UnescapeToken(name)] = below
		}
		object = below
	}
	object[form.UnescapeToken(names[len(names)-1])] = v
}

// retryAfter reads Retry-After (RFC 9110, section 10.2.3): seconds or a date.
func (r *Response) retryAfter() (time.Duration, bool) {
	text := strings.TrimSpace(r.header("Retry-After"))
	if text != "" && strings.Trim(text, "0123456789") == "" {
		seconds, err := strconv.ParseUint(text, 10, 31)
		if err != nil { // more than that is for ever as well
			seconds = 1 << 31
		}
		return time.Duration(seconds) * time.Second, true
	}
	if at, ok := httpDate(text); ok {
		return max(0, at.Sub(r.Now)), true
	}
	return 0, false
}

// Submit reads the reply to a submission.
func Submit(form *form.Form, r Response) *lifecycle.Reply {
	reply := &lifecycle.Reply{Kind: r.Kind(), Version: r.header("ETag"), RetryAfter: -1}
	if _, refused := r.refusedInBody(form); refused && r.came == nil {
		reply.Kind = lifecycle.ReplyRefused
	}
	if reply.Kind != lifecycle.ReplyAccepted {
		reply.Version = ""
	}
	switch reply.Kind {
	case lifecycle.ReplyAccepted:
		reply.Values = Values(form, r.Body)
		reply.To = destination(form, &r)
		reply.Text = acceptedText(form, r.Body)
	case lifecycle.ReplyRefused, lifecycle.ReplyOutdated:
		for _, p := range Place(form, r) {
			reply.Entries = append(reply.Entries, p.Entry)
		}
		if reply.Text = text(r.Body); len(reply.Entries) == 1 && reply.Entries[0].Text == reply.Text {
			reply.Text = "" // it is said once
		}
	case lifecycle.ReplyDenied:
		if r.came == nil || !r.came.fromSignIn(form) { // the heading of a page to sign in is no reason
			reply.Text = text(r.Body)
		}
	case lifecycle.ReplyUnderway, lifecycle.ReplyUnavailable:
		if after, ok := r.retryAfter(); ok {
			reply.RetryAfter = after
		}
	}
	return reply
}

// Check reads the reply to a check: what it found (nothing: it passed), or
// false where the check itself failed. An entry without a path is about the
// checked field.
func Check(form *form.Form, r Response) ([]lifecycle.Entry, bool) {
	switch r.Kind() {
	case lifecycle.ReplyAccepted:
		return nil, r.Status != 303 // a redirect says nothing of a value
	case lifecycle.ReplyRefused:
		var entries []lifecycle.Entry
		for _, p := range Place(form, r) {
			entries = append(entries, p.Entry)
		}
		return entries, true
	default:
		return nil, false
	}
}

// destination is where a reply says to go: the form's own, with each {…} taken
// from the body (by name, or by a path such as data/id), else the Location, else the address
// that accepted.at has. It is empty where nothing is told, or where it leads elsewhere.
func destination(form *form.Form, r *Response) string {
	location := r.header("Location")
	if r.came != nil {
		location = r.came.leads(form, location)
		if location == "" && form.Accepted.At != "" && r.came.from(form.Accepted.At) {
			location = r.came.leads(form, r.came.From)
		}
	}
	to, whole := form.Accepted.To, true
	if to == "" {
		return location
	}
	var out strings.Builder
	for to != "" {
		before, rest, open := strings.Cut(to, "{")
		out.WriteString(before)
		if !open {
			break
		}
		name, after, closed := strings.Cut(rest, "}")
		value, found := member(r.Body, name)
		whole = whole && closed && found
		out.WriteString(segment(value))
		to = after
	}
	if !whole {
		return location
	}
	if r.came != nil { // it is a place of the page, wherever the reply came from
		page := Received{Own: r.came.Own}
		return page.leads(form, out.String())
	}
	return out.String()
}

// segment escapes a text for one segment of a path (RFC 3986, section 3.3): all
// but the unreserved characters. net/url would bring fmt into the browser.
func segment(text string) string {
	var out strings.Builder
	for i := range len(text) {
		c := text[i]
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("-._~", c) >= 0 {
			out.WriteByte(c)
			continue
		}
		const hex = "0123456789ABCDEF"
		out.Write([]byte{'%', hex[c>>4], hex[c&15]})
	}
	return out.String()
}

func member(body any, path string) (string, bool) {
	for name := range strings.SplitSeq(path, "/") {
		object, ok := body.(map[string]any)
		if !ok {
			return "", false
		}
		body = object[name]
	}
	value, ok := form.ScalarOf(body)
	return value.String(), ok && !value.Absent()
}

// statusPhrases are names of statuses (RFC 9110, section 15.5): they tell an applicant
// nothing.
var statusPhrases = []string{"bad request", "unauthorized", "forbidden", "conflict", "precondition failed", "unprocessable content", "unprocessable entity", "not found", "method not allowed", "payload too large", "content too large", "internal server error"}

// text is what a reply says in words of its own.
func text(body any) string {
	if s, ok := body.(string); ok {
		return plainText(s)
	}
	object, _ := body.(map[string]any)
	for _, key := range textMembers {
		if s, ok := object[key].(string); ok && strings.TrimSpace(s) != "" && !slices.Contains(statusPhrases, withoutCase(s)) {
			return clip(s)
		}
	}
	return ""
}

// mostPlain is how long a text may be that is said as it stands, in bytes.
const mostPlain = 500

// plainText is what a body says that is no JSON: a short text, or the first heading of a
// page.
func plainText(body string) string {
	body = strings.TrimSpace(body)
	if !strings.HasPrefix(body, "<") {
		if len(body) > mostPlain {
			return ""
		}
		return body
	}
	for _, tag := range [...]string{"h1", "h2", "title"} {
		_, rest, open := strings.Cut(body, "<"+tag)
		_, rest, full := strings.Cut(rest, ">")
		heading, _, closed := strings.Cut(rest, "</"+tag)
		if open && full && closed && len(heading) <= mostPlain && !strings.Contains(heading, "<") && strings.TrimSpace(heading) != "" {
			return unescaped(strings.TrimSpace(heading))
		}
	}
	return ""
}

// unescaped reads the character references that every writer of pages has. A whole parser
// of HTML is too much for a browser that has one.
func unescaped(text string) string {
	for _, reference := range [...][2]string{{"&lt;", "<"}, {"&gt;", ">"}, {"&quot;", `"`}, {"&#39;", "'"}, {"&amp;", "&"}} {
		text = strings.ReplaceAll(text, reference[0], reference[1])
	}
	return text
}

// acceptedText is the message of an accepted reply. Its body may be the record
// itself: detail and title are then answers, and so may message be.
func acceptedText(form *form.Form, body any) string {
	object, _ := body.(map[string]any)
	s, _ := object["message"].(string)
	if _, isField := form.Lookup("message"); isField {
		return ""
	}
	return clip(s)
}

// clip keeps a hostile text from filling the screen.
func clip(s string) string {
	const most = 1000
	if len(s) <= most {
		return s
	}
	return strings.ToValidUTF8(s[:most], "") + "…"
}
