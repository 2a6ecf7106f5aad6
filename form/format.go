package form

import "strings"

// HasFormat reports whether a text has a format that the core knows: email
// (HTML, valid email address) or uri (RFC 3986, with a scheme).
func HasFormat(format, text string) bool {
	switch format {
	case "email":
		return isEmail(text)
	case "uri":
		return isURI(text)
	default:
		return true
	}
}

func letterOrDigit(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

// isEmail follows HTML's definition of a valid email address (section 4.10.5.1.5), which
// differs from RFC 5322 on purpose: no quoted parts, no comments, no address literals, and
// dots anywhere before the @.
func isEmail(s string) bool {
	local, domain, ok := strings.Cut(s, "@")
	if !ok || local == "" {
		return false
	}
	for i := range len(local) {
		if !letterOrDigit(local[i]) && !strings.ContainsRune(".!#$%&'*+/=?^_`{|}~-", rune(local[i])) {
			return false
		}
	}
	for label := range strings.SplitSeq(domain, ".") {
		if label == "" || len(label) > 63 || label[0] == '-' || label[len(label)-1] == '-' {
			return false
		}
		for i := range len(label) {
			if !letterOrDigit(label[i]) && label[i] != '-' {
				return false
			}
		}
	}
	return true
}

// isURI accepts a scheme, a colon and the characters of RFC 3986, section 2,
// with whole percent-encodings.
func isURI(s string) bool {
	scheme, rest, ok := strings.Cut(s, ":")
	if !ok || scheme == "" || !letterOrDigit(scheme[0]) || scheme[0] <= '9' {
		return false
	}
	for i := range len(scheme) {
		if !letterOrDigit(scheme[i]) && !strings.ContainsRune("+-.", rune(scheme[i])) {
			return false
		}
	}
	return uriCharacters(rest) && uriAuthority(rest)
}

func uriCharacters(s string) bool {
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c == '%' {
			if i+2 >= len(s) || !hexDigit(s[i+1]) || !hexDigit(s[i+2]) {
				return false
			}
			continue
		}
		if !letterOrDigit(c) && !strings.ContainsRune("-._~:/?#[]@!$&'()*+,;=", rune(c)) {
			return false
		}
	}
	return strings.Count(s, "#") <= 1
}

// uriAuthority checks what RFC 3986, section 3.2, says of host and port, and
// that brackets stand only around an IP literal.
func uriAuthority(rest string) bool {
	after, found := strings.CutPrefix(rest, "//")
	if !found {
		return !strings.ContainsAny(rest, "[]")
	}
	end := strings.IndexAny(after, "/?#")
	if end < 0 {
		end = len(after)
	}
	host, tail := after[:end], after[end:]
	if strings.ContainsAny(tail, "[]") {
		return false
	}
	if at := strings.LastIndexByte(host, '@'); at >= 0 {
		if strings.ContainsAny(host[:at], "[]@") {
			return false
		}
		host = host[at+1:]
	}
	port := ""
	if literal, ok := strings.CutPrefix(host, "["); ok {
		inside, behind, closed := strings.Cut(literal, "]")
		if !closed || !strings.Contains(inside, ":") && !strings.HasPrefix(inside, "v") {
			return false
		}
		host, port = "", behind
	} else if name, behind, colon := strings.Cut(host, ":"); colon {
		host, port = name, ":"+behind
	}
	if strings.ContainsAny(host, "[]:") || port != "" && port[0] != ':' {
		return false
	}
	for i := 1; i < len(port); i++ {
		if port[i] < '0' || port[i] > '9' {
			return false
		}
	}
	return true
}

func hexDigit(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
}
