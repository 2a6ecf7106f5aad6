package meaning

import (
	"strconv"
	"strings"
)

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
