// Package meaning has small programs, each about some instructions of go/ssa. What each says
// is the same from Go and from what is translated.
package meaning

import (
	"slices"
	"strconv"
	"strings"
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
		say(int(int8(a)), int(int16(a)), int(int32(a)), int(uint8(a)), int(uint16(a)), int(uint32(a)), int(uint64(a)), int(uintptr(uint32(a))))
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
	}
}

func lists(say func(...any)) {
	var list []int
	say(list == nil, len(list), cap(list) == 0)
	for k := range 300 {
		list = append(list, k*k)
	}
	say(len(list), list[299], list[10:20], len(list[:0]), cap(list[:2:5]), list[3:3] == nil)
	other := list[5:8]
	other[0] = -1
	other = append(other[:1:1], 77)
	say(list[5], list[6], other)
	list = append(list[:2], list[290:]...)
	say(list)
	say(copy(list, list[3:]))
	say(list)
	clear(list[:4])
	say(list)
	empty := []int{}
	say(empty == nil, len(append(empty, empty...)), append([]int(nil), empty...) == nil)
	of := make([][]string, 3, 9)
	of[1] = append(of[1], "x", "y")
	say(len(of), cap(of), len(of[1]), of[1][1], of[0] == nil)
	array := (*[2]int)(list)
	array[1] = 99
	say(list[1], len(array))
}

func arrays(say func(...any)) {
	a := [3]int{1, 2, 3}
	b := a
	b[number(1)] = 7
	say(a[1], b[1], a == b, a == [3]int{1, 2, 3}, len(a))
	p := &a
	p[2] = 8
	for k, v := range p {
		say(k, v)
	}
	say(p[:], a[1:], len(p[:2]), cap(p[:2]))
	grid := [2][2]string{{"a", "b"}, {"c", "d"}}
	copied := grid
	copied[1][0] = "x"
	say(grid[1][0], copied[1][0], grid == copied, grid[number(0)][number(1)])
	say([4]int{3: 1}[number(3)], [...]string{"a", "b"}[number(1)])
}

type person struct {
	name string
	age  int
	tags [2]string
	_    int8
	more struct {
		flag bool
		byte uint8
	}
}

func nobody() *person { return nil }

func (p *person) older(by int) int { return p.age + by }
func (p person) called() string    { return p.name }
func (p *person) rename(to string) { p.name = to }

func structs(say func(...any)) {
	a := person{name: "Ada", age: 36}
	b := a
	b.tags[1] = "x"
	b.more.flag = true
	say(a == b, a.name == b.name, a.tags[1], b.tags[1], b.more.flag)
	p := &b
	q := p
	q.age++
	say(b.age, p == q, p == &a, (*p).name, *p == b)
	list := []person{a, b}
	list[0].age = 1
	for _, each := range list {
		each.age = 100
	}
	say(list[0].age, a.age, list[1].age)
	pair := func() (person, error) { return a, nil }
	got, err := pair()
	say(got.age, err == nil, struct{}{} == struct{}{})
	say(pair2(3))
}

func pair2(n int) int {
	a, b, c := triple(n)
	return a + len(b) + int(c)
}

func triple(n int) (int, string, int8) { return n, "abc", -1 }

func maps(say func(...any)) {
	m := map[string]int{}
	for k := range 200 {
		m["k"+strconv.Itoa(k)] = k
	}
	for k := 0; k < 200; k += 3 {
		delete(m, "k"+strconv.Itoa(k))
	}
	v, ok := m["k7"]
	w, none := m["k9"]
	say(len(m), v, ok, w, none, m["nothing"])
	sum := 0
	for key, value := range m {
		sum += value * len(key)
	}
	for key := range m {
		sum += len(key)
	}
	m["k7"] += 5
	m["k7"]++
	say(sum, m["k7"])
	type key struct {
		name string
		at   [2]int
		any  any
	}
	keyed := map[key]bool{{"a", [2]int{1, 2}, 3}: true}
	say(keyed[key{"a", [2]int{1, 2}, 3}], keyed[key{"a", [2]int{1, 2}, "3"}])
	pointers := map[*person]int{}
	one, other := &person{}, &person{}
	pointers[one], pointers[other] = 1, 2
	say(pointers[one], pointers[other], len(pointers))
	mixed := map[any]int{1: 1, "1": 2, int8(1): 3, true: 4, 1.5: 5}
	say(mixed[1], mixed["1"], mixed[int8(1)], mixed[true], mixed[false], mixed[1.5])
	floats := map[float64]int{0: 1}
	minus := -float64(number(0))
	say(floats[minus], floats[float64(number(0))])
	runes := map[rune][]string{'a': {"x"}}
	runes['a'] = append(runes['a'], "y")
	say(len(runes['a']), len(runes['b']))
	var empty map[string]int
	say(empty["a"], len(empty), empty == nil)
	for range empty {
		say("never")
	}
	delete(empty, "a")
	clear(m)
	say(len(m))
	m["again"] = 1
	say(m["again"])
}

// Whatever is in a map when the range begins and is not deleted is met once.
func changingMaps(say func(...any)) {
	m := map[int]int{}
	for k := range 50 {
		m[k] = k
	}
	met := map[int]int{}
	for k := range m {
		met[k]++
		if k < 50 {
			for j := range 20 {
				m[1000+k*100+j] = 1
				delete(m, 1000+k*100+j-1)
			}
		}
	}
	once := true
	for k := range 50 {
		once = once && met[k] == 1
	}
	say(once, len(m))
	for k := range m {
		delete(m, k)
	}
	say(len(m))
}

type (
	named interface{ called() string }
	dog   struct{ named }
	count int
	loud  string
)

func (c count) called() string  { return strconv.Itoa(int(c)) }
func (c *count) add(n int)      { *c += count(n) }
func (l loud) String() string   { return strings.ToUpper(string(l)) }
func (l loud) called() string   { return string(l) + "!" }
func (l loud) with(n int) named { return loud(strings.Repeat(string(l), n)) }

func interfaces(say func(...any)) {
	all := []any{nil, 1, int8(1), "1", 1.5, true, []int{1}, person{name: "Ada"}, &person{name: "Bo"}, count(7), loud("hey"), dog{count(3)}, [2]int{1, 2}, func() {}}
	for k, v := range all {
		n, is := v.(named)
		text, isText := v.(string)
		_, isCount := v.(count)
		say(k, is, text, isText, isCount, v == nil)
		if is {
			say(n.called())
		}
		switch v := v.(type) {
		case int, int8:
			say("a number", v == any(1))
		case interface{ String() string }:
			say("says", v.String())
		case *person:
			say("a pointer", v.name)
		case named:
			say("named", v.called())
		case []int:
			say(v)
		}
	}
	for i, a := range all[:6] {
		for j, b := range all[:6] {
			say(i, j, a == b, a != b)
		}
	}
	var a, b named = count(1), count(1)
	say(a == b, a == named(loud("1")), any(a) == any(count(1)), any(person{name: "x"}) == any(person{name: "x"}), any([2]int{1, 2}) == all[12])
	var c any = a
	say(c.(named).called(), c.(count) == 1, c == a)
}

func closures(say func(...any)) {
	total := 0
	add := func(n int) int { total += n; return total }
	say(add(1), add(2), total)
	var fs []func() int
	for k := range 3 {
		fs = append(fs, func() int { k *= 10; return k + total })
	}
	say(fs[0](), fs[1](), fs[1](), fs[2]())
	var fib func(int) int
	fib = func(n int) int {
		if n < 2 {
			return n
		}
		return fib(n-1) + fib(n-2)
	}
	say(fib(15), apply(4, func(n int) int { return n * n }), apply(4, double))
	text, pair := "x", [2]string{"a", "b"}
	f := func() string { return text + pair[1] }
	text, pair[1] = "y", "z"
	say(f(), fs == nil, f != nil)
}

func apply(n int, f func(int) int) int { return f(n) }
func double(n int) int                 { return 2 * n }

func methods(say func(...any)) {
	p := &person{name: "Ada", age: 3}
	older, called := p.older, person.called
	p.age = 10
	say(older(1), called(*p), (*person).older(p, 5), p.called())
	rename := p.rename
	rename("Bo")
	say(p.name)
	var c count
	c.add(4)
	add := c.add
	add(5)
	say(int(c), c.called())
	d := dog{loud("wuff")}
	say(d.called(), dog.called(d), named.called(d), loud("ab").with(2).called())
	f := named(d).called
	say(f())
}

func deferred(say func(...any)) {
	say(counting(say))
	for k := range 3 {
		defer func(n int, text string) { say("outer", n, text, k) }(k*2, "t"+strconv.Itoa(k))
	}
	p := &person{name: "Ada"}
	defer p.rename("changed")
	defer say("arguments are taken at once:", p.name)
	p.name = "Bo"
	defer person.called(*p)
	var n named = count(3)
	defer n.called()
	m := map[string]int{"a": 1}
	defer delete(m, "a")
	early(say, true)
	early(say, false)
}

func counting(say func(...any)) (n int) {
	defer func() { n *= 2 }()
	for k := range 4 {
		defer func() { n += k; say("at", n) }()
	}
	return 100
}

func early(say func(...any), so bool) {
	defer say("early", so)
	if so {
		return
	}
	defer say("late")
}

func upTo(n int) func(func(int) bool) {
	return func(yield func(int) bool) {
		for k := range n {
			if !yield(k) {
				return
			}
		}
	}
}

func pairs(of map[string]int, order []string) func(func(string, int) bool) {
	return func(yield func(string, int) bool) {
		for _, name := range order {
			if !yield(name, of[name]) {
				return
			}
		}
	}
}

func rangesOverFunctions(say func(...any)) {
	for k := range upTo(10) {
		if k == 2 {
			continue
		}
		if k == 5 {
			break
		}
		say(k)
	}
	say(found(say), nested(say))
	for name, n := range pairs(map[string]int{"a": 1, "b": 2}, []string{"b", "a"}) {
		say("pair", name, n)
	}
}

func found(say func(...any)) int {
	for k := range upTo(100) {
		if k*k > 50 {
			return k
		}
	}
	return -1
}

func nested(say func(...any)) (n int) {
outer:
	for a := range upTo(5) {
		for b := range upTo(5) {
			if b == 3 {
				continue outer
			}
			if a == 3 {
				break outer
			}
			n += a * b
		}
	}
	return n
}

type ordered interface{ ~int | ~string }

func largest[T ordered](list ...T) (most T) {
	for k, v := range list {
		if k == 0 || v > most {
			most = v
		}
	}
	return most
}

type stack[T any] struct{ items []T }

func (s *stack[T]) push(v T) { s.items = append(s.items, v) }
func (s *stack[T]) all() func(func(T) bool) {
	return func(yield func(T) bool) {
		for k := len(s.items) - 1; k >= 0; k-- {
			if !yield(s.items[k]) {
				return
			}
		}
	}
}

func generics(say func(...any)) {
	say(largest(3, 9, 2), largest("b", "c", "a"), int(largest[count](4, 5)))
	var s stack[person]
	s.push(person{name: "Ada"})
	s.push(person{name: "Bo"})
	for p := range s.all() {
		say(p.name)
	}
	var n stack[*int]
	k := 4
	n.push(&k)
	*n.items[0]++
	say(k, len(n.items))
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
