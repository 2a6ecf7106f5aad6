package main

import (
	"bytes"
	_ "embed"
	"errors"
	"flag"
	"fmt"
	"go/ast"
	"go/types"
	"log"
	"maps"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/tools/go/packages"
	"golang.org/x/tools/go/ssa"
	"golang.org/x/tools/go/ssa/ssautil"
	"golang.org/x/tools/go/types/typeutil"
)

// program is a program that is being translated: what is written of it, and what is known of
// it so far.
type program struct {
	ssa *ssa.Program

	types, declared, data, bodies bytes.Buffer // the parts of the file

	compounds, comparisons, hashes, mapTypes, descriptorOf, implementings typeutil.Map // of types
	descriptors                                                           []*descriptor
	methods                                                               []string     // that are called by an interface
	asked                                                                 []types.Type // interfaces that a value is asked for
	sets                                                                  typeutil.MethodSetCache

	functions map[*ssa.Function]string
	order     []*ssa.Function // in which they were reached
	queue     []*ssa.Function // those that are not written yet
	asValue   map[*ssa.Function]bool
	globals   map[*ssa.Global]string
	places    map[ssa.Value]string // variables for what an init makes
	contents  map[string]*content  // of variables, as far as they are constant
	filled    []string             // the variables with one, in order

	exports map[types.Object]string    // names for the host
	imports map[types.Object][2]string // modules and names of the host
	wrong   []error

	seen map[string]bool // kinds of instructions, for the tests
}

//go:embed runtime/runtime.h
var runtimeHeader string

//go:embed runtime/hand.h
var handHeader string

//go:embed runtime/memory.c
var memorySource []byte

func main() {
	log.SetFlags(0)
	dir := flag.String("dir", ".", "the folder of the program's module")
	path := flag.String("package", "", "the program's package")
	out := flag.String("o", ".", "the folder for program.c, memory.c and functions.txt")
	flag.Parse()
	p, err := load(*dir, *path)
	if err != nil {
		log.Fatal(err)
	}
	source, err := p.translate()
	if err != nil {
		log.Fatal(err)
	}
	for name, data := range map[string][]byte{"program.c": source, "memory.c": memorySource, "functions.txt": p.listed(*dir)} {
		if err := os.WriteFile(filepath.Join(*out, name), data, 0o644); err != nil {
			log.Fatal(err)
		}
	}
	fmt.Printf("%d functions, %d variables of packages, %d descriptors\n", len(p.functions), len(p.globals), len(p.descriptors))
}

// load reads a package and all that it imports.
func load(dir, path string) (*program, error) {
	loaded, err := packages.Load(&packages.Config{
		Mode: packages.LoadAllSyntax, Dir: dir,
		Env: append(os.Environ(), "GOOS=js", "GOARCH=wasm", "GOFLAGS=", "GOWORK=off"),
	}, path)
	if err != nil {
		return nil, err
	}
	p := &program{
		functions: map[*ssa.Function]string{}, asValue: map[*ssa.Function]bool{}, globals: map[*ssa.Global]string{}, places: map[ssa.Value]string{}, contents: map[string]*content{}, seen: map[string]bool{},
		exports: map[types.Object]string{}, imports: map[types.Object][2]string{},
	}
	packages.Visit(loaded, nil, func(of *packages.Package) {
		for _, e := range of.Errors {
			err = errors.Join(err, e)
		}
		p.directives(of)
	})
	if err != nil {
		return nil, err
	}
	p.ssa, _ = ssautil.AllPackages(loaded, ssa.InstantiateGenerics)
	p.ssa.Build()
	return p, nil
}

// directives finds the functions that the host calls, and those that it gives.
func (p *program) directives(of *packages.Package) {
	for _, file := range of.Syntax {
		for _, declaration := range file.Decls {
			f, ok := declaration.(*ast.FuncDecl)
			if !ok || f.Doc == nil {
				continue
			}
			for _, line := range f.Doc.List {
				words := strings.Fields(line.Text)
				switch {
				case words[0] == "//go:wasmexport" && len(words) == 2:
					p.exports[of.TypesInfo.Defs[f.Name]] = words[1]
				case words[0] == "//go:wasmimport" && len(words) == 3:
					p.imports[of.TypesInfo.Defs[f.Name]] = [2]string{words[1], words[2]}
				}
			}
		}
	}
}

// translate writes the program.
func (p *program) translate() ([]byte, error) {
	exported := slices.SortedFunc(maps.Keys(p.exports), func(a, b types.Object) int { return strings.Compare(p.exports[a], p.exports[b]) })
	for _, o := range exported {
		p.function(p.ssa.FuncValue(o.(*types.Func)))
	}
	beginning := p.keep()
	p.describe()
	p.drain()
	var b bytes.Buffer
	fmt.Fprintf(&b, "// Translated from Go by tools/compile.\n%s%s%s%s%s%s", runtimeHeader, p.types.Bytes(), p.declared.Bytes(), handHeader, p.data.Bytes(), p.bodies.Bytes())
	fmt.Fprintf(&b, "__attribute__((export_name(\"begin\"))) void begin(void) {\n%s}\n", beginning)
	for _, o := range exported {
		p.export(&b, o)
	}
	return b.Bytes(), errors.Join(p.wrong...)
}

// export writes a function for the host. Its results are those that the host knows.
func (p *program) export(b *bytes.Buffer, o types.Object) {
	f := p.ssa.FuncValue(o.(*types.Func))
	var parameters, arguments []string
	for i, of := range f.Params {
		parameters = append(parameters, fmt.Sprintf("%s p%d", p.c(of.Type()), i))
		arguments = append(arguments, fmt.Sprintf("p%d", i))
	}
	name := p.exports[o]
	fmt.Fprintf(b, "__attribute__((export_name(%q))) %s exported_%s(%s) { return %s(%s); }\n", name, p.returned(f.Signature), name, strings.Join(parameters, ", "), p.functions[f], strings.Join(arguments, ", "))
}

// listed lists for each C function the Go function and where that stands, so that a trap can
// be told by it.
func (p *program) listed(dir string) []byte {
	var b bytes.Buffer
	root, _ := filepath.Abs(dir)
	for _, f := range p.order {
		at := p.ssa.Fset.Position(f.Pos())
		file := strings.TrimPrefix(at.Filename, root+string(filepath.Separator))
		file = strings.TrimPrefix(file, filepath.Join(runtime.GOROOT(), "src")+string(filepath.Separator))
		if file == "" {
			file = "made by the compiler"
		}
		names := []string{p.functions[f]}
		if name, exported := p.exports[f.Object()]; exported {
			names = append(names, "exported_"+name)
		}
		for _, name := range names {
			fmt.Fprintf(&b, "%s\t%s\t%s:%d\n", name, f, filepath.ToSlash(file), at.Line)
		}
	}
	return b.Bytes()
}

// fails notes what cannot be translated, with the place.
func (p *program) fails(f *ssa.Function, in ssa.Instruction, what string) {
	at := p.ssa.Fset.Position(f.Pos())
	if in != nil && in.Pos().IsValid() {
		at = p.ssa.Fset.Position(in.Pos())
	}
	p.wrong = append(p.wrong, fmt.Errorf("%s: %s: %s", at, f, what))
}
