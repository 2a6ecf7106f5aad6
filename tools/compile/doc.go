// Compile translates a Go program to C, which clang makes a small WebAssembly file of. It
// is made for one program, the core in the browser, and translates what that needs.
//
//	go run . -dir PROJECT -package leanwicket.dev/browser/entry -o DIR
//
// Why. A program of the standard compiler carries a scheduler, a collector that runs beside
// the program, type descriptors for reflection, and tables for stack traces. A core that is
// called, computes, and returns needs none of these. The same source is built by both: the
// standard compiler is the reference, and random sessions are held against it (browser/entry).
//
// How. go/packages loads the program for GOOS=js and GOARCH=wasm, and go/ssa gives it in
// static single assignment form: functions of basic blocks, with generics instantiated,
// closures lifted and ranges over functions written out. Each function becomes a C function,
// each value a C variable, each block a label. clang does the rest: it allocates registers,
// inlines, and folds what is constant.
//
//   - program.go loads the program and writes the file.
//   - keep.go decides what is kept, and in which order: from the exported functions on,
//     whatever is reached, and of the packages' variables those that are.
//   - types.go gives each type its C type, its comparison, its hash, and a descriptor where
//     it is held by an interface.
//   - values.go writes constants, globals, functions as values and zero values.
//   - instructions.go writes instructions, with the checks that Go asks for. What it does not
//     know is an error.
//   - calls.go writes calls, closures, what a function returns, and what it defers.
//   - operators.go writes operators, conversions and built-in functions.
//   - table.go lists what is written by hand in C, and what is not translated, each with its
//     reason.
//   - runtime/ is what every program needs: memory and its collector, strings, slices, maps.
//
// What is exported says //go:wasmexport, and what the host gives says //go:wasmimport, as
// the standard compiler reads them.
//
// Meaning. Go's is kept in full for what is translated: bounds, nil, overflow that wraps,
// shifts by any count, division, conversions of floats that saturate (which Go leaves open),
// strings by bytes. int has 64 bits and a pointer 32. What would panic is a trap: it ends the
// instance, and nothing recovers. What Go leaves open is fixed: a map is ranged over in the
// order in which its keys came, and append grows by a rule of its own.
//
// The collector runs between calls, when the stack is empty, so that globals are the only
// roots. It is conservative: a word that looks like the address of an object keeps it.
package main
