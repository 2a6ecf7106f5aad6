package main

import (
	"fmt"
	"go/constant"
	"go/types"
	"strconv"
	"strings"

	"golang.org/x/tools/go/ssa"
)

// constant is a constant as C.
func (p *program) constant(c *ssa.Const) string {
	t := p.c(c.Type())
	if c.Value == nil {
		return "((" + t + "){})"
	}
	switch {
	case c.Value.Kind() == constant.Bool:
		if constant.BoolVal(c.Value) {
			return "1"
		}
		return "0"
	case c.Value.Kind() == constant.String:
		s := constant.StringVal(c.Value)
		return fmt.Sprintf("((S){(u8 *)%s, %d})", literal(s), len(s))
	case is(c.Type(), types.IsFloat):
		f, _ := constant.Float64Val(c.Value)
		return "((" + t + ")" + strconv.FormatFloat(f, 'x', -1, 64) + ")"
	}
	v := constant.ToInt(c.Value)
	if n, fits := constant.Int64Val(v); fits {
		if n == -1<<63 {
			return "((" + t + ")(-9223372036854775807LL - 1))"
		}
		return fmt.Sprintf("((%s)%dLL)", t, n)
	}
	n, _ := constant.Uint64Val(v)
	return fmt.Sprintf("((%s)%dULL)", t, n)
}

// literal is a text as a C string.
func literal(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for i := range len(s) {
		if c := s[i]; c >= ' ' && c < 127 && !strings.ContainsRune(`"\?`, rune(c)) {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "\\%03o", c)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// value is a value as C: a constant, an address, or a variable of the function.
func (w *writer) value(v ssa.Value) string {
	switch v := v.(type) {
	case *ssa.Const:
		return w.constant(v)
	case *ssa.Global:
		return "((P)&" + w.global(v) + ")"
	case *ssa.Function:
		return w.functionValue(v)
	}
	name, known := w.names[v]
	if !known {
		w.fail(v.String() + " has no name")
	}
	return name
}

// global is a variable of a package. It is kept as soon as it is named.
func (p *program) global(g *ssa.Global) string {
	if name, known := p.globals[g]; known {
		return name
	}
	name := fmt.Sprintf("g%d_%s", len(p.globals), identifier(g.Name()))
	p.globals[g] = name
	fmt.Fprintf(&p.declared, "static %s %s; // %s\n", p.c(element(g.Type())), name, g)
	return name
}

// identifier makes C's of a name.
func identifier(name string) string {
	return strings.Map(func(r rune) rune {
		if r < 128 && (r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z') {
			return r
		}
		return '_'
	}, name)
}

// functionValue is a function that has captured nothing, as a value: the address of a block
// with its code, which takes that address and hands on the rest.
func (p *program) functionValue(f *ssa.Function) string {
	name := p.function(f)
	if !p.asValue[f] {
		p.asValue[f] = true
		p.forward(f, "value_"+name, name, "P block", "", 0)
		fmt.Fprintf(&p.declared, "static const P block_%s[1] = {value_%s};\n", name, name)
	}
	return "((P)block_" + name + ")"
}

// forward writes a function that calls another one: its first parameter is another one, and
// so is the first argument, and of the others some are skipped.
func (p *program) forward(f *ssa.Function, name, callee, parameter, argument string, skipped int) string {
	parameters, arguments := []string{parameter}, []string{}
	if argument != "" {
		arguments = append(arguments, argument)
	}
	for i, of := range f.Params[skipped:] {
		parameters = append(parameters, fmt.Sprintf("%s p%d", p.c(of.Type()), i))
		arguments = append(arguments, fmt.Sprintf("p%d", i))
	}
	give := "return "
	if f.Signature.Results().Len() == 0 {
		give = ""
	}
	head := fmt.Sprintf("static %s %s(%s)", p.returned(f.Signature), name, strings.Join(parameters, ", "))
	fmt.Fprintf(&p.declared, "%s;\n", head)
	fmt.Fprintf(&p.bodies, "%s { %s%s(%s); }\n", head, give, callee, strings.Join(arguments, ", "))
	return name
}

// returned is the C type of what a function returns.
func (p *program) returned(s *types.Signature) string {
	switch s.Results().Len() {
	case 0:
		return "void"
	case 1:
		return p.c(s.Results().At(0).Type())
	}
	return p.c(s.Results())
}

// head is a function's C head. A function that has captured something takes its block first.
func (p *program) head(f *ssa.Function, name string) string {
	var parameters []string
	if len(f.FreeVars) > 0 {
		parameters = append(parameters, "P block")
	}
	for i, of := range f.Params {
		parameters = append(parameters, fmt.Sprintf("%s p%d", p.c(of.Type()), i))
	}
	if parameters == nil {
		parameters = []string{"void"}
	}
	return fmt.Sprintf("%s %s(%s)", p.returned(f.Signature), name, strings.Join(parameters, ", "))
}
