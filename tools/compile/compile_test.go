package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"leanwicket.dev/tools/compile/meaning"
)

// translated translates a package into a folder.
func translated(t *testing.T, dir, path, out string) *program {
	t.Helper()
	p, err := load(dir, path)
	if err != nil {
		t.Fatal(err)
	}
	source, err := p.translate()
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"program.c": source, "memory.c": memorySource} {
		if err := os.WriteFile(filepath.Join(out, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return p
}

// Each program says the same from Go and as WebAssembly, and panics where the other traps.
func TestTheMeaningIsGos(t *testing.T) {
	for _, tool := range []string{"clang-19", "wasm-ld-19", "node"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Skipf("%s is missing: apt-get install clang-19 lld-19 nodejs", tool)
		}
	}
	dir := t.TempDir()
	translated(t, ".", "./meaning", dir)
	type says struct {
		said string
		ends bool
	}
	var want []says // they are run once, for they change variables
	for n := range meaning.Programs {
		said, ends := meaning.Run(n)
		want = append(want, says{said, ends})
	}
	for _, optimized := range []string{"-O0", "-Oz", "-O2"} {
		if text, err := exec.Command("./build", dir, optimized).CombinedOutput(); err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		text, err := exec.Command("node", "run.mjs", filepath.Join(dir, "program.wasm")).Output()
		if err != nil {
			t.Fatal(err)
		}
		var got []struct {
			Said []byte
			Ends bool
		}
		if err := json.Unmarshal(text, &got); err != nil {
			t.Fatal(err)
		}
		if len(got) != len(meaning.Programs) {
			t.Fatalf("%d programs of %d", len(got), len(meaning.Programs))
		}
		for n, program := range meaning.Programs {
			if is := (says{string(got[n].Said), got[n].Ends}); is != want[n] {
				t.Errorf("%s, %s: Go says, and ends %v:\n%s\ntranslated, and ends %v:\n%s", program.Name, optimized, want[n].ends, first(want[n].said, is.said), is.ends, first(is.said, want[n].said))
			}
		}
	}
}

// first is a text from where it differs from another one.
func first(text, other string) string {
	k := 0
	for k < min(len(text), len(other)) && text[k] == other[k] {
		k++
	}
	return text[max(0, k-60):min(len(text), k+200)]
}

// The programs have every instruction, operator and built-in function that the core has, with
// the kinds of their operands.
func TestTheProgramsHaveEveryInstruction(t *testing.T) {
	dir := t.TempDir()
	core := translated(t, "../..", "leanwicket.dev/browser/entry", dir)
	small := translated(t, ".", "./meaning", dir)
	var missing []string
	for in := range core.seen {
		if !small.seen[in] {
			missing = append(missing, in)
		}
	}
	slices.Sort(missing)
	if len(missing) > 0 {
		t.Errorf("no program in meaning has: %q", missing)
	}
}

// The same Go gives the same C.
func TestTheTranslationIsTheSameEachTime(t *testing.T) {
	var before []byte
	for range 2 {
		dir := t.TempDir()
		translated(t, ".", "./meaning", dir)
		source, err := os.ReadFile(filepath.Join(dir, "program.c"))
		if err != nil {
			t.Fatal(err)
		}
		if before != nil && string(source) != string(before) {
			t.Error("it differs")
		}
		before = source
	}
}
