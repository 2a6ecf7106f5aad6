package form

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"
)

// What is refused says where, why, and what would be right. That patterns mean what they
// mean in a browser is tested there.
func TestPatternsThatAreRefused(t *testing.T) {
	for pattern, want := range map[string]string{
		`(?i)a`: "at character 2: a flag", `^(?=x)`: "look-around", `(?<!x)y`: "look-around", `(.)\1`: "a back reference", `\k<n>`: "a back reference",
		`[[:alpha:]]`: `a lone ']'; right would be \]`, `\-`: `\-, which stands for nothing`, `{,3}`: "a lone '{'", `a{2`: "begins no repetition", `a{3,2}`: "the wrong way round",
		`a{1001}`: "maxLength", `a**`: "a repetition of a repetition", `(`: "a ( without its )", `)`: "a ) without its (", `[`: "a [ without its ]", `\`: "at the end",
		`\p{Klingon}`: "none of the properties", `[b-a]`: "the wrong way round", `[\w-z]`: "between sets", `\u{110000}`: "no character", `\x4`: "too few digits", "\xff": "no UTF-8",
	} {
		_, err := TranslatePattern(pattern)
		require.ErrorContains(t, err, want, pattern)
	}
}

// No text stops the reader, and what it translates is a pattern of package regexp, unless
// it is too large for that.
func FuzzPattern(f *testing.F) {
	for _, pattern := range []string{`^[A-Z]{2}\d{4}$`, `[^\s\-\u{1F600}]+|\p{L}`, `(?<year>\d{4})`, `\ud83d\ude00`, `[]`, `[^]`} {
		f.Add(pattern, "Heron 7")
	}
	f.Fuzz(func(t *testing.T, pattern, text string) {
		translated, err := TranslatePattern(pattern)
		if err != nil {
			return
		}
		compiled, err := regexp.Compile(translated)
		if err != nil {
			require.Regexp(t, "repeat count|too large|nesting depth", err.Error(), "%q", translated)
			return
		}
		compiled.MatchString(text)
	})
}
