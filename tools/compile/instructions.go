package main

import (
	"bytes"
	"fmt"
	"go/token"
	"go/types"
	"slices"
	"strings"

	"golang.org/x/tools/go/ssa"
)

// writer writes one function.
type writer struct {
	*program
	to     *bytes.Buffer
	f      *ssa.Function
	at     ssa.Instruction // that is being written
	names  map[ssa.Value]string
	need   map[ssa.Instruction]bool // of an init, those that are written; nil means all
	defers []*ssa.Defer
}

func (w *writer) line(format string, a ...any) { fmt.Fprintf(w.to, "\t"+format+"\n", a...) }

func (w *writer) fail(what string) { w.fails(w.f, w.at, what) }

// write writes a function: its variables, and then one block after the other. Of an init it
// writes the instructions that are needed, which are in order.
func (p *program) write(to *bytes.Buffer, f *ssa.Function, name string, need map[ssa.Instruction]bool) {
	w := &writer{program: p, to: to, f: f, names: map[ssa.Value]string{}, need: need}
	if need != nil {
		fmt.Fprintf(to, "static void %s(void) { // %s\n", name, f)
	} else {
		fmt.Fprintf(to, "static %s { // %s\n", p.head(f, name), f)
	}
	for i, v := range f.Params {
		w.names[v] = fmt.Sprintf("p%d", i)
	}
	for i, v := range f.FreeVars {
		w.names[v] = captured("block", i, p.c(v.Type()))
	}
	var all []ssa.Instruction
	for _, block := range f.Blocks {
		if block == f.Recover { // a panic ends the program
			continue
		}
		for _, in := range block.Instrs {
			if (need == nil || need[in]) && !onlyPanics(in) {
				all = append(all, in)
			}
		}
	}
	for _, in := range all {
		w.at = in
		w.seen[kind(in)] = true
		w.declare(in)
	}
	if len(w.defers) > 0 {
		w.line("Deferred *deferred = 0;")
	}
	var block *ssa.BasicBlock
	for _, in := range all {
		w.at = in
		if need == nil && in.Block() != block {
			block = in.Block()
			w.begin(block)
		}
		w.instruction(in)
	}
	fmt.Fprint(to, "}\n")
}

// captured is what a function has captured: a pointer is in its block, and of anything else
// the address.
func captured(block string, i int, c string) string {
	at := fmt.Sprintf("((P *)%s)[%d]", block, i+1)
	if c == "P" {
		return at
	}
	return fmt.Sprintf("(*(%s *)%s)", c, at)
}

// kind is an instruction with its operator and the C types of what it takes.
func kind(in ssa.Instruction) string {
	text := fmt.Sprintf("%T", in)
	switch x := in.(type) {
	case *ssa.BinOp:
		text += x.Op.String()
	case *ssa.UnOp:
		text += x.Op.String()
	case *ssa.Call:
		if b, ok := x.Call.Value.(*ssa.Builtin); ok {
			text += " " + b.Name()
		} else if x.Call.IsInvoke() {
			text += " invoke"
		} else if x.Call.StaticCallee() == nil {
			text += " value"
		}
	}
	return text
}

// onlyPanics reports whether an instruction makes the value of a panic, which nobody reads.
func onlyPanics(in ssa.Instruction) bool {
	m, ok := in.(*ssa.MakeInterface)
	if !ok || m.Referrers() == nil || len(*m.Referrers()) == 0 {
		return false
	}
	return !slices.ContainsFunc(*m.Referrers(), func(r ssa.Instruction) bool { _, panics := r.(*ssa.Panic); return !panics })
}

// declare gives an instruction's value a variable.
func (w *writer) declare(in ssa.Instruction) {
	if d, ok := in.(*ssa.Defer); ok {
		w.deferred(d)
	}
	v, ok := in.(ssa.Value)
	if !ok {
		return
	}
	name := fmt.Sprintf("t%d", len(w.names))
	w.names[v] = name
	switch x := in.(type) {
	case *ssa.Alloc:
		if w.need != nil {
			w.names[v] = "((P)&" + w.place(x, x.Type()) + ")"
		} else if !x.Heap {
			w.line("%s %s_v; P %s;", w.c(element(x.Type())), name, name)
		} else {
			w.line("P %s;", name)
		}
	case *ssa.Range:
		w.line("Iterator %s;", name)
	case *ssa.Phi:
		w.line("%s %s, %s_next;", w.c(x.Type()), name, name)
	default:
		if t, ok := v.Type().(*types.Tuple); ok && t.Len() == 0 {
			return
		}
		w.line("%s %s;", w.c(v.Type()), name)
	}
}

// place is the address of a variable of the program for what an init makes: that runs once.
func (p *program) place(of ssa.Value, pointer types.Type) string {
	name, known := p.places[of]
	if !known {
		name = fmt.Sprintf("made_%d", len(p.places))
		p.places[of] = name
		fmt.Fprintf(&p.declared, "static %s %s;\n", p.c(element(pointer)), name)
	}
	return name
}

// begin writes a block's label. What its predecessors have chosen for it is taken together,
// for one choice can be of another one's value of before.
func (w *writer) begin(block *ssa.BasicBlock) {
	if len(block.Preds) > 0 {
		fmt.Fprintf(w.to, "b%d:;\n", block.Index)
	}
	for _, in := range block.Instrs {
		if phi, ok := in.(*ssa.Phi); ok {
			w.line("%s = %s_next;", w.names[phi], w.names[phi])
		}
	}
}

// jump goes to a block, with the values that it takes from this one.
func (w *writer) jump(to *ssa.BasicBlock) string {
	var b strings.Builder
	k := slices.Index(to.Preds, w.at.Block())
	for _, in := range to.Instrs {
		if phi, ok := in.(*ssa.Phi); ok {
			fmt.Fprintf(&b, "%s_next = %s; ", w.names[phi], w.value(phi.Edges[k]))
		}
	}
	return fmt.Sprintf("%sgoto b%d;", b.String(), to.Index)
}

// pointer is a pointer that is about to be followed: it is checked, unless it cannot be nil.
func (w *writer) pointer(v ssa.Value) string {
	switch x := v.(type) {
	case *ssa.Alloc, *ssa.Global, *ssa.FieldAddr, *ssa.IndexAddr:
		return w.value(v)
	case *ssa.FreeVar: // a variable of the function around, but for the receiver of a method
		if !strings.HasPrefix(w.f.Synthetic, "bound") && x.Parent() == w.f {
			return w.value(v)
		}
	}
	return "there(" + w.value(v) + ")"
}

// instruction writes one instruction.
func (w *writer) instruction(in ssa.Instruction) {
	name := ""
	if v, ok := in.(ssa.Value); ok {
		name = w.names[v]
	}
	switch x := in.(type) {
	case *ssa.Phi: // at the beginning of its block
	case *ssa.Alloc:
		switch {
		case w.need != nil: // it is there
		case !x.Heap:
			w.line("memset(&%s_v, 0, sizeof %s_v); %s = &%s_v;", name, name, name, name)
		default:
			w.line("%s = alloc(sizeof(%s));", name, w.c(element(x.Type())))
		}
	case *ssa.BinOp:
		w.line("%s = %s;", name, w.binary(x))
	case *ssa.UnOp:
		w.line("%s = %s;", name, w.unary(x))
	case *ssa.Call:
		call := ""
		if b, ok := x.Call.Value.(*ssa.Builtin); ok {
			w.builtin(name, b.Name(), x.Call.Args)
			return
		} else if call = w.call(&x.Call); x.Call.Signature().Results().Len() > 0 {
			call = name + " = " + call
		}
		w.line("%s;", call)
	case *ssa.ChangeInterface:
		w.line("%s = %s;", name, w.value(x.X))
	case *ssa.ChangeType:
		w.line("%s = %s;", name, w.value(x.X))
	case *ssa.Convert:
		w.line("%s = %s;", name, w.convert(x.X, x.Type()))
	case *ssa.Extract:
		w.line("%s = %s.f%d;", name, w.value(x.Tuple), x.Index)
	case *ssa.Field:
		w.line("%s = %s.f%d;", name, w.value(x.X), x.Field)
	case *ssa.FieldAddr:
		w.line("%s = &((%s *)%s)->f%d;", name, w.c(element(x.X.Type())), w.pointer(x.X), x.Field)
	case *ssa.Index:
		if isString(x.X.Type()) {
			w.line("%s = %s.p[%s];", name, w.value(x.X), w.bound(x.Index, w.value(x.X)+".n"))
		} else {
			w.line("%s = %s.a[%s];", name, w.value(x.X), w.bound(x.Index, fmt.Sprint(x.X.Type().Underlying().(*types.Array).Len())))
		}
	case *ssa.IndexAddr:
		if s, ok := x.X.Type().Underlying().(*types.Slice); ok {
			w.line("%s = (%s *)%s.p + %s;", name, w.c(s.Elem()), w.value(x.X), w.bound(x.Index, w.value(x.X)+".n"))
		} else {
			array := element(x.X.Type()).Underlying().(*types.Array)
			w.line("%s = (%s *)%s + %s;", name, w.c(array.Elem()), w.pointer(x.X), w.bound(x.Index, fmt.Sprint(array.Len())))
		}
	case *ssa.Lookup:
		w.lookup(name, x)
	case *ssa.MakeClosure:
		w.closure(name, x)
	case *ssa.MakeInterface:
		if t := x.X.Type(); held(t) {
			w.line("%s = (I){%s, %s};", name, w.descriptor(t), w.value(x.X))
		} else if w.need != nil {
			at := w.place(x, types.NewPointer(t))
			w.line("%s = %s; %s = (I){%s, &%s};", at, w.value(x.X), name, w.descriptor(t), at)
		} else {
			w.line("{ %s *w = alloc(sizeof(%s)); *w = %s; %s = (I){%s, w}; }", w.c(t), w.c(t), w.value(x.X), name, w.descriptor(t))
		}
	case *ssa.MakeMap:
		w.line("%s = map_new(&%s);", name, w.mapType(x.Type()))
	case *ssa.MakeSlice:
		w.line("%s = make_slice(%s, %s, sizeof(%s));", name, w.value(x.Len), w.value(x.Cap), w.c(element(x.Type())))
	case *ssa.MapUpdate:
		m := x.Map.Type().Underlying().(*types.Map)
		w.line("{ %s key = %s; *(%s *)map_set(%s, &key) = %s; }", w.c(m.Key()), w.value(x.Key), w.c(m.Elem()), w.value(x.Map), w.value(x.Value))
	case *ssa.Range:
		if isString(x.X.Type()) {
			w.line("%s = (Iterator){(P)%s.p, 0, %s.n, 0};", name, w.value(x.X), w.value(x.X))
		} else {
			w.line("%s = (Iterator){%s, 0, 0, 0};", name, w.value(x.X))
		}
	case *ssa.Next:
		w.next(name, x)
	case *ssa.Slice:
		w.slice(name, x)
	case *ssa.SliceToArrayPointer:
		n := element(x.Type()).Underlying().(*types.Array).Len()
		w.line("if (%s.n < %d) TRAP; %s = %s.p;", w.value(x.X), n, name, w.value(x.X))
	case *ssa.Store:
		w.line("*(%s *)%s = %s;", w.c(x.Val.Type()), w.pointer(x.Addr), w.value(x.Val))
	case *ssa.TypeAssert:
		w.assert(name, x)
	case *ssa.If:
		w.line("if (%s) { %s } else { %s }", w.value(x.Cond), w.jump(x.Block().Succs[0]), w.jump(x.Block().Succs[1]))
	case *ssa.Jump:
		w.line("%s", w.jump(x.Block().Succs[0]))
	case *ssa.Return:
		w.returns(x)
	case *ssa.Panic:
		w.line("TRAP;")
	case *ssa.Defer:
		w.deferCall(x)
	case *ssa.RunDefers:
		w.runDefers()
	default:
		w.fail(fmt.Sprintf("the instruction %T is not translated", in))
	}
}

// bound is an index that is checked.
func (w *writer) bound(index ssa.Value, n string) string {
	if is(index.Type(), types.IsUnsigned) {
		return fmt.Sprintf("bound((i64)(u64)%s, %s)", w.value(index), n)
	}
	return fmt.Sprintf("bound(%s, %s)", w.value(index), n)
}

func (w *writer) lookup(name string, x *ssa.Lookup) {
	if isString(x.X.Type()) {
		w.line("%s = %s.p[%s];", name, w.value(x.X), w.bound(x.Index, w.value(x.X)+".n"))
		return
	}
	m := x.X.Type().Underlying().(*types.Map)
	found := fmt.Sprintf("%s = *found", name)
	if x.CommaOk {
		found = fmt.Sprintf("%s.f0 = *found, %s.f1 = 1", name, name)
	}
	w.line("{ %s key = %s; %s *found = map_get(%s, &key); if (found) %s; else memset(&%s, 0, sizeof %s); }", w.c(m.Key()), w.value(x.Index), w.c(m.Elem()), w.value(x.X), found, name, name)
}

func (w *writer) next(name string, x *ssa.Next) {
	of := x.Type().(*types.Tuple)
	read := func(i int) bool { return w.c(of.At(i).Type()) != "" && of.At(i).Type() != types.Typ[types.Invalid] }
	if x.IsString {
		w.line("{ i32 at = 0, rune = 0; %s.f0 = next_rune(&%s, &at, &rune);", name, w.value(x.Iter))
		if read(1) {
			w.line("%s.f1 = at;", name)
		}
		if read(2) {
			w.line("%s.f2 = rune;", name)
		}
		w.line("}")
		return
	}
	w.line("{ P key, value; %s.f0 = next_entry(&%s, &key, &value); if (%s.f0) {", name, w.value(x.Iter), name)
	for i, from := range [...]string{1: "key", 2: "value"} {
		if i > 0 && read(i) {
			w.line("%s.f%d = *(%s *)%s;", name, i, w.c(of.At(i).Type()), from)
		}
	}
	w.line("} }")
}

func (w *writer) slice(name string, x *ssa.Slice) {
	has, parts := 0, [3]string{"0", "0", "0"}
	for k, v := range [...]ssa.Value{x.Low, x.High, x.Max} {
		if v != nil {
			parts[k] = w.value(v)
			has |= 1 << k >> 1
		}
	}
	switch u := x.X.Type().Underlying().(type) {
	case *types.Basic:
		w.line("%s = part_of_text(%s, %s, %s, %d);", name, w.value(x.X), parts[0], parts[1], has)
	case *types.Slice:
		w.line("%s = part_of_slice(%s, %s, %s, %s, %d, sizeof(%s));", name, w.value(x.X), parts[0], parts[1], parts[2], has, w.c(u.Elem()))
	case *types.Pointer:
		array := u.Elem().Underlying().(*types.Array)
		w.line("%s = part_of_slice((L){%s, %d, %d}, %s, %s, %s, %d, sizeof(%s));", name, w.pointer(x.X), array.Len(), array.Len(), parts[0], parts[1], parts[2], has, w.c(array.Elem()))
	}
}

func (w *writer) assert(name string, x *ssa.TypeAssert) {
	v := w.value(x.X)
	fits, content := fmt.Sprintf("%s.t == %s", v, ""), v
	if types.IsInterface(x.AssertedType) {
		fits = fmt.Sprintf("%s.t && %s(%s.t)", v, w.implementing(x.AssertedType), v)
	} else {
		fits = fmt.Sprintf("%s.t == %s", v, w.descriptor(x.AssertedType))
		if content = v + ".w"; !held(x.AssertedType) {
			content = fmt.Sprintf("*(%s *)%s.w", w.c(x.AssertedType), v)
		}
	}
	if x.CommaOk {
		w.line("if (%s) { %s.f0 = %s; %s.f1 = 1; } else memset(&%s, 0, sizeof %s);", fits, name, content, name, name, name)
	} else {
		w.line("if (!(%s)) TRAP; %s = %s;", fits, name, content)
	}
}

// unary is an operator with one operand.
func (w *writer) unary(x *ssa.UnOp) string {
	switch v := w.value(x.X); x.Op {
	case token.MUL:
		return fmt.Sprintf("*(%s *)%s", w.c(x.Type()), w.pointer(x.X))
	case token.SUB:
		if is(x.Type(), types.IsInteger) {
			return fmt.Sprintf("(%s)(0 - (u64)%s)", w.c(x.Type()), v)
		}
		return "-" + v
	case token.NOT:
		return "!" + v
	case token.XOR:
		return fmt.Sprintf("(%s)~%s", w.c(x.Type()), v)
	}
	w.fail("the operator " + x.Op.String() + " is not translated")
	return "0"
}
