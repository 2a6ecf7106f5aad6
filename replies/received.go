package replies

import (
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/jsontext"
	"leanwicket.dev/lifecycle"
)

// MaxBody is how much of a body is read, in bytes. Of a longer one nothing is.
const MaxBody = 4 << 20

// Received is what came over a network for a request, as a driver hands it over: nothing of it
// is read yet.
type Received struct {
	Status     int               // RFC 9110, section 15; 0 means that the connection broke before there was one
	Header     map[string]string // names in any case; of several lines of one name all, with ", " between them (section 5.3)
	From       string            // the address that answered; empty means the one that was asked
	Redirected bool              // another address was asked first
	Own        string            // the page's own origin, such as https://office.example
	Cut        bool              // the body broke off
	Body       []byte            // of a body over [MaxBody] more than that, and not all
	Refusal    string            // nothing was sent, for whoever sends has refused to: why
	SignedOut  bool              // nothing came, and another request tells that the applicant is signed out
	Now        time.Time         // for a Retry-After that gives a date
}

// Line is the line of the table in docs/replies.md by which a reply is taken for an outcome.
type Line uint8

// The lines of the table, in the order in which they are asked.
const (
	LineSignIn   Line = iota // after a redirect, from one of signInPaths: denied
	LineAt                   // 2xx after a redirect, from accepted.at: accepted
	LinePage                 // 2xx and a page: unknown
	LineUnread               // 2xx and a body that broke off, or is not what its type says: unknown
	LineInBody               // 2xx with something at one of refused.inBody: refused
	LineHas                  // 2xx without anything at accepted.has: unknown
	LineSaysNo               // 2xx whose top says no, on a form without refused.inBody: unknown
	LineRedirect             // 304, or a redirect that was not followed: unknown
	LineStatus               // the rest: as the status says
)

var lineWords = [...]string{
	"it came, after a redirect, from one of signInPaths",
	"it came, after a redirect, from accepted.at",
	"2xx and a page, where data was asked for",
	"2xx and a body that broke off, or is not what its type says",
	"2xx with something at refused.inBody",
	"2xx without anything at accepted.has",
	"2xx whose body says no at its top, and the form declares no refused.inBody",
	"a redirect that was not followed, or 304",
	"the status",
}

func (l Line) String() string { return form.Word(lineWords[:], l) }

// Judge takes what came for a submission or a check: what it is taken for is the Kind of the
// response. accepted.at and accepted.has are asked for submissions alone.
func (r Received) Judge(f *form.Form, asked lifecycle.EffectKind) (Response, Line) {
	response := Response{Broken: r.Status == 0, Status: r.Status, Header: r.Header, Now: r.Now}
	whole := r.decode(f, &response)
	kind, line := r.judge(f, &response, whole, asked == lifecycle.EffectSend)
	response.kind, response.came = kind, &r
	return response, line
}

func (r *Received) judge(f *form.Form, response *Response, whole, submitted bool) (lifecycle.ReplyKind, Line) {
	if r.fromSignIn(f) {
		return lifecycle.ReplyDenied, LineSignIn
	}
	if r.Status >= 200 && r.Status <= 299 {
		_, refused := response.refusedInBody(f)
		switch {
		case submitted && f.Accepted.At != "" && r.from(f.Accepted.At):
			return lifecycle.ReplyAccepted, LineAt
		case response.isPage():
			return lifecycle.ReplyUnknown, LinePage
		case !whole:
			return lifecycle.ReplyUnknown, LineUnread
		case refused:
			return lifecycle.ReplyRefused, LineInBody
		case submitted && lacks(f, response.Body):
			return lifecycle.ReplyUnknown, LineHas
		case saysNo(f, response.Body) != "":
			return lifecycle.ReplyUnknown, LineSaysNo
		}
	}
	if r.Status >= 300 && r.Status <= 399 {
		return lifecycle.ReplyUnknown, LineRedirect
	}
	return response.Kind(), LineStatus
}

// Event is what came for the effect, a load, a check or a send, of a session that asked for it.
func Event(f *form.Form, asked lifecycle.Effect, r Received) lifecycle.Event {
	if r.Refusal != "" {
		return lifecycle.Replied(asked.Attempt, asked.Try, &lifecycle.Reply{Kind: lifecycle.ReplyRefused, Text: r.Refusal})
	}
	response, _ := r.Judge(f, asked.Kind)
	e := event(f, &asked, &response)
	e.Came = &lifecycle.Came{Status: r.Status, Type: clip(response.header("Content-Type"))}
	if e.Kind == lifecycle.EventLoaded {
		e.Came.Unfit = strings.Join(Unfit(f, response.Body), ", ")
	}
	if r.Redirected {
		e.Came.From = clip(r.address())
	}
	return e
}

func event(f *form.Form, asked *lifecycle.Effect, r *Response) lifecycle.Event {
	switch asked.Kind {
	case lifecycle.EffectLoad:
		values, version, why := Load(f, *r)
		switch {
		case r.kind == lifecycle.ReplyDenied || r.came.SignedOut:
			return lifecycle.LoadDenied(asked.Request)
		case why != "":
			return lifecycle.LoadFailed(asked.Request, why)
		}
		return lifecycle.Loaded(asked.Request, values, version)
	case lifecycle.EffectCheck:
		entries, ok := Check(f, *r)
		if !ok {
			return lifecycle.CheckFailed(asked.Request)
		}
		return lifecycle.Checked(asked.Request, entries)
	default:
		r.Sent = asked.Values
		reply := Submit(f, *r)
		reply.SignedOut = r.came.SignedOut && reply.Kind == lifecycle.ReplyUnknown
		return lifecycle.Replied(asked.Attempt, asked.Try, reply)
	}
}

// decode reads the body as its type says, and reports whether it is whole. Of what is none
// nothing is known.
func (r *Received) decode(f *form.Form, into *Response) (whole bool) {
	if r.Cut || r.isShort(into) || len(r.Body) > MaxBody {
		return false
	}
	kind := mediaType(into.header("Content-Type"))
	isJSON := kind == "application/json" || kind == "text/json" || strings.HasSuffix(kind, "+json")
	text := strings.TrimPrefix(string(r.Body), "\ufeff")
	if text == "" {
		none := r.Status == 204 || r.Status == 205 || r.Status == 304 || strings.TrimSpace(into.header("Content-Length")) == "0"
		return none || kind == "" || f.Accepted.Has == form.HasNone
	}
	if len(r.Header) == 0 { // what is no HTTP at all some browsers give as a reply of an older kind
		return false
	}
	body, err := jsontext.Read(text)
	switch {
	case err == nil:
		into.Body = body
	case isJSON:
		return false
	case strings.HasPrefix(kind, "text/") && utf8.ValidString(text):
		into.Body = text
	}
	return true
}

// JSON is the text of a body that is JSON and came whole; of any other it is empty.
func (r Received) JSON(f *form.Form) string {
	read := Response{Header: r.Header}
	if !r.decode(f, &read) || read.Body == nil {
		return ""
	}
	text := strings.TrimSpace(strings.TrimPrefix(string(r.Body), "\ufeff"))
	if _, plain := read.Body.(string); plain && !strings.HasPrefix(text, `"`) {
		return ""
	}
	return text
}

// HeaderOf is a header by its name, in letters of any case; empty where there is none.
func (r *Received) HeaderOf(name string) string { return headerOf(r.Header, name) }

// isShort reports whether fewer bytes came than were announced, which not every browser tells. Of
// another origin nobody can read whether the length is that of a compressed body.
func (r *Received) isShort(of *Response) bool {
	origin, _, _ := split(r.From)
	announced, err := strconv.ParseInt(strings.TrimSpace(of.header("Content-Length")), 10, 64)
	return err == nil && int64(len(r.Body)) < announced && of.header("Content-Encoding") == "" && (origin == r.Own || origin == "") && r.Status != 304
}

// mediaType is the type that a Content-Type names, in small letters: of several the last.
func mediaType(lines string) string {
	for strings.TrimRight(lines, ", \t") != lines {
		lines = strings.TrimRight(lines, ", \t")
	}
	last := lines[strings.LastIndexByte(lines, ',')+1:]
	name, _, _ := strings.Cut(last, ";")
	return lower(strings.TrimSpace(name))
}

// isPage reports whether somebody's page came where data was asked for.
func (r *Response) isPage() bool {
	kind := mediaType(r.header("Content-Type"))
	return kind == "text/html" || kind == "application/xhtml+xml"
}

// lacks reports whether a body has nothing where an acceptance has something.
func lacks(f *form.Form, body any) bool {
	if f.Accepted.Has == "" || f.Accepted.Has == form.HasNone {
		return false
	}
	object, _ := body.(map[string]any)
	v, _ := find(object, f.Accepted.Has[1:])
	return v == nil || v == ""
}

// SaysNo is the member at the top of a body by which it says no where the form does not declare
// how its server does that: such a reply is unknown. It is empty where it does not say no.
func (r Response) SaysNo(f *form.Form) string { return saysNo(f, r.Body) }

// saysNo is the member at the top of a body by which it says no, on a form that does not
// declare where its server does that; empty means that it does not. A field of that name is an
// answer.
func saysNo(f *form.Form, body any) string {
	object, is := body.(map[string]any)
	if !is || len(f.InBody) > 0 || f.InBodyNone {
		return ""
	}
	for _, name := range [...]string{"ok", "success", "error", "errors"} {
		v, there := object[name]
		says := there && v == false
		if name[0] == 'e' {
			_, says = somethingAt(object, "/"+name)
		}
		if says && !hasField(f, name) {
			return name
		}
	}
	return ""
}

// hasField reports whether a form has a field of a name at the top of its record.
func hasField(f *form.Form, name string) bool {
	for k := range f.Declared() {
		if first, _, _ := strings.Cut(f.Fields[k].Path, "/"); first == name {
			return true
		}
	}
	return false
}
