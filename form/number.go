package form

import (
	"cmp"
	"math"
	"math/bits"
	"strconv"
)

// Numbers are exact decimals: at most maxDigits significant digits, so that a
// coefficient and its product with a power of ten up to it fit 64 bits.
const (
	maxDigits   = 18
	maxExponent = 400
)

var powersOfTen = func() (p [maxDigits + 1]int64) {
	p[0] = 1
	for i := 1; i < len(p); i++ {
		p[i] = p[i-1] * 10
	}
	return p
}()

// parseNumber reads a decimal number as JSON writes it, and as people type it:
// a leading plus, a leading or closing point. With comma the decimal sign is a
// comma. It reports false for anything else, and for more than 18 significant
// digits.
func parseNumber(s string, comma bool) (Value, bool) {
	point := byte('.')
	if comma {
		point = ','
	}
	i, negative := 0, false
	if i < len(s) && (s[i] == '+' || s[i] == '-') {
		negative = s[i] == '-'
		i++
	}
	var coef int64
	exp, digits, zeros, seen, fraction := int32(0), 0, 0, false, false
	for ; i < len(s); i++ {
		c := s[i]
		if c == point && !fraction {
			fraction = true
			continue
		}
		if c < '0' || c > '9' {
			break
		}
		seen = true
		if fraction {
			exp--
		}
		if c == '0' { // zeros count only when a digit follows
			zeros++
			continue
		}
		if coef == 0 {
			zeros = 0
		}
		digits += zeros + 1
		if digits > maxDigits {
			return Value{}, false
		}
		coef = coef*powersOfTen[zeros]*10 + int64(c-'0')
		zeros = 0
	}
	if !seen {
		return Value{}, false
	}
	if coef != 0 {
		exp += int32(zeros)
	}
	if i < len(s) && (s[i] == 'e' || s[i] == 'E') {
		e, err := strconv.ParseInt(s[i+1:], 10, 16)
		if err != nil {
			return Value{}, false
		}
		exp, i = exp+int32(e), len(s)
	}
	if i != len(s) || coef != 0 && (exp > maxExponent || exp < -maxExponent) {
		return Value{}, false
	}
	if negative {
		coef = -coef
	}
	return Number(coef, exp), true
}

// whole reports whether a number has no fraction.
func (v Value) whole() bool { return v.Exp >= 0 }

// Integer returns a number that serves as a count, a length or an index as an integer. It cuts off a
// fraction. A number beyond 64 bits becomes the nearest integer within them, and a value that is no
// number becomes 0.
func (v Value) Integer() int64 {
	switch {
	case v.Kind != ValueNumber || v.Exp < -maxDigits:
		return 0
	case v.Exp < 0:
		return v.Coef / powersOfTen[-v.Exp]
	}
	n := v.Coef
	for range v.Exp {
		if magnitude(n) > math.MaxInt64/10 {
			if n < 0 {
				return math.MinInt64
			}
			return math.MaxInt64
		}
		n *= 10
	}
	return n
}

func appendNumber(b []byte, v Value) []byte {
	if v.Exp > 0 && v.Exp <= maxDigits {
		b = strconv.AppendInt(b, v.Coef, 10)
		for range v.Exp {
			b = append(b, '0')
		}
		return b
	}
	if v.Exp >= 0 || v.Exp < -maxDigits-3 {
		b = strconv.AppendInt(b, v.Coef, 10)
		if v.Exp != 0 {
			b = append(b, 'e')
			b = strconv.AppendInt(b, int64(v.Exp), 10)
		}
		return b
	}
	coef := v.Coef
	if coef < 0 {
		b, coef = append(b, '-'), -coef
	}
	digits := strconv.AppendInt(nil, coef, 10)
	places := int(-v.Exp)
	for len(digits) <= places {
		digits = append([]byte{'0'}, digits...)
	}
	b = append(b, digits[:len(digits)-places]...)
	b = append(b, '.')
	return append(b, digits[len(digits)-places:]...)
}

func magnitude(n int64) uint64 {
	if n < 0 {
		return uint64(-n)
	}
	return uint64(n)
}

func digitsOf(n uint64) int32 {
	d := int32(1)
	for n >= 10 {
		n /= 10
		d++
	}
	return d
}

func compareNumbers(a, b Value) int {
	signA, signB := cmp.Compare(a.Coef, 0), cmp.Compare(b.Coef, 0)
	if signA != signB || signA == 0 {
		return cmp.Compare(int64(signA), int64(signB))
	}
	x, y := magnitude(a.Coef), magnitude(b.Coef)
	topA, topB := digitsOf(x)+a.Exp, digitsOf(y)+b.Exp
	if topA != topB {
		return signA * cmp.Compare(int64(topA), int64(topB))
	}
	// The same leading place: bring both to the lower exponent; fits 18 digits.
	if a.Exp > b.Exp {
		x *= uint64(powersOfTen[a.Exp-b.Exp])
	} else {
		y *= uint64(powersOfTen[b.Exp-a.Exp])
	}
	if x == y {
		return 0
	}
	if x < y {
		return -signA
	}
	return signA
}

// multipleOf reports whether a is an exact multiple of step (step > 0).
func multipleOf(a, step Value) bool {
	if a.Coef == 0 {
		return true
	}
	x, m := magnitude(a.Coef), magnitude(step.Coef)
	if m == 0 {
		return false
	}
	shift := a.Exp - step.Exp
	if shift < 0 {
		if -shift > maxDigits {
			return false // a has places that step cannot reach, as Coef ends in no zero
		}
		high, low := bits.Mul64(m, uint64(powersOfTen[-shift]))
		return high == 0 && x%low == 0
	}
	rest := x % m
	for ; shift > 0 && rest != 0; shift-- {
		high, low := bits.Mul64(rest, 10)
		_, rest = bits.Div64(high%m, low, m)
	}
	return rest == 0
}

// NumberFromText reads a number as JSON writes it (RFC 8259, section 6), with
// at most 18 significant digits.
func NumberFromText(s string) (Value, bool) { return parseNumber(s, false) }
