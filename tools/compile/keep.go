package main

import (
	"bytes"
	"fmt"
	"go/types"
	"slices"
	"strings"

	"golang.org/x/tools/go/ssa"
)

// function is a function's C name. It is kept as soon as it is named.
func (p *program) function(f *ssa.Function) string {
	if name, known := p.functions[f]; known {
		return name
	}
	name := fmt.Sprintf("f%d_%s", len(p.order), identifier(f.Name()))
	_, byHand := byHand[f.String()]
	if byHand {
		name = "hand_" + identifier(f.String())
	}
	p.functions[f] = name
	p.order = append(p.order, f)
	fmt.Fprintf(&p.declared, "static %s;\n", p.head(f, name))
	imported, isImport := p.imports[f.Object()]
	switch {
	case byHand:
		if f.Signature.Results().Len() > 1 {
			fmt.Fprintf(&p.declared, "#define result_of_%s %s\n", name, p.returned(f.Signature))
		}
	case isImport && f.Object() != nil:
		p.importing(f, name, imported)
	case notTranslated[f.String()] != "" || len(f.Blocks) == 0 || machinery[packageOf(f)]:
		if notTranslated[f.String()] == "" {
			p.fails(f, nil, "it is not translated; right would be a line in table.go, or a program that does not reach it")
		}
		fmt.Fprintf(&p.bodies, "static %s { TRAP; } // %s\n", p.head(f, name), f)
	default:
		p.queue = append(p.queue, f)
	}
	return name
}

func packageOf(f *ssa.Function) string {
	switch {
	case f.Pkg != nil:
		return f.Pkg.Pkg.Path()
	case f.Object() != nil && f.Object().Pkg() != nil:
		return f.Object().Pkg().Path()
	}
	return ""
}

// importing writes a function of the host: a text is an address and a length for it.
func (p *program) importing(f *ssa.Function, name string, of [2]string) {
	var parameters, arguments []string
	for i, v := range f.Params {
		if isString(v.Type()) {
			parameters = append(parameters, "const u8 *", "u32")
			arguments = append(arguments, fmt.Sprintf("p%d.p", i), fmt.Sprintf("p%d.n", i))
			continue
		}
		parameters = append(parameters, p.c(v.Type()))
		arguments = append(arguments, fmt.Sprintf("p%d", i))
	}
	fmt.Fprintf(&p.declared, "__attribute__((import_module(%q), import_name(%q))) extern %s host_%s(%s);\n", of[0], of[1], p.returned(f.Signature), name, strings.Join(parameters, ", "))
	fmt.Fprintf(&p.bodies, "static %s { return host_%s(%s); }\n", p.head(f, name), name, strings.Join(arguments, ", "))
}

// keep writes whatever is reached, and returns the calls with which the program begins: the
// packages' variables that are reached get their values, a package after those that it
// imports.
func (p *program) keep() (beginning string) {
	inits := p.inits()
	needed := map[*ssa.Function]map[ssa.Instruction]bool{}
	for before := -1; before != len(p.globals)+len(p.functions); {
		before = len(p.globals) + len(p.functions)
		p.drain()
		for _, f := range inits {
			// What a value is made of is reached as well: it is written once for that, and
			// written away.
			if needed[f] = p.needed(f); len(needed[f]) > 0 {
				p.write(&bytes.Buffer{}, f, "", needed[f])
			}
		}
	}
	var b strings.Builder
	for k, f := range inits {
		if len(needed[f]) == 0 {
			continue
		}
		computed := p.placed(f, needed[f])
		if len(computed) == 0 {
			continue
		}
		name := fmt.Sprintf("begin_%d", k)
		fmt.Fprintf(&p.declared, "static void %s(void);\n", name)
		p.write(&p.bodies, f, name, computed)
		fmt.Fprintf(&b, "\t%s(); // %s\n", name, f.Pkg.Pkg.Path())
	}
	p.writePlaces()
	return b.String()
}

// drain writes the functions that were reached.
func (p *program) drain() {
	for len(p.queue) > 0 {
		f := p.queue[0]
		p.queue = p.queue[1:]
		var b bytes.Buffer
		p.write(&b, f, p.functions[f], nil)
		p.bodies.Write(b.Bytes())
	}
}

// inits are the functions that give the packages' variables their values, in order.
func (p *program) inits() (list []*ssa.Function) {
	seen := map[*types.Package]bool{}
	var visit func(*types.Package)
	visit = func(of *types.Package) {
		if seen[of] {
			return
		}
		seen[of] = true
		for _, q := range slices.SortedFunc(slices.Values(of.Imports()), func(a, b *types.Package) int { return strings.Compare(a.Path(), b.Path()) }) {
			visit(q)
		}
		if s := p.ssa.Package(of); s != nil && !machinery[of.Path()] && s.Func("init") != nil {
			list = append(list, s.Func("init"))
		}
	}
	for _, of := range slices.SortedFunc(slices.Values(p.ssa.AllPackages()), func(a, b *ssa.Package) int { return strings.Compare(a.Pkg.Path(), b.Pkg.Path()) }) {
		visit(of.Pkg)
	}
	return list
}

// needed are the instructions of a package's init that variables need which are reached: those
// that store to one, and whatever these use. An init is one block after the other, but for
// a value that is made in several, which is an error.
func (p *program) needed(f *ssa.Function) map[ssa.Instruction]bool {
	need, values := map[ssa.Instruction]bool{}, map[ssa.Value]bool{}
	changed := true
	mark := func(in ssa.Instruction) {
		if need[in] {
			return
		}
		need[in], changed = true, true
		for _, o := range in.Operands(nil) {
			if *o != nil {
				values[*o] = true
			}
		}
	}
	for changed {
		changed = false
		for _, block := range f.Blocks {
			for _, in := range block.Instrs {
				v, isValue := in.(ssa.Value)
				switch x := in.(type) {
				case *ssa.Store:
					to := root(x.Addr)
					global, is := to.(*ssa.Global)
					if is && global.Name() != "init$guard" && p.globals[global] != "" || !is && values[to] {
						mark(in)
					}
				case *ssa.MapUpdate:
					if values[x.Map] {
						mark(in)
					}
				case *ssa.Phi:
					if values[x] {
						p.fails(f, in, "a variable's first value depends on a condition; right would be a function that makes it")
					}
				default:
					if isValue && values[v] {
						mark(in)
					}
				}
			}
		}
	}
	return need
}

// root is the variable of which an address is a part.
func root(v ssa.Value) ssa.Value {
	switch x := v.(type) {
	case *ssa.FieldAddr:
		return root(x.X)
	case *ssa.IndexAddr:
		return root(x.X)
	case *ssa.Slice:
		return root(x.X)
	}
	return v
}
