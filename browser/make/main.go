// Builds the core for the browser and compresses it, and bundles the scripts: go generate
// ./browser. With -check it says whether what is committed is current, going by what the core is made
// of; with -whole as well it makes the core itself once more.
package main

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"log"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/andybalholm/brotli"

	"leanwicket.dev/internal/esbuild"
)

func main() {
	check := flag.Bool("check", false, "compare, and write nothing")
	whole := flag.Bool("whole", false, "with -check: make the core once more")
	table := flag.Bool("table", false, "make the ends of the table alone")
	flag.Parse()
	log.SetFlags(0)
	if err := run(*check, *whole, *table); err != nil {
		log.Fatal(err)
	}
}

func run(check, whole, table bool) error {
	made, err := ends()
	if err != nil {
		return err
	}
	if check {
		err = current(made)
	} else {
		err = write(made) // the scripts and the core are made of them
	}
	if err != nil || table {
		return err
	}
	made = map[string][]byte{}
	for name, from := range map[string][2]string{"leanwicket.js": {"start", "iife"}, "leanwicket.mjs": {"module", "esm"}, "leanwicket.attach.mjs": {"attach", "esm"}} {
		bundle, err := esbuild.Bundle(filepath.Join("script", from[0]+".js"), from[1], "", "--external:./module.js")
		if err != nil {
			return err
		}
		bundle = bytes.ReplaceAll(bundle, []byte(`"./module.js"`), []byte(`"./leanwicket.mjs"`)) // which is beside it
		short, err := shorter(bundle)
		if check && errors.Is(err, errShorter) {
			fmt.Println(name + " is not compared: " + err.Error())
			continue
		}
		if err != nil {
			return err
		}
		made[name] = short
	}
	dir, err := os.MkdirTemp("", "leanwicket-bundle-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	sum, err := translate(dir)
	if err != nil {
		return err
	}
	made["core.sum"] = sum
	if !check || whole && hasTools() {
		wasm, places, err := compile(dir)
		if err != nil {
			return err
		}
		made["leanwicket.wasm.br"], made["leanwicket.places.txt"] = packed(wasm), places
	} else if whole {
		fmt.Println("the core's bytes are not compared, only what they are made of: " + errTools.Error())
	}
	if check {
		if err := current(made); err != nil {
			return err
		}
		return fits()
	}
	return write(made)
}

// errShorter is the error where a tool is missing that makes the scripts shorter.
var errShorter = errors.New("terser is missing; right would be: npm ci --prefix tools/npm")

// shorter gives a bundled script shorter names than the bundler does: a twentieth less travels.
func shorter(script []byte) ([]byte, error) {
	c := exec.Command(filepath.Join("..", "tools", "npm", "node_modules", ".bin", "terser"), "--compress", "passes=3,ecma=2022,unsafe_arrows,toplevel", "--mangle", "toplevel")
	c.Stdin = bytes.NewReader(script)
	var wrong bytes.Buffer
	c.Stderr = &wrong
	made, err := c.Output()
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, errShorter
	case err != nil:
		return nil, fmt.Errorf("terser: %w\n%s", err, wrong.Bytes())
	}
	return made, nil
}

func write(made map[string][]byte) error {
	for name, data := range made {
		if err := os.WriteFile(name, data, 0o644); err != nil {
			return err
		}
		fmt.Printf("%s: %d bytes, %d as it travels\n", name, len(data), travels(name, data))
	}
	return nil
}

func packed(data []byte) []byte {
	var b bytes.Buffer
	w := brotli.NewWriterOptions(&b, brotli.WriterOptions{Quality: 11, LGWin: 24})
	_, _ = w.Write(data) // a buffer takes everything
	_ = w.Close()
	return b.Bytes()
}

// travels is how many bytes a file is on the wire.
func travels(name string, data []byte) int {
	if filepath.Ext(name) == ".br" {
		return len(data)
	}
	return len(packed(data))
}

// most is how many bytes a file may be on the wire.
var most = map[string]int{"leanwicket.wasm.br": 103_500, "leanwicket.js": 18_000, "leanwicket.mjs": 8_800, "leanwicket.attach.mjs": 4_000}

// current compares what is committed. The tools can be of another version than those that
// made the core: then what it is made of tells.
func current(made map[string][]byte) error {
	for name, data := range made {
		committed, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		switch {
		case bytes.Equal(committed, data):
		case name == "core.sum" && !bytes.Equal(goVersion(committed), goVersion(data)):
			fmt.Printf("the core is not compared: it was made with %s, and this is %s\n", goVersion(committed), goVersion(data))
		case (name == "leanwicket.wasm.br" || name == "leanwicket.places.txt") && !bytes.Equal(committedSum(), made["core.sum"]):
		case name == "leanwicket.wasm.br":
			fmt.Printf("%s is %d bytes, and with the clang of this machine %d; the C is the same\n", name, len(committed), len(data))
		case name == "leanwicket.places.txt": // it goes with the bytes
		default:
			return fmt.Errorf("browser/%s is not current; right would be: go generate ./browser", name)
		}
	}
	return nil
}

// fits is an error where a file is larger than it may be.
func fits() error {
	for name, bytes := range most {
		data, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		if n := travels(name, data); n > bytes {
			return fmt.Errorf("%s is %d bytes on the wire, more than %d", name, n, bytes)
		}
	}
	return nil
}

func committedSum() []byte { data, _ := os.ReadFile("core.sum"); return data }

var errTools = errors.New("clang-19, wasm-ld-19 or wasm-opt is missing; right would be: apt-get install clang-19 lld-19 binaryen")
