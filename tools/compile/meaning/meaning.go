// Package meaning has small programs, each about some instructions of go/ssa. What each says
// is the same from Go and from what is translated.
package meaning

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Programs say something. A program that panics says nothing more.
var Programs = []struct {
	Name string
	Run  func(say func(...any))
}{
	{"arithmetic", arithmetic},
	{"shifts", shifts},
	{"division", division},
	{"conversions", conversions},
	{"floats", floats},
	{"strings", texts},
	{"runes", runes},
	{"slices", lists},
	{"arrays", arrays},
	{"structs", structs},
	{"maps", maps},
	{"maps while they are ranged over", changingMaps},
	{"interfaces", interfaces},
	{"closures", closures},
	{"methods", methods},
	{"deferred", deferred},
	{"ranges over functions", rangesOverFunctions},
	{"generics", generics},
	{"phis", phis},
	{"minimum and maximum", minimumAndMaximum},
	{"package variables", packageVariables},
	{"a lot of memory", memory},
	{"library", library},
	{"index too large", func(say func(...any)) { list := []int{1, 2}; say("before"); say(list[number(2)]) }},
	{"index below zero", func(say func(...any)) { list := []int{1, 2}; say(list[number(-1)]) }},
	{"index of an array", func(say func(...any)) { var list [3]int8; say(list[number(3)]) }},
	{"index of a text", func(say func(...any)) { say("abc"[number(3)]) }},
	{"slice too long", func(say func(...any)) { list := make([]int, 2, 4); say(len(list[:number(4)])); say(list[:number(5)]) }},
	{"slice the wrong way", func(say func(...any)) { say("abc"[number(2):number(1)]) }},
	{"nil pointer, read", func(say func(...any)) { say(nobody().name) }},
	{"nil pointer, written", func(say func(...any)) { nobody().age = 1; say("written") }},
	{"nil pointer to a part", func(say func(...any)) { p := &nobody().name; say(p != nil) }},
	{"nil map, written", func(say func(...any)) { var m map[string]int; say(m["a"], len(m)); m["a"] = 1; say("written") }},
	{"nil function", func(say func(...any)) { var f func(); say("before"); f() }},
	{"nil interface", func(say func(...any)) { var n named; say(n.called()) }},
	{"method of a nil pointer", func(say func(...any)) { say(nobody().older(2)) }},
	{"division by zero", func(say func(...any)) { say(1 / number(0)) }},
	{"remainder by zero", func(say func(...any)) { say(1 % number(0)) }},
	{"unsigned division by zero", func(say func(...any)) { say(int(1 / uint8(number(0)))) }},
	{"shift by less than nothing", func(say func(...any)) { say(1 << number(-1)) }},
	{"another type in an interface", func(say func(...any)) { var v any = "text"; say(v.(int)) }},
	{"another method in an interface", func(say func(...any)) { var v any = "text"; say(v.(named).called()) }},
	{"types that cannot be compared", func(say func(...any)) { var a, b any = []int{1}, []int{1}; say(a == b) }},
	{"an array of a shorter slice", func(say func(...any)) { list := make([]int, number(2)); say(len((*[3]int)(list))) }},
	{"length below zero", func(say func(...any)) { say(len(make([]int, number(-1)))) }},
	{"a panic", func(say func(...any)) { say("before"); panic("now") }},
}

// Run is what a program says, line by line.
func Run(n int) (said string, ends bool) {
	var lines []byte
	func() {
		defer func() { ends = recover() == nil }()
		Programs[n].Run(func(values ...any) { lines = line(lines, values) })
	}()
	return string(lines), ends
}

func line(lines []byte, values []any) []byte {
	for k, v := range values {
		if k > 0 {
			lines = append(lines, ' ')
		}
		lines = append(lines, written(v)...)
	}
	return append(lines, '\n')
}

func written(v any) string {
	switch v := v.(type) {
	case nil:
		return "nil"
	case string:
		return v
	case int:
		return strconv.Itoa(v)
	case bool:
		return strconv.FormatBool(v)
	case []int:
		var parts []string
		for _, n := range v {
			parts = append(parts, strconv.Itoa(n))
		}
		return "[" + strings.Join(parts, " ") + "]"
	case interface{ String() string }:
		return v.String()
	}
	return "?"
}

//go:noinline
func number(n int) int { return n }

// many are numbers at the edges of the types.
var many = []int{0, 1, -1, 2, -2, 7, 100, 127, 128, -128, -129, 255, 256, 32767, 32768, -32768, 65535, 65536, 1<<31 - 1, 1 << 31, -1 << 31, 1<<32 - 1, 1 << 32, 1<<53 + 1, 1<<63 - 1, -1 << 63}

func arithmetic(say func(...any)) {
	for _, a := range many {
		for _, b := range many {
			say(a+b, a-b, a*b, a&b, a|b, a^b, a&^b, -a, ^a)
			say(int(int8(a)+int8(b)), int(int8(a)*int8(b)), int(-int8(a)), int(uint8(a)-uint8(b)), int(^uint8(a)), int(uint8(a)*uint8(b)))
			say(int(int16(a)+int16(b)), int(uint16(a)*uint16(b)), int(int32(a)*int32(b)), int(uint32(a)-uint32(b)), int(-int32(a)), int(^uint32(a)))
			say(int(uint64(a)+uint64(b)), a < b, a <= b, a > b, a >= b, a == b, a != b, uint64(a) < uint64(b), uint8(a) >= uint8(b), int8(a) < int8(b))
		}
	}
}

func shifts(say func(...any)) {
	for _, a := range many {
		for _, by := range []uint8{0, 1, 5, 7, 8, 15, 16, 31, 32, 33, 63, 64, 65, 200} {
			say(a<<by, a>>by, int(uint64(a)>>by), int(int8(a)<<by), int(int8(a)>>by), int(uint8(a)<<by), int(uint8(a)>>by))
			say(int(int16(a)<<by), int(uint16(a)>>by), int(int32(a)<<by), int(int32(a)>>by), int(uint32(a)<<by), int(uint32(a)>>by), a<<int(by), a>>uint64(by))
		}
	}
}

func division(say func(...any)) {
	for _, a := range many {
		for _, b := range many {
			if b != 0 {
				say(a/b, a%b)
			}
			if int8(b) != 0 {
				say(int(int8(a)/int8(b)), int(int8(a)%int8(b)), int(uint8(a)/uint8(b)), int(uint8(a)%uint8(b)))
			}
			if int32(b) != 0 {
				say(int(int32(a)/int32(b)), int(int32(a)%int32(b)), int(uint32(a)/uint32(b)), int(uint32(a)%uint32(b)))
			}
			if uint64(b) != 0 {
				say(int(uint64(a)/uint64(b)), int(uint64(a)%uint64(b)))
			}
		}
		say(a/-1, a%-1, a/3, a%3, int(uint64(a)/10))
	}
}

func conversions(say func(...any)) {
	for _, a := range many {
		say(int(int8(a)), int(int16(a)), int(int32(a)), int(uint8(a)), int(uint16(a)), int(uint32(a)), int(uint64(a)), int(uintptr(a)), int(uintptr(a)<<40))
		say(int(float64(a>>2)), int(float32(int16(a))), int(uint64(float64(a&0xffff))), string(rune(a)))
	}
	type length int
	say(int(length(4)), string([]byte("text")), string([]rune("Käthe")), len([]rune("Käthe")), len([]byte("Käthe")))
}

func floats(say func(...any)) {
	for _, a := range many {
		f := float64(a) / 7
		say(int(f), int(f*3), int(-f), f < 1, f == 0, f != f, int(float32(f)), f > -1, f <= 2, f >= 2, int(f+0.5), int(f-0.5))
	}
	zero := float64(number(0))
	nan := zero / zero
	say(nan == nan, nan < 1, nan > 1, 1/zero > 1e300)
}

func texts(say func(...any)) {
	all := []string{"", "a", "ab", "b", "Käthe", "\xff", "a\x00b", "?\"\\", strings.Repeat("long ", 30)}
	for _, a := range all {
		for _, b := range all {
			say(a+b, a == b, a < b, a <= b, a > b, a != b, len(a+b), strings.Contains(a, b))
		}
		for k := range len(a) {
			say(int(a[k]), a[:k], a[k:])
		}
	}
	bytes := append([]byte("abc"), "def"...)
	bytes[0] = 'X'
	say(string(bytes), string(bytes[1:3]))
	say(copy(bytes, "12"))
	say(string(bytes))
}

func runes(say func(...any)) {
	for _, text := range []string{"", "abc", "Käthe", "\u20ac\U0001f6a2", "\xff\xfe", "a\xc3", "\xe2\x82", "\xf0\x9f\x9a", "\xed\xa0\x80", "\xc0\x80", "\xf5\x80\x80\x80"} {
		for at, r := range text {
			say(at, int(r), string(r))
		}
		for at := range text {
			say(at)
		}
		say(len([]rune(text)), string([]rune(text)))
		for pad := range 9 { // the library looks at eight bytes at once
			say(utf8.ValidString("quay "[:pad%6] + text + "at the quay, at the quay, at the quay"[:4*pad] + text))
		}
	}
}

func phis(say func(...any)) {
	a, b := 1, 2
	for range 5 {
		a, b = b, a+b
	}
	say(a, b)
	x, y, z := "x", "y", "z"
	for k := range 4 {
		if k%2 == 0 {
			x, y = y, x
		} else {
			x, y, z = z, x, y
		}
		say(x, y, z, k > 1 && x == "z" || y == "x")
	}
	switch n := number(3); {
	case n > 5:
		say("more")
	case n == 3:
		say("three")
		fallthrough
	default:
		say("and so on")
	}
	for k := 0; ; k++ {
		if k == 3 {
			goto out
		}
	}
out:
	say("out")
}

func minimumAndMaximum(say func(...any)) {
	for _, a := range many[:12] {
		say(min(a, 5, -5), max(a, 5), int(min(int8(a), 3)), int(max(uint8(a), 200)), min(strconv.Itoa(a), "5", "a"), max("b", strconv.Itoa(a)))
	}
}

var (
	table = [...]struct {
		name string
		list []int
	}{{"a", []int{1, 2}}, {"b", nil}, 3: {"d", []int{4}}}
	derived      = table[number(0)].list[1] + len(names)
	names        = []string{"x", "y", "z"}
	byName       = map[string]*person{"Ada": {name: "Ada"}, "Bo": {name: "Bo", tags: [2]string{"t", "u"}}}
	pointer      = &table[3]
	function     = double
	held     any = loud("held")
	errNone      = &person{name: "none"}
	words        = [...]string{2: "two", 1: "one"}
)

func packageVariables(say func(...any)) {
	say(len(table), table[3].name, table[0].list, derived, names[2], byName["Bo"].tags[1], pointer.list, function(4), written(held), errNone.name, words[1], len(words), words[0] == "")
	table[0].list[0] = 50
	pointer.name = "changed"
	say(table[0].list, table[3].name)
}

func memory(say func(...any)) {
	type node struct {
		next *node
		data [5]int
	}
	var first *node
	for k := range 20000 {
		first = &node{next: first, data: [5]int{4: k}}
	}
	sum := 0
	for n := first; n != nil; n = n.next {
		sum += n.data[4]
	}
	large := make([]int, 300000)
	large[299999] = 7
	say(sum, large[299999], len(large), len(strings.Repeat("x", 200000)))
}

func library(say func(...any)) {
	say(strconv.Itoa(-120), strconv.FormatInt(255, 16), strconv.Quote("a\n\"é\u2028"))
	n, err := strconv.Atoi("12x")
	say(n, err != nil)
	say(strings.Split("a/b/c", "/")[1], strings.Join(strings.Fields(" a  b "), "|"), strings.Replace("aaa", "a", "b", 2), strings.ToUpper("käse"), strings.EqualFold("Ä", "ä"), strings.TrimSpace("\t x \u00a0"))
	before, after, found := strings.Cut("key=value", "=")
	say(before, after, found, strings.Index("chicken", "ken"), strings.LastIndex("go gopher", "go"), strings.Count("cheese", "e"), strings.ContainsAny("abc", "xyzc"))
	list := slices.Insert([]int{1, 2, 3}, 1, 7, 8)
	slices.Sort(list)
	say(list, slices.Index(list, 7), slices.Contains(list, 9), slices.Delete(list, 1, 3))
	var b strings.Builder
	b.WriteString("one")
	b.WriteByte(' ')
	b.WriteRune('€')
	say(b.String(), b.Len())
}
