package formhttp

import (
	"cmp"
	"crypto/sha256"
	"encoding/base64"
	"net/url"
	"slices"
	"strings"
)

// StyleHash is the page's own style, as a source of a Content-Security-Policy
// (Content Security Policy Level 3, section 2.3.1): 'sha256-…' with its quotes.
func StyleHash() string {
	return hashOf(pageStyle)
}

func hashOf(style string) string {
	hash := sha256.Sum256([]byte(style))
	return "'sha256-" + base64.StdEncoding.EncodeToString(hash[:]) + "'"
}

// policy allows what the page uses, and nothing else.
func (h *Handler) policy() string {
	styles, scripts := origins(h.o.Styles), origins(h.o.Scripts)
	var pictures, connects []string
	if pictures = styles; h.o.Page != nil {
		pictures = union(pictures, []string{"'self'"})
	}
	if h.o.Script != "" {
		scripts, connects = union([]string{"'self'", "'wasm-unsafe-eval'"}, scripts), []string{"'self'"}
	}
	policy := "default-src 'none'"
	for _, allowed := range []struct {
		directive string
		sources   []string
	}{
		{"style-src", union([]string{hashOf(h.style)}, styles)}, {"font-src", styles}, {"img-src", pictures}, {"script-src", scripts}, {"connect-src", connects},
	} {
		if len(allowed.sources) > 0 {
			policy += "; " + allowed.directive + " " + strings.Join(allowed.sources, " ")
		}
	}
	return policy + "; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
}

// origins lists the origins of addresses, as sources of a policy (Content Security Policy Level 3,
// section 2.3.1).
func origins(addresses []string) (list []string) {
	for _, address := range addresses {
		origin := "'self'"
		if at, err := url.Parse(address); err == nil && at.Host != "" {
			origin = (&url.URL{Scheme: cmp.Or(at.Scheme, "https"), Host: at.Host}).String()
		}
		list = union(list, []string{origin})
	}
	return list
}

func union(list, more []string) []string {
	list = slices.Clone(list)
	for _, one := range more {
		if !slices.Contains(list, one) {
			list = append(list, one)
		}
	}
	return list
}
