package formhttp

import (
	"net/url"
	"strings"
)

// The application's versions travel as entity tags (RFC 9110, section 8.8.3), and come back as
// If-Match (section 13.1.1).

// tagOf is a version as an entity tag; empty where there is none.
func tagOf(version string) string {
	if version == "" || isTag(version) {
		return version
	}
	if tag := `"` + version + `"`; isTag(tag) {
		return tag
	}
	return `"` + url.QueryEscape(version) + `"`
}

// isTag reports whether a text is one entity tag.
func isTag(text string) bool {
	opaque, quoted := strings.CutPrefix(strings.TrimPrefix(text, "W/"), `"`)
	opaque, closed := strings.CutSuffix(opaque, `"`)
	return quoted && closed && !strings.ContainsFunc(opaque, func(c rune) bool { return c <= ' ' || c == '"' || c == 0x7f })
}

// matched is the version that a condition names, as the application writes its versions, and whether that
// is the one that is loaded. A weak tag matches nothing (section 8.8.3.2). The condition * is met by any
// version. Without a condition no version is named, and any is met.
func matched(condition, loaded string) (version string, matches bool) {
	condition = strings.TrimSpace(condition)
	if condition == "" || condition == "*" {
		return map[bool]string{true: loaded}[condition == "*"], true
	}
	if loaded == "" { // nothing is known of how the application writes them
		return condition, true
	}
	for tag := range tags(condition) {
		if tag == tagOf(loaded) && !strings.HasPrefix(tag, "W/") {
			return loaded, true
		}
		version = tag
	}
	if opaque := strings.Trim(version, `"`); !isTag(loaded) && !strings.HasPrefix(version, "W/") {
		version = opaque
	}
	return version, false
}

// tags are the entity tags of a list. What is none stands for itself.
func tags(list string) func(yield func(string) bool) {
	return func(yield func(string) bool) {
		for list != "" {
			end := len(list)
			if opened := strings.IndexByte(list, '"'); opened >= 0 {
				if closed := strings.IndexByte(list[opened+1:], '"'); closed >= 0 {
					end = opened + closed + 2
				}
			}
			tag := strings.Trim(list[:end], " \t,")
			list = strings.Trim(list[end:], " \t,")
			if tag != "" && !yield(tag) {
				return
			}
		}
	}
}

// isCondition reports whether a text can be an If-Match.
func isCondition(text string) bool {
	if text = strings.TrimSpace(text); text == "" || text == "*" {
		return true
	}
	for tag := range tags(text) {
		if !isTag(tag) {
			return false
		}
	}
	return true
}
