// A form with a script of one's own, and no framework: open http://127.0.0.1:8722/.
//
// The page is form.ts, which go generate builds. The server checks wishes with the
// same form file.
package main

import (
	"context"
	"embed"
	"fmt"
	"log"
	"net/http"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

//go:generate go run ../make

//go:embed index.html built
var files embed.FS

//go:embed berths.form.yaml
var forms embed.FS

// ask takes a wish of a page that has the token of its own.
func ask(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
	if s.Request.Header.Get("X-Harbour-Token") != "gull" {
		return formhttp.Answer{Status: http.StatusForbidden}, nil
	}
	return formhttp.Answer{Status: http.StatusCreated, Body: map[string]any{}}, nil
}

// handler is the page, the office behind it, and the core.
func handler() (http.Handler, error) {
	source, err := declare.OpenFS(forms, "berths.form.yaml")
	if err != nil {
		return nil, err
	}
	wishes, err := formhttp.New(source.Form, source, formhttp.Options{Submit: ask})
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.Handle("POST /swaps", wishes)
	mux.HandleFunc("GET /berths/{berth}", func(w http.ResponseWriter, r *http.Request) {
		if r.PathValue("berth") == "A1" {
			w.WriteHeader(http.StatusUnprocessableEntity)
			fmt.Fprint(w, `{"message": "A1 is the harbour master's."}`)
		}
	})
	mux.Handle("GET /leanwicket.wasm", browser.Handler())
	mux.HandleFunc("GET /{file}", func(w http.ResponseWriter, r *http.Request) {
		name := r.PathValue("file")
		if name == "form.js" || name == "berths.form" {
			name = "built/" + name
		}
		http.ServeFileFS(w, r, files, name)
	})
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) { http.ServeFileFS(w, r, files, "index.html") })
	return mux, nil
}

func main() {
	site, err := handler()
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("open http://127.0.0.1:8722/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8722", site))
}
