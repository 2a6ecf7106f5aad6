//go:build !js

package form

import "regexp"

// compilePattern compiles a schema's pattern, which is found anywhere in a text. In a
// browser its own RegExp compiles it, with the same meaning.
func compilePattern(pattern string) (matcher, error) {
	translated, err := TranslatePattern(pattern)
	if err != nil {
		return nil, err
	}
	compiled, err := regexp.Compile(translated)
	if err != nil { // it is too large
		return nil, err
	}
	return compiled, nil
}
