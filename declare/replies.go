package declare

import (
	"net/url"
	"regexp"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// These functions read what a form file says of replies: which of them is an acceptance, a refusal, or
// a page to sign in.

// inBody reads one pointer, a list of them, or the word none.
func (r *reader) inBody(n *document.Node) {
	d := &r.declaration
	items := []*document.Node{n}
	if n.Kind == document.List {
		if items = r.List(n); len(items) == 0 {
			r.Wrong(n, "an empty list", "a JSON Pointer such as /errors, several in a list, or the word none")
		}
	}
	for _, item := range items {
		text := r.Text(item)
		switch {
		case text == form.HasNone && n.Kind != document.List:
			d.InBodyNone = true
		case slices.Contains(d.InBody, text):
			r.Wrong(item, "the pointer "+text+" twice", "each pointer once")
		case r.pointer(item, "/errors", "the word none"):
			d.InBody = append(d.InBody, text)
		}
	}
}

// tilde matches an escape that a JSON Pointer cannot have (RFC 6901, section 3).
var tilde = regexp.MustCompile(`~([^01]|$)`)

// pointer reports whether a text is a JSON Pointer to a member, and tells where it is not.
func (r *reader) pointer(n *document.Node, example, or string) bool {
	text := r.Text(n)
	if len(text) > 1 && text[0] == '/' && !tilde.MatchString(text) && !strings.ContainsAny(text, "\n\r") {
		return true
	}
	r.Wrong(n, document.Describe(n), "a JSON Pointer such as "+example+", or "+or)
	return false
}

// path reads a path of the form's own site. With any, a segment may be {…}, which stands for any one segment.
func (r *reader) path(n *document.Node, any bool) string {
	text, right := r.Text(n), "a path that begins with one slash, such as /sign-in, without a query"
	if any {
		right = "a path that begins with one slash, such as /permits/{id}, where {…} is one whole segment"
	}
	at, err := url.Parse(text)
	sound := err == nil && strings.HasPrefix(text, "/") && !strings.HasPrefix(text, "//") && !strings.ContainsAny(text, "?#\\ \t")
	for segment := range strings.SplitSeq(text, "/") {
		whole := any && len(segment) > 2 && segment[0] == '{' && strings.IndexByte(segment, '}') == len(segment)-1
		sound = sound && (whole || !strings.ContainsAny(segment, "{}"))
	}
	if sound && at.Path != "/" || sound && !any {
		return text
	}
	r.Wrong(n, document.Describe(n), right)
	return ""
}

// origin reads an origin (RFC 6454, section 6.1).
func (r *reader) origin(n *document.Node) string {
	text := r.Text(n)
	at, err := url.Parse(text)
	if err == nil && (at.Scheme == "https" || at.Scheme == "http") && at.Host != "" && text == at.Scheme+"://"+strings.ToLower(at.Host) {
		return text
	}
	r.Wrong(n, document.Describe(n), "an origin such as https://pay.example, in small letters and without a path")
	return ""
}
