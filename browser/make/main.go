// Builds the core for the browser and compresses it, and bundles the scripts: go generate
// ./browser. With -check it says whether what is committed is current.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/andybalholm/brotli"

	"leanwicket.dev/internal/esbuild"
)

func main() {
	check := flag.Bool("check", false, "compare, and write nothing")
	flag.Parse()
	log.SetFlags(0)
	made, wasm, err := bundle()
	if err != nil {
		log.Fatal(err)
	}
	if *check {
		if err := current(made, wasm); err != nil {
			log.Fatal(err)
		}
		return
	}
	var packed bytes.Buffer
	w := brotli.NewWriterOptions(&packed, brotli.WriterOptions{Quality: 11, LGWin: 24})
	if _, err := w.Write(wasm); err != nil {
		log.Fatal(err)
	}
	if err := w.Close(); err != nil {
		log.Fatal(err)
	}
	made["leanwicket.wasm.br"] = packed.Bytes()
	for name, data := range made {
		if err := os.WriteFile(name, data, 0o644); err != nil {
			log.Fatal(err)
		}
		fmt.Printf("%s: %d bytes\n", name, len(data))
	}
}

// bundle makes the files, but for the core, which is still to be compressed.
func bundle() (made map[string][]byte, wasm []byte, err error) {
	if wasm, err = core(); err != nil {
		return nil, nil, err
	}
	runtime, err := glue()
	if err != nil {
		return nil, nil, err
	}
	if err := os.WriteFile("wasm_exec.js", append([]byte("// @ts-nocheck\n"), runtime...), 0o644); err != nil {
		return nil, nil, err
	}
	made = map[string][]byte{}
	for name, from := range map[string][2]string{"leanwicket.js": {"start", "iife"}, "leanwicket.mjs": {"module", "esm"}} {
		if made[name], err = esbuild.Bundle(filepath.Join("script", from[0]+".js"), from[1], ""); err != nil {
			return nil, nil, err
		}
	}
	return made, wasm, nil
}

// core builds the program: without inlining, for size.
func core() ([]byte, error) {
	dir, err := os.MkdirTemp("", "leanwicket-bundle-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	out := filepath.Join(dir, "leanwicket.wasm")
	c := exec.Command("go", "build", "-gcflags=all=-l", "-ldflags=-s -w -buildid=", "-trimpath", "-buildvcs=false", "-o", out, "leanwicket.dev/browser/entry/leanwicket")
	c.Env = append(os.Environ(), "GOOS=js", "GOARCH=wasm", "GOFLAGS=")
	if text, err := c.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w\n%s", err, text)
	}
	return os.ReadFile(out)
}

// most is how large the core may be, in bytes, as it travels. An empty program is
// 441,000.
const most = 690_000

// glue is the toolchain's own script for such programs.
func glue() ([]byte, error) {
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(strings.TrimSpace(string(root)), "lib", "wasm", "wasm_exec.js"))
}

func current(made map[string][]byte, wasm []byte) error {
	packed, err := os.ReadFile("leanwicket.wasm.br")
	if err != nil {
		return err
	}
	var committed bytes.Buffer
	if _, err := committed.ReadFrom(brotli.NewReader(bytes.NewReader(packed))); err != nil {
		return err
	}
	is := bytes.Equal(committed.Bytes(), wasm)
	for name, data := range made {
		known, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		is = is && bytes.Equal(known, data)
	}
	if !is {
		return fmt.Errorf("the bundle is not current; right would be: go generate ./browser")
	}
	if len(packed) > most {
		return fmt.Errorf("the core is %d bytes, more than %d: what became large is seen with go build -ldflags=-dumpdep", len(packed), most)
	}
	return nil
}
