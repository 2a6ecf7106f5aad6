package form

import "syscall/js"

// jsPattern is a RegExp of the browser.
type jsPattern struct{ expression js.Value }

func (p jsPattern) MatchString(text string) bool { return p.expression.Call("test", text).Bool() }

// compilePattern compiles a schema's pattern by the browser's own RegExp, in its
// Unicode mode: JSON Schema's patterns are those (2020-12, core, section 6.4).
func compilePattern(pattern string) (m matcher, err error) {
	defer func() {
		if failed := recover(); failed != nil {
			err = failed.(js.Error)
		}
	}()
	return jsPattern{js.Global().Get("RegExp").New(pattern, "u")}, nil
}

// TranslatePattern gives a pattern back as it is: here the browser's own RegExp runs it.
func TranslatePattern(pattern string) (string, error) { return pattern, nil }
