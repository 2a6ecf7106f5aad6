package main

import (
	"fmt"
	"go/types"
	"slices"
	"strings"

	"golang.org/x/tools/go/ssa"
)

// call is a call of a function, of a function's value, or of a method by an interface.
func (w *writer) call(c *ssa.CallCommon) string {
	var arguments []string
	for _, a := range c.Args {
		arguments = append(arguments, w.value(a))
	}
	if f := c.StaticCallee(); f != nil {
		if len(f.FreeVars) > 0 {
			arguments = append([]string{w.value(c.Value)}, arguments...)
		}
		return fmt.Sprintf("%s(%s)", w.function(f), strings.Join(arguments, ", "))
	}
	code, first := fmt.Sprintf("*(P *)there(%s)", w.value(c.Value)), w.value(c.Value)
	if c.IsInvoke() {
		code, first = fmt.Sprintf("method_of(%s.t, %d)", first, w.method(c.Method)), first+".w"
	}
	return fmt.Sprintf("((%s)%s)(%s)", w.codeType(c.Signature()), code, strings.Join(append([]string{first}, arguments...), ", "))
}

// codeType is the C type of a function's code that takes a block, or what an interface holds.
func (w *writer) codeType(s *types.Signature) string {
	parameters := []string{"P"}
	for v := range s.Params().Variables() {
		parameters = append(parameters, w.c(v.Type()))
	}
	return fmt.Sprintf("%s (*)(%s)", w.returned(s), strings.Join(parameters, ", "))
}

func (w *writer) closure(name string, x *ssa.MakeClosure) {
	f := x.Fn.(*ssa.Function)
	w.line("%s = alloc(%d); *(P *)%s = %s;", name, 4*(1+len(x.Bindings)), name, w.function(f))
	for i, v := range x.Bindings {
		if c := w.c(v.Type()); c != "P" {
			w.line("((P *)%s)[%d] = alloc(sizeof(%s));", name, i+1, c)
		}
		w.line("%s = %s;", captured(name, i, w.c(v.Type())), w.value(v))
	}
}

func (w *writer) returns(x *ssa.Return) {
	var results []string
	for _, v := range x.Results {
		results = append(results, w.value(v))
	}
	switch len(results) {
	case 0:
		w.line("return;")
	case 1:
		w.line("return %s;", results[0])
	default:
		w.line("return (%s){%s};", w.returned(w.f.Signature), strings.Join(results, ", "))
	}
}

// deferred declares what a deferred call keeps until then: the function's value or the
// interface, and the arguments.
func (w *writer) deferred(d *ssa.Defer) {
	w.defers = append(w.defers, d)
	fields := ""
	for i, v := range deferredValues(d) {
		fields += fmt.Sprintf("%s f%d; ", w.c(v.Type()), i)
	}
	w.line("typedef struct { Deferred d; %s} Deferred%d;", fields, len(w.defers)-1)
}

func deferredValues(d *ssa.Defer) []ssa.Value {
	if f := d.Call.StaticCallee(); f != nil && len(f.FreeVars) == 0 {
		return d.Call.Args
	}
	if _, ok := d.Call.Value.(*ssa.Builtin); ok {
		return d.Call.Args
	}
	return append([]ssa.Value{d.Call.Value}, d.Call.Args...)
}

func (w *writer) deferCall(d *ssa.Defer) {
	site := slices.Index(w.defers, d)
	w.line("{ Deferred%d *d = alloc(sizeof(Deferred%d)); d->d = (Deferred){deferred, %d}; deferred = &d->d;", site, site, site)
	for i, v := range deferredValues(d) {
		w.line("d->f%d = %s;", i, w.value(v))
	}
	w.line("}")
}

// runDefers calls what was deferred, the last first.
func (w *writer) runDefers() {
	if len(w.defers) == 0 {
		return
	}
	w.line("while (deferred) { P at = deferred; u32 site = deferred->site; deferred = deferred->next; switch (site) {")
	for site, d := range w.defers {
		kept := &writer{program: w.program, to: w.to, f: w.f, at: d, names: map[ssa.Value]string{}}
		for i, v := range deferredValues(d) {
			kept.names[v] = fmt.Sprintf("((Deferred%d *)at)->f%d", site, i)
		}
		w.line("case %d: {", site)
		if b, ok := d.Call.Value.(*ssa.Builtin); ok {
			kept.builtin("(I){}", b.Name(), d.Call.Args)
		} else {
			w.line("%s;", kept.call(&d.Call))
		}
		w.line("break; }")
	}
	w.line("} }")
}
