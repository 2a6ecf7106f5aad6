package form

import (
	"math/big"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func drawNumber(t *rapid.T, name string) Value {
	coef := rapid.Int64Range(-1_000_000_000, 1_000_000_000).Draw(t, name)
	return Number(coef, int32(rapid.IntRange(-9, 9).Draw(t, name+" exponent")))
}

func rational(v Value) *big.Rat {
	r, ok := new(big.Rat).SetString(strconv.FormatInt(v.Coef, 10) + "e" + strconv.Itoa(int(v.Exp)))
	if !ok {
		panic("no number")
	}
	return r
}

func TestNumbersAreExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := drawNumber(t, "a"), drawNumber(t, "b")
		order, ok := a.Compare(b)
		require.True(t, ok)
		require.Equal(t, rational(a).Cmp(rational(b)), order)
		require.Equal(t, a == b, order == 0)
		if b.Coef > 0 {
			quotient := new(big.Rat).Quo(rational(a), rational(b))
			require.Equal(t, quotient.IsInt(), multipleOf(a, b))
		}
		again, ok := NumberFromText(a.String())
		require.True(t, ok)
		require.Equal(t, a, again)
	})
}

func TestNumbersAsTyped(t *testing.T) {
	for text, want := range map[string]string{
		"9.40": "9.4", "+7": "7", "007.50": "7.5", ".5": "0.5", "5.": "5", "1e3": "1000", "-0": "0", "0.000": "0",
		"123456789012345678": "123456789012345678", "100000000000000000000": "1e20",
	} {
		v, ok := parseNumber(text, false)
		require.True(t, ok, text)
		require.Equal(t, want, v.String(), text)
	}
	for _, text := range []string{"", ".", "-", "9 m", "1e", "0x1F", "1_000", "1,5", "1.2.3", "1234567890123456789", "1e999", "NaN"} {
		_, ok := parseNumber(text, false)
		require.False(t, ok, text)
	}
	v, ok := parseNumber("9,40", true)
	require.True(t, ok)
	require.Equal(t, Number(94, -1), v)
}

// Thousands are grouped as the language does it, or with spaces and apostrophes. Any other sign in a
// number makes it none: nobody wants 1.2 to be sent as 12.
func TestGroupedNumbers(t *testing.T) {
	for text, want := range map[string]string{
		"de 1.500,00": "1500", "de 1.200": "1200", "de -12.345.678,5": "-12345678.5", "de 1,2": "1.2", "fr 1 500,5": "1500.5", "fr 1\u202f500": "1500", "de-CH 1’500.5": "1500.5",
		"en 1,500.00": "1500", "en 12,345,678": "12345678", "en 1'500": "1500", "en 1500": "1500",
		"de 1.5": "", "de 1.50": "", "de 1.2000": "", "de 12.3.456": "", "de .500": "", "de 1.500.": "", "de 1.500,000.000": "", "de 1234.567": "",
		"en 1,5": "", "en 1,200,": "", "en 1,,200": "", "en 1 20": "", "en 1, 200": "", "en 1.000.000": "", "en a,bcd": "", "en 1,2a3": "",
	} {
		lang, raw, _ := strings.Cut(text, " ")
		f, err := New(Declaration{Name: "p", Lang: lang, Fields: []Field{{Path: "n", Kind: KindNumber}}})
		require.NoError(t, err)
		v := f.Parse(0, raw)
		require.Equal(t, want != "", v.Kind == ValueNumber, text)
		if want != "" {
			require.Equal(t, want, v.String(), text)
		}
	}
}

func TestClocks(t *testing.T) {
	for text, want := range map[string]string{
		"2031-05-02": "2031-05-02", "0000-02-29": "0000-02-29", "08:30": "08:30", "08:30:00": "08:30", "08:30:15.250": "08:30:15.25",
		"08:30:00Z": "08:30:00Z", "08:30:00+01:00": "08:30:00+01:00", "23:59:60Z": "23:59:60Z",
		"2031-05-02T10:30": "2031-05-02T10:30", "2031-05-02 10:30:05-02:30": "2031-05-02T10:30:05-02:30", "1969-12-31T23:59Z": "1969-12-31T23:59:00Z",
	} {
		v, ok := ParseDate(text)
		if !ok {
			v, ok = ParseTime(text)
		}
		if !ok {
			v, ok = ParseDateTime(text)
		}
		require.True(t, ok, text)
		require.Equal(t, want, v.String())
	}
	for _, text := range []string{"2031-02-29", "2031-13-01", "2031-5-2", "24:00", "08:60", "08:30:60Z", "8:30", "2031-05-02T", "08:30:00+25:00"} {
		_, date := ParseDate(text)
		_, clock := ParseTime(text)
		_, both := ParseDateTime(text)
		require.False(t, date || clock || both, text)
	}
	early, _ := ParseTime("10:00:00+02:00")
	late, _ := ParseTime("09:00:00Z")
	order, _ := early.Compare(late)
	require.Equal(t, -1, order)
}

func TestFormats(t *testing.T) {
	for _, good := range []string{"ada@saltmarsh.example", "a.b+c@quay.example", "a..b@quay.example", ".a@quay"} {
		require.True(t, HasFormat("email", good), good)
	}
	for _, bad := range []string{"", "ada", "ada@", "@quay", "a b@quay.example", "ada@-quay.example", "ada@quay..example"} {
		require.False(t, HasFormat("email", bad), bad)
	}
	for _, good := range []string{"https://quay.example/a?b#c", "urn:vessel:9", "mailto:ada@quay.example", "http://[::1]:80/"} {
		require.True(t, HasFormat("uri", good), good)
	}
	for _, bad := range []string{"", "/relative", "quay.example", "http://a b", "http://quay.example/[x]", "http://h:port/", "1a:b", "x:%zz"} {
		require.False(t, HasFormat("uri", bad), bad)
	}
}

// A constraint of another kind of value says nothing, nor does a comparison of what cannot be
// compared: a token stands for what is private.
func TestConstraintsOfTokens(t *testing.T) {
	f, err := New(Declaration{
		Name: "berth", Buttons: []string{"save"}, Submit: SubmitPolicy{Method: "POST", Timeout: 1},
		Fields: []Field{{Path: "pin", Kind: KindText, Private: true, Constraints: []Constraint{{Op: OpMinLength, Value: Number(40, 0)}, {Op: OpMaxLength, Value: Number(1, 0)}}}},
	})
	require.NoError(t, err)
	for k, broken := range []bool{true, true} {
		_, _, breaks := f.Breaks(0, k, Text("1234"))
		require.Equal(t, broken, breaks, "it is looked at where it can be")
		_, _, breaks = f.Breaks(0, k, Redacted("k3", nil))
		require.False(t, breaks)
	}
	for _, op := range []ConstraintOp{OpGreaterThan, OpAtLeast, OpLessThan, OpAtMost} {
		_, _, breaks := (&Constraint{Op: op}).BreaksBeside(Redacted("k3", nil), Redacted("k4", nil))
		require.False(t, breaks, op)
	}
}
