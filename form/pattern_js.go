package form

import "errors"

// The browser's own RegExp, in its Unicode mode: a pattern has a number, or none if it is
// wrong.

//go:wasmimport leanwicket pattern
func newPattern(pattern string) int32

//go:wasmimport leanwicket matches
func matches(pattern int32, text string) int32

type hostPattern int32

func (p hostPattern) MatchString(text string) bool { return matches(int32(p), text) != 0 }

var errPattern = errors.New("the browser does not know this pattern")

// compilePattern compiles a schema's pattern by the browser's own RegExp: JSON Schema's
// patterns are those (2020-12, core, section 6.4).
func compilePattern(pattern string) (m matcher, err error) {
	number := newPattern(pattern)
	if number < 0 {
		return nil, errPattern
	}
	return hostPattern(number), nil
}

// TranslatePattern gives a pattern back as it is: here the browser's own RegExp runs it.
func TranslatePattern(pattern string) (string, error) { return pattern, nil }
