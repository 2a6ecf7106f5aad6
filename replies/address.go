package replies

import (
	"slices"
	"strings"

	"leanwicket.dev/form"
)

// Addresses of replies are read here, by hand: package net/url would bring fmt into the browser.

// address is where the reply came from: of the page's own origin the path and query.
func (r *Received) address() string {
	origin, rest, ok := split(r.From)
	if ok && origin == r.Own {
		return rest
	}
	return r.From
}

// fromSignIn reports whether the reply came, after a redirect, from a page to sign in.
func (r *Received) fromSignIn(f *form.Form) bool {
	return slices.ContainsFunc(f.SignInPaths, r.from)
}

// from reports whether the reply came, after a redirect, from a path of the page's own origin.
// {…} is any one segment.
func (r *Received) from(path string) bool {
	origin, rest, ok := split(r.From)
	if !r.Redirected || !ok || origin != r.Own && origin != "" {
		return false
	}
	at, _, _ := strings.Cut(rest, "?")
	at, _, _ = strings.Cut(at, "#")
	for {
		want, wants, deeper := strings.Cut(path, "/")
		got, follows, more := strings.Cut(at, "/")
		if deeper != more || want != got && (want == "" || want[0] != '{' || got == "") {
			return false
		}
		if !deeper {
			return true
		}
		path, at = wants, follows
	}
}

// leads resolves a reference of the reply against the address that answered (RFC 3986, section
// 5.2). Of the page's own origin it is a path with its query, of one that the form lists the whole
// address; it is empty where it leads anywhere else. Browsers leave tabs and line ends out of an
// address, and read a backslash as a slash: such an address leads nowhere.
func (r *Received) leads(f *form.Form, reference string) string {
	base, path, _ := split(r.From)
	if base == "" {
		base = r.Own
	}
	if scheme, _, named := strings.Cut(base, "//"); named && strings.HasPrefix(reference, "//") {
		reference = scheme + reference
	}
	origin, to, ok := split(reference)
	if !ok || !isAddress(reference) {
		return ""
	}
	if origin == "" {
		origin, to = base, below(path, reference)
	}
	if to = withoutDots(to); strings.HasPrefix(to, "//") || !strings.HasPrefix(to, "/") {
		return "" // a path that begins with two slashes is another host
	}
	switch {
	case origin == r.Own:
		return to
	case slices.Contains(f.Origins, origin):
		return origin + to
	default:
		return ""
	}
}

// below joins a reference without an origin to the path that it stands at.
func below(path, reference string) string {
	before, _, _ := strings.Cut(path, "?")
	switch reference[0] {
	case '/':
		return reference
	case '#':
		return path + reference
	case '?':
		return before + reference
	default:
		return before[:strings.LastIndexByte(before, '/')+1] + reference
	}
}

// split parts an address into its origin, in small letters, and what follows, which begins with a
// slash. A reference that names no origin has none. ok is false for what is no address of the web.
func split(address string) (origin, rest string, ok bool) {
	end := strings.IndexAny(address, ":/?#")
	if end < 0 || address[end] != ':' {
		return "", address, true
	}
	scheme := lower(address[:end])
	after, is := strings.CutPrefix(address[end:], "://")
	if scheme != "http" && scheme != "https" || !is {
		return "", "", false
	}
	host := after
	if end := strings.IndexAny(after, "/?#"); end >= 0 {
		host, rest = after[:end], after[end:]
	}
	if host = lower(host); host == "" || strings.IndexByte(host, '@') >= 0 {
		return "", "", false
	}
	port := ":443"
	if scheme == "http" {
		port = ":80"
	}
	host = strings.TrimSuffix(host, port)
	if !strings.HasPrefix(rest, "/") {
		rest = "/" + rest
	}
	return scheme + "://" + host, rest, true
}

// withoutDots takes . and .. out of a path (RFC 3986, section 5.2.4).
func withoutDots(address string) string {
	path, rest := address, ""
	if end := strings.IndexAny(address, "?#"); end >= 0 {
		path, rest = address[:end], address[end:]
	}
	var out []string
	segments := strings.Split(path, "/")
	for k, segment := range segments {
		last := k == len(segments)-1
		switch segment {
		case ".":
		case "..":
			if len(out) > 1 {
				out = out[:len(out)-1]
			}
		default:
			out = append(out, segment)
			continue
		}
		if last {
			out = append(out, "")
		}
	}
	return strings.Join(out, "/") + rest
}

// isAddress reports whether a text is one, and has nothing that a browser would read in another
// way.
func isAddress(text string) bool {
	for k := range len(text) {
		if c := text[k]; c <= ' ' || c == '\\' || c == 0x7f {
			return false
		}
	}
	return text != ""
}

// lower writes ASCII letters small.
func lower(text string) string {
	small := []byte(text)
	for k, c := range small {
		if c >= 'A' && c <= 'Z' {
			small[k] = c | 0x20
		}
	}
	return string(small)
}
