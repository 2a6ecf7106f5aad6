package main

import (
	"fmt"
	"go/types"
	"strings"
)

// c is the C type of a type: one of the words of runtime.h, or a struct of its own for each
// struct, array and tuple.
func (p *program) c(t types.Type) string {
	switch u := t.Underlying().(type) {
	case *types.Basic:
		if word, known := basic[u.Kind()]; known {
			return word
		}
	case *types.Pointer, *types.Map, *types.Signature, *types.Chan:
		return "P"
	case *types.Slice:
		return "L"
	case *types.Interface:
		return "I"
	case *types.Struct, *types.Array, *types.Tuple:
		return p.compound(u)
	}
	return "u8" // of no value: an invalid type in a tuple that nobody reads
}

var basic = map[types.BasicKind]string{
	types.Bool: "u8", types.UntypedBool: "u8",
	types.Int: "i64", types.Int8: "i8", types.Int16: "i16", types.Int32: "i32", types.Int64: "i64",
	types.Uint: "u64", types.Uint8: "u8", types.Uint16: "u16", types.Uint32: "u32", types.Uint64: "u64", types.Uintptr: "u64",
	types.UntypedInt: "i64", types.UntypedRune: "i32", types.UntypedFloat: "double",
	types.Float32: "float", types.Float64: "double",
	types.String: "S", types.UntypedString: "S",
	types.UnsafePointer: "P", types.UntypedNil: "P",
}

func (p *program) compound(u types.Type) string {
	if name := p.compounds.At(u); name != nil {
		return name.(string)
	}
	var fields strings.Builder
	member := func(i int, t types.Type) { fmt.Fprintf(&fields, "%s f%d; ", p.c(t), i) }
	switch u := u.(type) {
	case *types.Struct:
		for i := range u.NumFields() {
			member(i, u.Field(i).Type())
		}
	case *types.Array:
		fmt.Fprintf(&fields, "%s a[%d]; ", p.c(u.Elem()), u.Len())
	case *types.Tuple:
		for i := range u.Len() {
			member(i, u.At(i).Type())
		}
	}
	name := fmt.Sprintf("T%d", p.compounds.Len())
	p.compounds.Set(u, name)
	fmt.Fprintf(&p.types, "typedef struct { %s} %s;\n", fields.String(), name)
	return name
}

// held reports whether an interface holds a value itself: it is a pointer then, and not the
// address of one.
func held(t types.Type) bool {
	switch u := t.Underlying().(type) {
	case *types.Pointer, *types.Map, *types.Chan, *types.Signature:
		return true
	case *types.Basic:
		return u.Kind() == types.UnsafePointer
	}
	return false
}

// element is what a pointer, slice, array or map leads to.
func element(t types.Type) types.Type {
	return t.Underlying().(interface{ Elem() types.Type }).Elem()
}

func isString(t types.Type) bool { return is(t, types.IsString) }

func is(t types.Type, info types.BasicInfo) bool {
	b, ok := t.Underlying().(*types.Basic)
	return ok && b.Info()&info != 0
}

// equal is an expression that compares two values of a type.
func (p *program) equal(t types.Type, a, b string) string {
	switch t.Underlying().(type) {
	case *types.Interface:
		return fmt.Sprintf("same_held(%s, %s)", a, b)
	case *types.Slice: // with nil
		return fmt.Sprintf("(%s.p == %s.p)", a, b)
	case *types.Struct, *types.Array:
		return fmt.Sprintf("%s(&%s, &%s)", p.comparison(t), a, b)
	}
	if isString(t) {
		return fmt.Sprintf("same_text(%s, %s)", a, b)
	}
	return fmt.Sprintf("(%s == %s)", a, b)
}

// comparison is the name of a function that compares two values by their addresses.
func (p *program) comparison(t types.Type) string {
	u := t.Underlying()
	if name := p.comparisons.At(u); name != nil {
		return name.(string)
	}
	name := fmt.Sprintf("equal_%d", p.comparisons.Len())
	p.comparisons.Set(u, name)
	all := []string{"1"}
	loop := ""
	switch u := u.(type) {
	case *types.Struct:
		for i := range u.NumFields() {
			if u.Field(i).Name() != "_" {
				all = append(all, p.equal(u.Field(i).Type(), fmt.Sprintf("x->f%d", i), fmt.Sprintf("y->f%d", i)))
			}
		}
	case *types.Array:
		loop = fmt.Sprintf("for (u32 i = 0; i < %d; i++) if (!%s) return 0; ", u.Len(), p.equal(u.Elem(), "x->a[i]", "y->a[i]"))
	default:
		all = []string{p.equal(t, "(*x)", "(*y)")}
	}
	fmt.Fprintf(&p.declared, "static u8 %s(const void *a, const void *b);\n", name)
	fmt.Fprintf(&p.bodies, "static u8 %s(const void *a, const void *b) { const %s *x = a, *y = b; %sreturn %s; }\n", name, p.c(t), loop, strings.Join(all, " && "))
	return name
}

// hash is the name of a function that makes a number of a value.
func (p *program) hash(t types.Type) string {
	u := t.Underlying()
	if name := p.hashes.At(u); name != nil {
		return name.(string)
	}
	name := fmt.Sprintf("hash_%d", p.hashes.Len())
	p.hashes.Set(u, name)
	body := "return hash_bytes(x, sizeof *x);"
	switch u := u.(type) {
	case *types.Struct:
		body = "u32 h = 17; "
		for i := range u.NumFields() {
			if u.Field(i).Name() != "_" {
				body += fmt.Sprintf("h = h * 31 + %s(&x->f%d); ", p.hash(u.Field(i).Type()), i)
			}
		}
		body += "return h;"
	case *types.Array:
		body = fmt.Sprintf("u32 h = 17; for (u32 i = 0; i < %d; i++) h = h * 31 + %s(&x->a[i]); return h;", u.Len(), p.hash(u.Elem()))
	case *types.Interface:
		body = "return hash_held(*x);"
	case *types.Basic:
		switch {
		case isString(t):
			body = "return hash_bytes(x->p, x->n);"
		case is(t, types.IsFloat): // minus zero is zero
			body = "double d = *x + 0.0; return hash_bytes(&d, sizeof d);"
		}
	}
	fmt.Fprintf(&p.declared, "static u32 %s(const void *a);\n", name)
	fmt.Fprintf(&p.bodies, "static u32 %s(const void *a) { const %s *x = a; %s }\n", name, p.c(t), body)
	return name
}

func (p *program) mapType(t types.Type) string {
	m := t.Underlying().(*types.Map)
	if name := p.mapTypes.At(m); name != nil {
		return name.(string)
	}
	name := fmt.Sprintf("map_type_%d", p.mapTypes.Len())
	p.mapTypes.Set(m, name)
	fmt.Fprintf(&p.declared, "static const MapType %s;\n", name)
	fmt.Fprintf(&p.data, "static const MapType %s = {sizeof(%s), sizeof(%s), %s, %s};\n", name, p.c(m.Key()), p.c(m.Elem()), p.hash(m.Key()), p.comparison(m.Key()))
	return name
}

// descriptor is the address of a type's descriptor, for an interface that holds it.
func (p *program) descriptor(t types.Type) string {
	if k := p.descriptorOf.At(t); k != nil {
		return fmt.Sprintf("&type_%d", k)
	}
	k := len(p.descriptors)
	p.descriptorOf.Set(t, k)
	p.descriptors = append(p.descriptors, &descriptor{of: t, methods: map[int]string{}})
	fmt.Fprintf(&p.declared, "static const Type type_%d;\n", k)
	for id, name := range p.methods {
		p.bind(k, id, name)
	}
	return fmt.Sprintf("&type_%d", k)
}

// descriptor is a type that an interface holds, with the C functions of its methods that are
// called by an interface.
type descriptor struct {
	of      types.Type
	methods map[int]string
}

// method is the number of a method that is called by an interface. Every type that has it is
// given it.
func (p *program) method(m *types.Func) int {
	name := signed(m)
	for id, known := range p.methods {
		if known == name {
			return id
		}
	}
	p.methods = append(p.methods, name)
	for k := 0; k < len(p.descriptors); k++ { // there can be more of them on the way
		p.bind(k, len(p.methods)-1, name)
	}
	return len(p.methods) - 1
}

// signed is a method's name with its parameters and results.
func signed(m *types.Func) string {
	s := m.Type().(*types.Signature)
	nameless := func(t *types.Tuple) *types.Tuple {
		var list []*types.Var
		for v := range t.Variables() {
			list = append(list, types.NewVar(0, nil, "", v.Type()))
		}
		return types.NewTuple(list...)
	}
	return m.Id() + types.TypeString(types.NewSignatureType(nil, nil, nil, nameless(s.Params()), nameless(s.Results()), s.Variadic()), nil)
}

// bind gives a type a method, where it has it: a function that takes what an interface holds.
func (p *program) bind(k, id int, name string) {
	t := p.descriptors[k].of
	set := p.sets.MethodSet(t)
	for i := range set.Len() {
		if signed(set.At(i).Obj().(*types.Func)) != name {
			continue
		}
		f := p.ssa.MethodValue(set.At(i))
		if f == nil {
			return
		}
		callee := p.function(f)
		if !held(t) {
			callee = p.forward(f, fmt.Sprintf("held_%d_%d", k, id), callee, "P w", fmt.Sprintf("*(%s *)w", p.c(t)), 1)
		}
		p.descriptors[k].methods[id] = callee
		return
	}
}

// implementing is the name of a function that says whether a type has the methods of an
// interface.
func (p *program) implementing(t types.Type) string {
	if name := p.implementings.At(t); name != nil {
		return name.(string)
	}
	name := fmt.Sprintf("implements_%d", len(p.asked))
	p.implementings.Set(t, name)
	p.asked = append(p.asked, t)
	fmt.Fprintf(&p.declared, "static u8 %s(const Type *t);\n", name)
	return name
}

// describe writes the descriptors, and which of them implement which interface.
func (p *program) describe() {
	for k := 0; k < len(p.descriptors); k++ {
		d := p.descriptors[k]
		var methods []string
		for id := range p.methods {
			if f, has := d.methods[id]; has {
				methods = append(methods, fmt.Sprintf("{%d, %s}", id, f))
			}
		}
		list := "0"
		if len(methods) > 0 {
			list = fmt.Sprintf("methods_%d", k)
			fmt.Fprintf(&p.data, "static const Method %s[] = {%s};\n", list, strings.Join(methods, ", "))
		}
		equal, hash := "0", "0"
		switch {
		case !types.Comparable(d.of):
			equal = "not_comparable"
		case !held(d.of):
			equal, hash = p.comparison(d.of), p.hash(d.of)
		}
		fmt.Fprintf(&p.data, "static const Type type_%d = {%s, %s, %d, %s}; // %s\n", k, equal, hash, len(methods), list, d.of)
	}
	for _, t := range p.asked {
		var have []string
		for k, d := range p.descriptors {
			if types.Implements(d.of, t.Underlying().(*types.Interface)) {
				have = append(have, fmt.Sprintf("t == &type_%d", k))
			}
		}
		have = append(have, "0")
		fmt.Fprintf(&p.data, "static u8 %s(const Type *t) { return %s; } // %s\n", p.implementing(t), strings.Join(have, " || "), t)
	}
}
