//go:build !js

package form

import "regexp"

// compilePattern compiles a schema's pattern, which is found anywhere in a
// text. In the browser its own RegExp does the same.
func compilePattern(pattern string) (matcher, error) { return regexp.Compile(pattern) }
