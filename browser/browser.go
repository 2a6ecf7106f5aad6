// Package browser is what a page needs to run the lifecycle in the browser: a script,
// and the core as WebAssembly, compressed.
//
//	http.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
package browser

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io"
	"net/http"
	"strings"

	"github.com/andybalholm/brotli"
)

//go:generate go run ./make

//go:embed leanwicket.js leanwicket.mjs leanwicket.d.ts leanwicket.attach.mjs leanwicket.attach.d.ts leanwicket.wasm.br leanwicket.places.txt
var files embed.FS

// Names are the files as a page asks for them: the script, the same as a module for
// scripts of one's own, its types, the module whose sessions have attach, its types, the core, and
// a list of its functions, which the script asks for only when the core has failed.
func Names() []string {
	return []string{"leanwicket.js", "leanwicket.mjs", "leanwicket.d.ts", "leanwicket.attach.mjs", "leanwicket.attach.d.ts", "leanwicket.wasm", "leanwicket.places.txt"}
}

// File is one of them, as it is.
func File(name string) ([]byte, error) {
	if name != "leanwicket.wasm" {
		return files.ReadFile(name)
	}
	packed, err := Packed()
	if err != nil {
		return nil, err
	}
	return io.ReadAll(brotli.NewReader(bytes.NewReader(packed)))
}

// Packed is leanwicket.wasm in brotli's format.
func Packed() ([]byte, error) { return files.ReadFile("leanwicket.wasm.br") }

// Handler serves the files: the core compressed to who takes that, and each with a
// tag, so that it is loaded once.
func Handler() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(r.URL.Path, "/")
		kind := "text/javascript; charset=utf-8"
		read := File
		if name == "leanwicket.places.txt" {
			kind = "text/plain; charset=utf-8"
		}
		if name == "leanwicket.wasm" {
			kind = "application/wasm"
			w.Header().Set("Vary", "Accept-Encoding")
			if strings.Contains(r.Header.Get("Accept-Encoding"), "br") {
				w.Header().Set("Content-Encoding", "br")
				read = func(string) ([]byte, error) { return Packed() }
			}
		}
		data, err := read(name)
		if err != nil {
			w.Header().Del("Content-Encoding")
			http.NotFound(w, r)
			return
		}
		sum := sha256.Sum256(data)
		tag := `"` + hex.EncodeToString(sum[:8]) + `"`
		w.Header().Set("ETag", tag)
		w.Header().Set("Cache-Control", "no-cache")
		w.Header().Set("X-Content-Type-Options", "nosniff")
		if r.Header.Get("If-None-Match") == tag {
			w.WriteHeader(http.StatusNotModified)
			return
		}
		w.Header().Set("Content-Type", kind)
		_, _ = w.Write(data)
	})
}
