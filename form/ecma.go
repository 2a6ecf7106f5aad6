//go:build !js

package form

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// TranslatePattern writes a pattern of ECMA-262 (section 22.2.1, with the u flag: JSON
// Schema 2020-12, core, section 6.4) in the syntax of package regexp, with the same
// meaning: what a browser finds in a text, the server finds there too. Look-around and
// back references are refused: a matcher that knows them can be stopped by one long text.
func TranslatePattern(pattern string) (string, error) {
	if !utf8.ValidString(pattern) {
		return "", errors.New("it is no UTF-8")
	}
	p := patternReader{rest: pattern, names: map[string]bool{}}
	out, err := p.disjunction(0)
	if err == nil && p.rest != "" {
		err = p.wrong("a ) without its (")
	}
	return out, err
}

type patternReader struct {
	read, rest string
	names      map[string]bool // of groups
}

// deepest is how deep groups may be nested, as in package regexp.
const deepest = 500

func (p *patternReader) wrong(what string) error {
	return fmt.Errorf("at character %d: %s", utf8.RuneCountInString(p.read)+1, what)
}

// take reads a text that is next, if it is.
func (p *patternReader) take(text string) bool {
	if !strings.HasPrefix(p.rest, text) {
		return false
	}
	p.read, p.rest = p.read+text, p.rest[len(text):]
	return true
}

func (p *patternReader) next() rune {
	r, size := utf8.DecodeRuneInString(p.rest)
	p.read, p.rest = p.read+p.rest[:size], p.rest[size:]
	return r
}

func (p *patternReader) disjunction(depth int) (string, error) {
	if depth > deepest {
		return "", p.wrong("groups that are nested too deep")
	}
	var out strings.Builder
	for p.rest != "" && p.rest[0] != ')' {
		if p.take("|") {
			out.WriteByte('|')
			continue
		}
		term, err := p.term(depth)
		if err != nil {
			return "", err
		}
		out.WriteString(term)
	}
	return out.String(), nil
}

func (p *patternReader) term(depth int) (string, error) {
	for _, a := range [...][2]string{{"^", `\A`}, {"$", `\z`}, {`\b`, `\b`}, {`\B`, `\B`}} {
		if p.take(a[0]) {
			if p.rest != "" && strings.ContainsRune("*+?{", rune(p.rest[0])) {
				return "", p.wrong("a repetition of " + a[0])
			}
			return a[1], nil
		}
	}
	atom, err := p.atom(depth)
	if err != nil {
		return "", err
	}
	times, err := p.quantifier()
	return atom + times, err
}

func (p *patternReader) atom(depth int) (string, error) {
	switch {
	case p.take("("):
		return p.group(depth)
	case p.take("["):
		return p.class()
	case p.take("."):
		return `[^\n\r\x{2028}\x{2029}]`, nil
	case p.take(`\`):
		if set, is, err := p.classEscape(); is || err != nil {
			return set.String(), err
		}
		r, err := p.escape()
		return literal(r), err
	}
	if strings.ContainsRune("*+?{}]", rune(p.rest[0])) {
		return "", p.wrong(fmt.Sprintf(`a lone %q; right would be \%c`, p.rest[0], p.rest[0]))
	}
	return literal(p.next()), nil
}

func (p *patternReader) group(depth int) (string, error) {
	switch {
	case p.take("?:"):
	case strings.HasPrefix(p.rest, "?="), strings.HasPrefix(p.rest, "?!"), strings.HasPrefix(p.rest, "?<="), strings.HasPrefix(p.rest, "?<!"):
		return "", p.wrong("look-around, which no server should run on what strangers send; right would be two patterns in allOf, or a rule of the application")
	case p.take("?<"):
		name, _, closed := strings.Cut(p.rest, ">")
		if !closed || !goodGroupName(name) || p.names[name] {
			return "", p.wrong("a group without a name of its own")
		}
		p.names[name] = true
		p.take(name + ">")
	case strings.HasPrefix(p.rest, "?"):
		return "", p.wrong("a flag in the pattern; right would be the letters of both cases, as in [Aa]")
	}
	inner, err := p.disjunction(depth + 1)
	if err == nil && !p.take(")") {
		err = p.wrong("a ( without its )")
	}
	return "(?:" + inner + ")", err
}

func goodGroupName(name string) bool {
	for k, r := range name {
		if r != '$' && r != '_' && !unicode.IsLetter(r) && (k == 0 || !unicode.IsDigit(r)) {
			return false
		}
	}
	return name != ""
}

// most is how often a part may be repeated, in package regexp.
const most = 1000

func (p *patternReader) quantifier() (string, error) {
	out := ""
	switch {
	case p.take("*"):
		out = "*"
	case p.take("+"):
		out = "+"
	case p.take("?"):
		out = "?"
	case p.take("{"):
		inner, _, closed := strings.Cut(p.rest, "}")
		low, high, both := strings.Cut(inner, ",")
		if !closed || !digitsOnly(low) || both && high != "" && !digitsOnly(high) {
			return "", p.wrong(`a { that begins no repetition; right would be \{, or {2,4}`)
		}
		p.take(inner + "}")
		n, nErr := strconv.Atoi(low)
		m, mErr := n, nErr
		if high != "" {
			m, mErr = strconv.Atoi(high)
		}
		switch {
		case nErr != nil, mErr != nil, n > most, m > most:
			return "", p.wrong("more than 1000 repetitions; right would be maxLength")
		case n > m:
			return "", p.wrong("a repetition whose bounds are the wrong way round")
		}
		out = "{" + strconv.Itoa(n)
		if both {
			out += ","
			if high != "" {
				out += strconv.Itoa(m)
			}
		}
		out += "}"
	default:
		return "", nil
	}
	p.take("?") // a lazy one finds the same
	if p.rest != "" && strings.ContainsRune("*+?", rune(p.rest[0])) {
		return "", p.wrong("a repetition of a repetition")
	}
	return out, nil
}

func digitsOnly(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == ""
}

// classEscape reads an escape that stands for a set, behind its backslash.
func (p *patternReader) classEscape() (set runes, is bool, err error) {
	for _, c := range [...]struct {
		letter string
		set    runes
	}{{"d", digitRunes}, {"w", wordRunes}, {"s", spaceRunes}} {
		if p.take(c.letter) {
			return c.set, true, nil
		}
		if p.take(strings.ToUpper(c.letter)) {
			return c.set.but(), true, nil
		}
	}
	not := strings.HasPrefix(p.rest, "P{")
	if !not && !strings.HasPrefix(p.rest, "p{") {
		return nil, false, nil
	}
	name, _, closed := strings.Cut(p.rest[2:], "}")
	set, known := property(name)
	if !closed || !known {
		return nil, false, p.wrong(`\p{` + name + `}, which is none of the properties that are known here; right would be a general category such as Lu, Script=Greek, or ranges`)
	}
	p.take(p.rest[:len(name)+3])
	if not {
		set = set.but()
	}
	return set, true, nil
}

// class reads a class behind its bracket.
func (p *patternReader) class() (string, error) {
	not := p.take("^")
	var set runes
	for !p.take("]") {
		low, lowSet, err := p.classAtom()
		if err != nil {
			return "", err
		}
		if strings.HasPrefix(p.rest, "-") && !strings.HasPrefix(p.rest, "-]") {
			p.take("-")
			high, highSet, err := p.classAtom()
			switch {
			case err != nil:
				return "", err
			case lowSet != nil || highSet != nil:
				return "", p.wrong("a range between sets of characters")
			case low > high:
				return "", p.wrong("a range whose bounds are the wrong way round")
			}
			set = append(set, low, high)
			continue
		}
		if lowSet != nil {
			set = append(set, lowSet...)
		} else {
			set = append(set, low, low)
		}
	}
	if not {
		return set.but().String(), nil
	}
	return set.ordered().String(), nil
}

// classAtom reads a character, or an escape that stands for a set.
func (p *patternReader) classAtom() (rune, runes, error) {
	switch {
	case p.rest == "":
		return 0, nil, p.wrong("a [ without its ]")
	case !p.take(`\`):
		return p.next(), nil, nil
	case p.take("b"):
		return '\b', nil, nil
	case p.take("-"):
		return '-', nil, nil
	}
	if set, is, err := p.classEscape(); is || err != nil {
		return 0, set, err
	}
	r, err := p.escape()
	return r, nil, err
}

// escape reads a character behind its backslash.
func (p *patternReader) escape() (rune, error) {
	for _, c := range [...]struct {
		letter string
		r      rune
	}{{"f", '\f'}, {"n", '\n'}, {"r", '\r'}, {"t", '\t'}, {"v", '\v'}} {
		if p.take(c.letter) {
			return c.r, nil
		}
	}
	switch {
	case p.rest == "":
		return 0, p.wrong(`a \ at the end`)
	case p.rest[0] == '0' && (len(p.rest) == 1 || p.rest[1] < '0' || p.rest[1] > '9'):
		p.take("0")
		return 0, nil
	case p.rest[0] >= '0' && p.rest[0] <= '9', p.rest[0] == 'k':
		return 0, p.wrong("a back reference, which no server should run on what strangers send; right would be a rule of the application")
	case p.rest[0] == 'c' && len(p.rest) > 1 && (p.rest[1]|0x20) >= 'a' && (p.rest[1]|0x20) <= 'z':
		r := rune(p.rest[1] & 31)
		p.take(p.rest[:2])
		return r, nil
	case p.take("x"):
		return p.hex(2)
	case p.take("u{"):
		digits, _, closed := strings.Cut(p.rest, "}")
		n, err := strconv.ParseUint(digits, 16, 32)
		if !closed || err != nil || strings.ContainsAny(digits, "+_") || n > unicode.MaxRune {
			return 0, p.wrong(`a \u{ that is no character`)
		}
		p.take(digits + "}")
		return rune(n), nil
	case p.take("u"):
		r, err := p.hex(4)
		if err == nil && r >= 0xd800 && r < 0xdc00 && strings.HasPrefix(p.rest, `\u`) { // two halves of one character
			ahead := *p
			ahead.take(`\u`)
			if low, err := ahead.hex(4); err == nil && low >= 0xdc00 && low < 0xe000 {
				*p = ahead
				r = (r-0xd800)<<10 + (low - 0xdc00) + 0x10000
			}
		}
		return r, err
	case strings.ContainsRune(`^$\.*+?()[]{}|/`, rune(p.rest[0])):
		return p.next(), nil
	}
	return 0, p.wrong(fmt.Sprintf(`\%c, which stands for nothing; right would be the character without a backslash`, p.next()))
}

func (p *patternReader) hex(digits int) (rune, error) {
	if len(p.rest) < digits || strings.Trim(p.rest[:digits], "0123456789abcdefABCDEF") != "" {
		return 0, p.wrong("too few digits of a character's number")
	}
	n, _ := strconv.ParseUint(p.rest[:digits], 16, 32)
	p.take(p.rest[:digits])
	return rune(n), nil
}

// literal writes a character. Half of a character is in no text.
func literal(r rune) string {
	if r >= 0xd800 && r < 0xe000 {
		return runes(nil).String()
	}
	return regexp.QuoteMeta(string(r))
}
