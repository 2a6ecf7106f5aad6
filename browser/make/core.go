package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
)

// translate writes the core as C into a folder. It returns what the core is made of: the
// version of Go, whose library is a part of it, and a hash of the C.
func translate(dir string) (sum []byte, err error) {
	root, err := filepath.Abs("..")
	if err != nil {
		return nil, err
	}
	c := exec.Command("go", "-C", filepath.Join(root, "tools", "compile"), "run", ".", "-dir", root, "-package", "leanwicket.dev/browser/entry", "-o", dir)
	c.Env = append(os.Environ(), "GOFLAGS=", "GOWORK=off")
	if text, err := c.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w\n%s", err, text)
	}
	h := sha256.New()
	for _, name := range []string{"program.c", "memory.c"} {
		source, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			return nil, err
		}
		h.Write(source)
	}
	return []byte(runtime.Version() + "\n" + hex.EncodeToString(h.Sum(nil)) + "\n"), nil
}

func goVersion(sum []byte) []byte { version, _, _ := bytes.Cut(sum, []byte("\n")); return version }

func hasTools() bool {
	for _, name := range []string{"clang-19", "wasm-ld-19", "wasm-opt"} {
		if _, err := exec.LookPath(name); err != nil {
			return false
		}
	}
	return true
}

// compile makes the core of the C, and a list of its functions by their number: the names of
// the Go functions, and where these stand.
func compile(dir string) (wasm, places []byte, err error) {
	if !hasTools() {
		return nil, nil, errTools
	}
	clang := func(name string) []string {
		return []string{
			"clang-19", "--target=wasm32", "-std=gnu17", "-Oz", "-flto", "-w", "-nostdlib", "-fno-builtin",
			"-fwrapv", "-fno-strict-aliasing", // integers wrap, and memory has no types
			"-mbulk-memory", "-msign-ext", "-mnontrapping-fptoint", "-c", name + ".c", "-o", name + ".o",
		}
	}
	// The linker optimises the whole program at once: that makes it a tenth smaller.
	for _, words := range [][]string{
		clang("program"), clang("memory"),
		{"wasm-ld-19", "--lto-O2", "--no-entry", "--gc-sections", "--allow-undefined", "--export-memory", "--stack-first", "-z", "stack-size=1048576", "program.o", "memory.o", "-o", "linked.wasm"},
		// The lowest memory is the end of the stack, which is never reached: no address points there.
		{"wasm-opt", "-Oz", "--converge", "-g", "--low-memory-unused", "--enable-bulk-memory", "--enable-sign-ext", "--enable-nontrapping-float-to-int", "linked.wasm", "-o", "core.wasm"},
	} {
		c := exec.Command(words[0], words[1:]...)
		c.Dir = dir
		if text, err := c.CombinedOutput(); err != nil {
			return nil, nil, fmt.Errorf("%s: %w\n%s", strings.Join(words, " "), err, text)
		}
	}
	whole, err := os.ReadFile(filepath.Join(dir, "core.wasm"))
	if err != nil {
		return nil, nil, err
	}
	functions, err := os.ReadFile(filepath.Join(dir, "functions.txt"))
	if err != nil {
		return nil, nil, err
	}
	wasm, names := stripped(whole)
	return wasm, listed(names, functions), nil
}

// listed is a line for each function: its Go name and where it stands.
func listed(names []string, functions []byte) []byte {
	known := map[string]string{}
	for line := range strings.Lines(string(functions)) {
		name, rest, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		known[name] = strings.Replace(rest, "\t", ", ", 1)
	}
	var b bytes.Buffer
	for _, name := range names {
		place, is := known[name]
		if !is {
			place = name
		}
		b.WriteString(place + "\n")
	}
	return b.Bytes()
}

// stripped is a program without its custom sections, and the names of its functions by their
// number (WebAssembly core specification, sections 5.5 and 7.4.1).
func stripped(wasm []byte) (rest []byte, names []string) {
	rest = append(rest, wasm[:8]...)
	for at := 8; at < len(wasm); {
		begin, id := at, wasm[at]
		at++
		size := readNumber(wasm, &at)
		end := at + size
		if id != 0 {
			rest = append(rest, wasm[begin:end]...)
		} else if readText(wasm, &at) == "name" {
			for at < end {
				kind := wasm[at]
				at++
				size := readNumber(wasm, &at)
				if kind != 1 {
					at += size
					continue
				}
				for range readNumber(wasm, &at) {
					k := readNumber(wasm, &at)
					for len(names) <= k {
						names = append(names, "")
					}
					names[k] = readText(wasm, &at)
				}
			}
		}
		at = end
	}
	return rest, names
}

// readNumber reads an unsigned number in LEB128 (section 5.2.2).
func readNumber(data []byte, at *int) (n int) {
	for shift := 0; ; shift += 7 {
		b := data[*at]
		*at++
		n |= int(b&0x7f) << shift
		if b < 0x80 {
			return n
		}
	}
}

func readText(data []byte, at *int) string {
	n := readNumber(data, at)
	*at += n
	return string(data[*at-n : *at])
}
