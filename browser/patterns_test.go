//go:build !js

package browser_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/chromiumtest"
)

// patternParts are what random patterns are made of: what is right, what is wrong with
// the u flag, and what means other things in other languages.
var patternParts = []string{
	"a", "b", "B", "-", "/", "é", "😀", " ", "\u00a0", "0", "9", "_", ".", ".", "^", "$", "|", "*", "+", "?", "{2}", "{1,2}", "{0,}", "{,3}", "{", "}", "]", "(", ")", "(?:", "(?<n>", "[", "[^", "]", "]",
	`\d`, `\D`, `\w`, `\W`, `\s`, `\S`, `\b`, `\B`, `\-`, `\.`, `\/`, `\]`, `\n`, `\r`, `\t`, `\v`, `\f`, `\0`, `\cJ`, `\x41`, `\u00e9`, `\u{1F600}`, `\ud83d\ude00`, `\ud83d`, `\A`, `\z`, `\e`, `\a`, `\p{L}`, `\P{Lu}`, `\p{Script=Greek}`, `\p{gc=Nd}`, `\p{Uppercase_Letter}`,
	`\p{Alphabetic}`, `\p{ASCII}`, `\p{Greek}`, `\pL`, "(?i)", "[[:alpha:]]", "[a-c]", "[^a]", `[\w-z]`, "[z-a]", "[a-]", "[]", "[^]", `[\s\d]`, "a??", "+?", "**",
}

var patternTexts = []string{
	"", "a", "b", "B", "ab", "aab", "AB", "é", "É", "😀", "😀😀", " ", "\u00a0", "\r", "\n", "a\nb", "\u2028", "\u2029", "\ufeff", "\v", "\x00", "0", "9", "٣", "_", "-", "/", ".", "a.b", "a-b", "Ω", "ω", "ß", "ſ", "K", "]", "}", "\\", "A1", "12", "zz",
}

// lacks are refusals of our own: a browser takes these.
var lacks = regexp.MustCompile(`look-around|back reference|none of the properties|a flag in the pattern|1000 repetitions|too deep|name of its own|invalid repeat count`)

// A pattern finds on the server what the browser's own RegExp finds, and one that is a
// mistake in the browser is one on the server.
func TestPatternsMeanTheSame(t *testing.T) {
	page := chromiumtest.Open(t)
	count := 3000
	if os.Getenv("LONG") != "" {
		count = 100_000
	}
	random := rand.New(rand.NewPCG(17, 0))
	patterns := []string{`^[A-Z]{2}\d{4}$`, `(?i)a`, `[[:alpha:]]`, `\-`, `\A`, `{,3}`, `\u00e9`, `\p{Script=Greek}`, `[^]`, `^\s.\d$`, `[\w.+-]+@[\w-]+`}
	for len(patterns) < count {
		var p strings.Builder
		for range 1 + random.IntN(6) {
			p.WriteString(patternParts[random.IntN(len(patternParts))])
		}
		patterns = append(patterns, p.String())
	}
	asked, err := json.Marshal(map[string]any{"patterns": patterns, "texts": patternTexts})
	require.NoError(t, err)
	text, err := chromedp.Run(page, chromedp.Evaluate[string](`(({patterns, texts}) => patterns.map(p => {
		try { const r = new RegExp(p, "u"); return texts.map(t => r.test(t) ? 1 : 0).join("") } catch { return "x" }
	}).join(","))(`+string(asked)+`)`))
	require.NoError(t, err)
	found := strings.Split(text, ",")
	require.Len(t, found, len(patterns))
	valid, refused := 0, 0
	for k, p := range patterns {
		translated, err := form.TranslatePattern(p)
		var compiled *regexp.Regexp
		if err == nil {
			compiled, err = regexp.Compile(translated)
		}
		if err != nil {
			if found[k] != "x" {
				require.Regexp(t, lacks, err.Error(), "the browser takes %q", p)
				refused++
			}
			continue
		}
		require.NotEqual(t, "x", found[k], "the browser refuses %q, translated to %s", p, translated)
		valid++
		for at, text := range patternTexts {
			require.Equal(t, fmt.Sprint(found[k][at]-'0'), map[bool]string{true: "1", false: "0"}[compiled.MatchString(text)], "%q in %q, translated to %s", p, text, translated)
		}
	}
	t.Logf("%d patterns: %d mean the same, %d are refused though a browser takes them, the others are mistakes for both", len(patterns), valid, refused)
	require.Greater(t, valid, count/4)
}
