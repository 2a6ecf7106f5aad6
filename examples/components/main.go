// A form in components of one's own: open http://127.0.0.1:8721/.
//
// The page is form.jsx, which go generate builds. The same form is drawn by another library at
// /lit.html, without one at /plain.html, by the markup alone at /marked.html, with listeners of its
// own at /session.html, and without Lean Wicket at /alone.html. The server checks and keeps orders with
// the same form file.
package main

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"log"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

//go:generate go run ../make

//go:embed *.html tow.css built
var files embed.FS

//go:embed tow.form.yaml
var forms embed.FS

// tows are the orders that the harbour office has taken.
type tows struct {
	mu     sync.Mutex
	orders []string
}

func (t *tows) order(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
	var order struct {
		Vessel string `json:"vessel"`
		Tug    string `json:"tug"`
	}
	if err := s.Decode(&order); err != nil {
		return formhttp.Answer{}, err
	}
	if order.Tug == "Dunlin" {
		return formhttp.Answer{}, formhttp.Wrong{"tug": "The Dunlin is in dock."}
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.orders = append(t.orders, order.Vessel)
	return formhttp.Created("/tows/" + strconv.Itoa(len(t.orders))), nil
}

// handler is the page, the office behind it, and the core.
func handler() (http.Handler, error) {
	source, err := declare.OpenFS(forms, "tow.form.yaml")
	if err != nil {
		return nil, err
	}
	office := &tows{}
	orders, err := formhttp.New(source.Form, source, formhttp.Options{Submit: office.order})
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.Handle("POST /tows", orders)
	mux.HandleFunc("GET /tows", func(w http.ResponseWriter, _ *http.Request) {
		office.mu.Lock()
		defer office.mu.Unlock()
		_ = json.NewEncoder(w).Encode(office.orders)
	})
	mux.HandleFunc("GET /tows/last", func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, `{"vessel": "Heron", "length": 9.4, "tug": "Curlew", "lines": [{"rope": "bow", "metres": 20}]}`)
	})
	mux.HandleFunc("GET /registry/{vessel}", func(w http.ResponseWriter, r *http.Request) {
		if r.PathValue("vessel") == "Cutty Sark" {
			w.WriteHeader(http.StatusUnprocessableEntity)
			fmt.Fprint(w, `{"message": "The registry does not know this vessel."}`)
		}
	})
	for _, name := range []string{"leanwicket.wasm", "leanwicket.js"} {
		mux.Handle("GET /"+name, browser.Handler())
	}
	mux.HandleFunc("GET /{file}", func(w http.ResponseWriter, r *http.Request) {
		name := r.PathValue("file")
		if strings.HasSuffix(name, ".js") || name == "tow.form" {
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
	fmt.Println("open http://127.0.0.1:8721/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8721", site))
}
