package main

import (
	"fmt"
	"go/constant"
	"go/token"
	"go/types"
	"maps"
	"slices"
	"strings"

	"golang.org/x/tools/go/ssa"
)

// What an init only puts into variables, such as a table, is written as what they hold from
// the beginning, instead of as code.

// content is what a variable or a part of it holds: an expression of C, or parts.
type content struct {
	leaf  string
	parts map[int]*content
	array bool
}

// place is the address of a variable or of a part of it.
type place struct {
	name string
	path []step
}

type step struct {
	index int
	array bool
}

func (at place) expression() string {
	text := "(P)&" + at.name
	for _, s := range at.path {
		if s.array {
			text += fmt.Sprintf(".a[%d]", s.index)
		} else {
			text += fmt.Sprintf(".f%d", s.index)
		}
	}
	return text
}

func (at place) within(index int, array bool) place {
	return place{at.name, append(slices.Clone(at.path), step{index, array})}
}

// part is a slice of a whole array.
type part struct {
	of place
	n  int64
}

// placed puts into variables what it can of an init, and returns the rest.
func (p *program) placed(f *ssa.Function, need map[ssa.Instruction]bool) (computed map[ssa.Instruction]bool) {
	computed = map[ssa.Instruction]bool{}
	known := map[ssa.Value]any{} // a place, a part, or a content
	var all []ssa.Instruction
	for _, block := range f.Blocks {
		for _, in := range block.Instrs {
			if need[in] {
				all = append(all, in)
			}
		}
	}
	written := map[ssa.Value]bool{} // variables that the rest writes to, or can
	for _, in := range all {
		if load, ok := in.(*ssa.UnOp); ok && written[root(load.X)] || !p.put(in, known) {
			computed[in] = true
			for _, v := range in.Operands(nil) {
				written[root(*v)] = true
			}
		}
	}
	// The addresses that the rest needs are made there once more.
	for _, in := range slices.Backward(all) {
		if v, ok := in.(ssa.Value); ok && !computed[in] && slices.ContainsFunc(*v.Referrers(), func(user ssa.Instruction) bool { return computed[user] }) {
			computed[in] = true
		}
	}
	return computed
}

// put carries out an instruction, where all is known that it takes.
func (p *program) put(in ssa.Instruction, known map[ssa.Value]any) bool {
	where := func(v ssa.Value) (place, bool) {
		if g, ok := v.(*ssa.Global); ok {
			return place{name: p.global(g)}, true
		}
		at, ok := known[v].(place)
		return at, ok
	}
	switch x := in.(type) {
	case *ssa.Alloc:
		known[x] = place{name: p.place(x, x.Type())}
		return true
	case *ssa.FieldAddr:
		at, ok := where(x.X)
		if ok {
			known[x] = at.within(x.Field, false)
		}
		return ok
	case *ssa.IndexAddr:
		index, isConst := x.Index.(*ssa.Const)
		at, ok := where(x.X)
		if _, pointer := x.X.Type().Underlying().(*types.Pointer); !isConst || !ok || !pointer {
			return false
		}
		k, _ := constant.Int64Val(constant.ToInt(index.Value))
		known[x] = at.within(int(k), true)
		return true
	case *ssa.Slice:
		at, ok := where(x.X)
		pointer, whole := x.X.Type().Underlying().(*types.Pointer)
		if !ok || !whole || x.Low != nil || x.High != nil || x.Max != nil {
			return false
		}
		known[x] = part{at, pointer.Elem().Underlying().(*types.Array).Len()}
		return true
	case *ssa.ChangeType:
		v, ok := known[x.X]
		if ok {
			known[x] = v
		}
		return ok
	case *ssa.UnOp:
		at, ok := where(x.X)
		if _, global := root(x.X).(*ssa.Global); !ok || global || x.Op != token.MUL {
			return false
		}
		known[x] = p.at(at).copied()
		return true
	case *ssa.MakeInterface:
		c, ok := p.contentOf(x.X, known)
		if !ok || held(x.X.Type()) {
			return false
		}
		held := place{name: p.place(x, types.NewPointer(x.X.Type()))}
		*p.at(held) = *c
		known[x] = &content{leaf: fmt.Sprintf("{%s, %s}", p.descriptor(x.X.Type()), held.expression())}
		return true
	case *ssa.Store:
		at, ok := where(x.Addr)
		if !ok {
			return false
		}
		c, ok := p.contentOf(x.Val, known)
		if ok {
			*p.at(at) = *c
		}
		return ok
	}
	return false
}

// contentOf is what a value is, where that is known.
func (p *program) contentOf(v ssa.Value, known map[ssa.Value]any) (*content, bool) {
	switch x := v.(type) {
	case *ssa.Const:
		switch {
		case x.Value == nil:
			return &content{leaf: "{}"}, true
		case x.Value.Kind() == constant.String:
			s := constant.StringVal(x.Value)
			return &content{leaf: fmt.Sprintf("{(u8 *)%s, %d}", literal(s), len(s))}, true
		}
		return &content{leaf: p.constant(x)}, true
	case *ssa.Global:
		return &content{leaf: "(P)&" + p.global(x)}, true
	case *ssa.Function:
		return &content{leaf: p.functionValue(x)}, true
	}
	switch x := known[v].(type) {
	case place:
		return &content{leaf: x.expression()}, true
	case part:
		return &content{leaf: fmt.Sprintf("{%s, %d, %d}", x.of.expression(), x.n, x.n)}, true
	case *content:
		return x.copied(), true
	}
	return nil, false
}

// at is the content of a place, which is there from now on.
func (p *program) at(where place) *content {
	c := p.contents[where.name]
	if c == nil {
		c = &content{}
		p.contents[where.name] = c
		p.filled = append(p.filled, where.name)
	}
	for _, s := range where.path {
		if c.parts == nil {
			c.parts, c.leaf, c.array = map[int]*content{}, "", s.array
		}
		if c.parts[s.index] == nil {
			c.parts[s.index] = &content{}
		}
		c = c.parts[s.index]
	}
	return c
}

func (c *content) copied() *content {
	copied := &content{leaf: c.leaf, array: c.array}
	if c.parts != nil {
		copied.parts = map[int]*content{}
		for k, part := range c.parts {
			copied.parts[k] = part.copied()
		}
	}
	return copied
}

func (c *content) String() string {
	if c.parts == nil {
		if c.leaf == "" {
			return "{}"
		}
		return c.leaf
	}
	var list []string
	for _, k := range slices.Sorted(maps.Keys(c.parts)) {
		if c.array {
			list = append(list, fmt.Sprintf("[%d] = %s", k, c.parts[k]))
		} else {
			list = append(list, fmt.Sprintf(".f%d = %s", k, c.parts[k]))
		}
	}
	text := "{" + strings.Join(list, ", ") + "}"
	if c.array {
		text = "{" + text + "}"
	}
	return text
}

// writePlaces writes the variables that have a content.
func (p *program) writePlaces() {
	of := map[string]types.Type{}
	for g, name := range p.globals {
		of[name] = element(g.Type())
	}
	for v, name := range p.places {
		if _, ok := v.(*ssa.MakeInterface); ok {
			of[name] = v.(*ssa.MakeInterface).X.Type()
		} else {
			of[name] = element(v.Type())
		}
	}
	for _, name := range p.filled {
		fmt.Fprintf(&p.data, "static %s %s = %s;\n", p.c(of[name]), name, p.contents[name])
	}
}
