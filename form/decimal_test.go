package form

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/number"
)

// A number is read with the decimal sign that CLDR has for the whole tag.
func TestDecimalSigns(t *testing.T) {
	letters := func(n int, first byte) (list []string) {
		list = []string{""}
		for range n {
			var longer []string
			for _, s := range list {
				for c := range byte(26) {
					longer = append(longer, s+string(rune(first+c)))
				}
			}
			list = longer
		}
		return list
	}
	regions := append(letters(2, 'A'), "", "419", "001", "150")
	known := 0
	for _, base := range letters(2, 'a') {
		if _, err := language.Parse(base); err != nil || base == "no" || base == "mo" || base == "sh" { // CLDR has these under newer names
			continue
		}
		for _, region := range regions {
			name := strings.TrimSuffix(base+"-"+region, "-")
			tag, err := language.Parse(name)
			if err != nil {
				continue
			}
			known++
			comma := strings.Contains(message.NewPrinter(tag).Sprint(number.Decimal(1.5)), ",")
			require.Equal(t, comma, decimalComma(name), name)
		}
	}
	require.Greater(t, known, 20_000)
	for name, comma := range map[string]bool{"DE-ch": false, "de-Latn-CH": false, "de-u-nu-latn": true, "de-x-ch": true, "": false, "gsw-DE": false, "sr-Cyrl": true} {
		require.Equal(t, comma, decimalComma(name), name)
	}
}
