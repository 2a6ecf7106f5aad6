//go:build !js

package form

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// runes is a set of characters: ranges, low and high in turn.
type runes []rune

func (s runes) String() string {
	if len(s) == 0 {
		return `[^\x{0}-\x{10FFFF}]`
	}
	out := "["
	for k := 0; k < len(s); k += 2 {
		out += fmt.Sprintf(`\x{%X}-\x{%X}`, s[k], s[k+1])
	}
	return out + "]"
}

// ordered joins the ranges that touch each other, in order.
func (s runes) ordered() runes {
	type pair [2]rune
	pairs := make([]pair, 0, len(s)/2)
	for k := 0; k < len(s); k += 2 {
		pairs = append(pairs, pair{s[k], s[k+1]})
	}
	slices.SortFunc(pairs, func(a, b pair) int { return int(a[0]) - int(b[0]) })
	var out runes
	for _, r := range pairs {
		if n := len(out); n > 0 && r[0] <= out[n-1]+1 {
			out[n-1] = max(out[n-1], r[1])
		} else {
			out = append(out, r[0], r[1])
		}
	}
	return out
}

// but returns every character that a set does not have.
func (s runes) but() runes {
	var out runes
	from := rune(0)
	s = s.ordered()
	for k := 0; k < len(s); k += 2 {
		if s[k] > from {
			out = append(out, from, s[k]-1)
		}
		from = s[k+1] + 1
	}
	if from <= unicode.MaxRune {
		out = append(out, from, unicode.MaxRune)
	}
	return out
}

// Sets of ECMA-262, section 22.2.2.9.
var (
	digitRunes = runes{'0', '9'}
	wordRunes  = runes{'0', '9', 'A', 'Z', '_', '_', 'a', 'z'}
	spaceRunes = runes{'\t', '\r', ' ', ' ', 0xa0, 0xa0, 0x1680, 0x1680, 0x2000, 0x200a, 0x2028, 0x2029, 0x202f, 0x202f, 0x205f, 0x205f, 0x3000, 0x3000, 0xfeff, 0xfeff}
)

// property is the set of a Unicode property, as ECMA-262's table of them names it.
func property(name string) (runes, bool) {
	kind, value, valued := strings.Cut(name, "=")
	switch {
	case kind == "Script" || kind == "sc":
		table, known := unicode.Scripts[value]
		return runesOf(table), known
	case kind == "General_Category" || kind == "gc":
		return category(value)
	case valued:
		return nil, false
	}
	switch name {
	case "Any":
		return runes{0, unicode.MaxRune}, true
	case "ASCII":
		return runes{0, unicode.MaxASCII}, true
	case "Alphabetic", "Alpha":
		return runesOf(unicode.L, unicode.Nl, unicode.Other_Alphabetic), true
	case "Uppercase", "Upper":
		return runesOf(unicode.Lu, unicode.Other_Uppercase), true
	case "Lowercase", "Lower":
		return runesOf(unicode.Ll, unicode.Other_Lowercase), true
	case "White_Space", "space":
		return runesOf(unicode.White_Space), true
	}
	return category(name)
}

func category(name string) (runes, bool) {
	if long, known := unicode.CategoryAliases[name]; known {
		name = long
	}
	table, known := unicode.Categories[name]
	return runesOf(table), known
}

func runesOf(tables ...*unicode.RangeTable) runes {
	var set runes
	add := func(low, high, stride rune) {
		if stride == 1 {
			set = append(set, low, high)
			return
		}
		for r := low; r <= high; r += stride {
			set = append(set, r, r)
		}
	}
	for _, table := range tables {
		if table == nil {
			continue
		}
		for _, r := range table.R16 {
			add(rune(r.Lo), rune(r.Hi), rune(r.Stride))
		}
		for _, r := range table.R32 {
			add(rune(r.Lo), rune(r.Hi), rune(r.Stride))
		}
	}
	return set.ordered()
}
