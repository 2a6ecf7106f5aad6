package meaning

import "strconv"

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
