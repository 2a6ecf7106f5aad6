package main

import (
	"fmt"
	"go/constant"
	"go/token"
	"go/types"

	"golang.org/x/tools/go/ssa"
)

// width is how many bits an integer has.
var width = map[string]int{"u8": 8, "i8": 8, "u16": 16, "i16": 16, "u32": 32, "i32": 32, "u64": 64, "i64": 64}

// binary is an operator with two operands. Integers wrap, which clang is told.
func (w *writer) binary(x *ssa.BinOp) string {
	a, b, t := w.value(x.X), w.value(x.Y), x.X.Type()
	c := w.c(x.Type())
	switch x.Op {
	case token.EQL, token.NEQ:
		return w.compare(x)
	case token.LSS, token.LEQ, token.GTR, token.GEQ:
		if isString(t) {
			return fmt.Sprintf("compare_text(%s, %s) %s 0", a, b, x.Op)
		}
		return fmt.Sprintf("%s %s %s", a, x.Op, b)
	case token.ADD:
		if isString(t) {
			return fmt.Sprintf("join_text(%s, %s)", a, b)
		}
		fallthrough
	case token.SUB, token.MUL, token.AND, token.OR, token.XOR:
		if c == "u16" || c == "i16" { // two of them are an int in C, which overflows
			a = "(u32)" + a
		}
		return fmt.Sprintf("(%s)(%s %s %s)", c, a, x.Op, b)
	case token.AND_NOT:
		return fmt.Sprintf("(%s)(%s & ~%s)", c, a, b)
	case token.QUO, token.REM:
		return w.divide(x)
	case token.SHL, token.SHR:
		return w.shift(x)
	}
	w.fail("the operator " + x.Op.String() + " is not translated")
	return "0"
}

func (w *writer) compare(x *ssa.BinOp) string {
	a, b, t := w.value(x.X), w.value(x.Y), x.X.Type()
	not := ""
	if x.Op == token.NEQ {
		not = "!"
	}
	switch t.Underlying().(type) {
	case *types.Struct, *types.Array:
		c := w.c(t)
		w.line("{ %s left = %s, right = %s; %s = %s%s(&left, &right); }", c, a, b, w.names[x], not, w.comparison(t))
		return w.names[x]
	}
	return not + w.equal(t, a, b)
}

// divide is a quotient or a remainder: by zero it is a trap, and the least by minus one is
// the least.
func (w *writer) divide(x *ssa.BinOp) string {
	a, b, t, c := w.value(x.X), w.value(x.Y), x.Type(), w.c(x.Type())
	if is(t, types.IsFloat) {
		return fmt.Sprintf("%s / %s", a, b)
	}
	if k, ok := x.Y.(*ssa.Const); ok {
		if n, fits := constant.Int64Val(constant.ToInt(k.Value)); !fits || n != 0 && n != -1 {
			return fmt.Sprintf("(%s)(%s %s %s)", c, a, x.Op, b)
		}
	}
	if is(t, types.IsUnsigned) {
		return fmt.Sprintf("(%s)(%s %s some(%s))", c, a, x.Op, b)
	}
	call := map[token.Token]string{token.QUO: "div", token.REM: "rem"}[x.Op]
	return fmt.Sprintf("(%s)%s%d(%s, %s)", c, call, max(32, width[c]), a, b)
}

// shift shifts by any count: by all bits and more it leaves nothing, or the sign.
func (w *writer) shift(x *ssa.BinOp) string {
	a, c := w.value(x.X), w.c(x.Type())
	bits := width[c]
	signed := !is(x.Type(), types.IsUnsigned)
	if k, ok := x.Y.(*ssa.Const); ok {
		if n, _ := constant.Uint64Val(constant.ToInt(k.Value)); n < uint64(bits) {
			return fmt.Sprintf("(%s)(%s %s %d)", c, a, x.Op, n)
		}
	}
	by := "(u64)" + w.value(x.Y)
	if !is(x.Y.Type(), types.IsUnsigned) {
		by = "shift_by(" + w.value(x.Y) + ")"
	}
	w.line("{ u64 by = %s;", by)
	switch {
	case x.Op == token.SHR && signed:
		w.line("%s = (%s)(%s >> (by < %d ? by : %d)); }", w.names[x], c, a, bits, bits-1)
	default:
		w.line("%s = by < %d ? (%s)(%s %s by) : 0; }", w.names[x], bits, c, a, x.Op)
	}
	return w.names[x]
}

// convert is a conversion between numbers, texts and pointers.
func (w *writer) convert(from ssa.Value, t types.Type) string {
	v, c := w.value(from), w.c(t)
	of := from.Type()
	switch {
	case isString(t):
		if s, ok := of.Underlying().(*types.Slice); ok {
			return pick(w.c(s.Elem()) == "u8", "text_of_bytes(", "text_of_runes(") + v + ")"
		}
		if is(of, types.IsInteger) {
			return "text_of_rune(" + v + ")"
		}
		return v
	case isString(of):
		return pick(w.c(element(t)) == "u8", "bytes_of_text(", "runes_of_text(") + v + ")"
	case is(of, types.IsFloat) && is(t, types.IsInteger):
		return fmt.Sprintf("(%s)__builtin_wasm_trunc_saturate_%s_i64_f64(%s)", c, pick(c == "u64", "u", "s"), v)
	}
	if is(of, types.IsComplex) || is(t, types.IsComplex) {
		w.fail("complex numbers are not translated")
	}
	return fmt.Sprintf("(%s)%s", c, v)
}

func pick(so bool, yes, no string) string {
	if so {
		return yes
	}
	return no
}

// builtin writes a call of a function that is built in.
func (w *writer) builtin(name, of string, args []ssa.Value) {
	v := func(i int) string { return w.value(args[i]) }
	switch of {
	case "len", "cap":
		w.line("%s = %s;", name, w.length(of, args[0]))
	case "append":
		size := "1"
		if !isString(args[1].Type()) {
			size = fmt.Sprintf("sizeof(%s)", w.c(element(args[0].Type())))
		}
		w.line("%s = append(%s, %s.p, %s.n, %s);", name, v(0), v(1), v(1), size)
	case "copy":
		w.line("{ u32 n = %s.n < %s.n ? %s.n : %s.n; memmove(%s.p, %s.p, n * sizeof(%s)); %s = n; }", v(0), v(1), v(0), v(1), v(0), v(1), w.c(element(args[0].Type())), name)
	case "delete":
		w.line("{ %s key = %s; map_delete(%s, &key); }", w.c(args[0].Type().Underlying().(*types.Map).Key()), v(1), v(0))
	case "clear":
		if _, ok := args[0].Type().Underlying().(*types.Map); ok {
			w.line("map_clear(%s);", v(0))
		} else {
			w.line("memset(%s.p, 0, %s.n * sizeof(%s));", v(0), v(0), w.c(element(args[0].Type())))
		}
	case "min", "max":
		op := pick(of == "min", "<", ">")
		if is(args[0].Type(), types.IsFloat) {
			w.fail("min and max of floats are not translated")
		}
		w.line("%s = %s;", name, v(0))
		for i := range args[1:] {
			if isString(args[0].Type()) {
				w.line("if (compare_text(%s, %s) %s 0) %s = %s;", v(i+1), name, op, name, v(i+1))
			} else {
				w.line("if (%s %s %s) %s = %s;", v(i+1), op, name, name, v(i+1))
			}
		}
	case "recover": // nothing panics that goes on
		if name != "(I){}" {
			w.line("%s = (I){};", name)
		}
	case "ssa:wrapnilchk":
		w.line("%s = there(%s);", name, v(0))
	case "String":
		w.line("%s = (S){%s, %s};", name, v(0), v(1))
	case "StringData":
		w.line("%s = (P)%s.p;", name, v(0))
	case "SliceData":
		w.line("%s = %s.p;", name, v(0))
	case "Sizeof":
		w.line("%s = sizeof(%s);", name, w.c(args[0].Type()))
	case "Slice":
		w.line("%s = (L){%s, %s, %s};", name, v(0), v(1), v(1))
	case "Add":
		w.line("%s = (P)((u8 *)%s + %s);", name, v(0), v(1))
	default:
		w.fail("the built-in function " + of + " is not translated")
	}
}

func (w *writer) length(of string, v ssa.Value) string {
	switch u := v.Type().Underlying().(type) {
	case *types.Map:
		return "map_len(" + w.value(v) + ")"
	case *types.Pointer:
		return fmt.Sprint(u.Elem().Underlying().(*types.Array).Len())
	case *types.Array:
		return fmt.Sprint(u.Len())
	}
	return w.value(v) + pick(of == "len", ".n", ".c")
}
