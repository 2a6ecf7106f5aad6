// A page that has a cache of its own, at http://127.0.0.1:8728/: the buoys of the harbour, which whoever has
// the watch can change. The forms of the page take a buoy from the cache, and what was stored goes
// back into it.
package main

import (
	"context"
	"crypto/rand"
	"embed"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"log"
	"net/http"
	"strconv"
	"sync"
	"time"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

//go:embed index.html buoys.css built
var files embed.FS

//go:embed *.form.yaml
var forms embed.FS

// chart are the buoys, and who has the watch.
type chart struct {
	mu    sync.Mutex
	ids   []string
	buoys map[string]buoy
	token string // of the watch; empty means that nobody has it
}

type buoy struct {
	ID      string  `json:"id"`
	Light   string  `json:"light"`
	Depth   float64 `json:"depth"`
	Note    string  `json:"note,omitempty"`
	Version string  `json:"version,omitempty"`
}

// hasWatch turns away whoever has not the watch.
func (c *chart) hasWatch(r *http.Request) *formhttp.Answer {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.token != "" && r.Header.Get("X-Harbour-Token") == c.token {
		return nil
	}
	return &formhttp.Answer{Status: http.StatusUnauthorized, Body: map[string]any{"title": "Who has the watch?"}}
}

// store keeps a buoy, which gets an id where it has none, in its next version.
func (c *chart) store(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
	b := buoy{ID: s.Request.PathValue("id")}
	if err := s.Decode(&b); err != nil {
		return formhttp.Answer{}, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	status, before := http.StatusOK, c.buoys[b.ID]
	switch {
	case b.ID == "":
		status, b.ID = http.StatusCreated, "B"+strconv.Itoa(len(c.ids)+1)
		c.ids = append(c.ids, b.ID)
	case s.Version != before.Version:
		return formhttp.Answer{Status: http.StatusPreconditionFailed}, nil
	}
	number, _ := strconv.Atoi(before.Version)
	b.Version = strconv.Itoa(number + 1)
	c.buoys[b.ID] = b
	return formhttp.Answer{Status: status, Header: http.Header{"ETag": {b.Version}}, Body: b}, nil
}

func (c *chart) load(r *http.Request) (map[string]any, string, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	b, known := c.buoys[r.PathValue("id")]
	if !known {
		return nil, "", fs.ErrNotExist
	}
	return map[string]any{"id": b.ID, "light": b.Light, "depth": b.Depth, "note": b.Note}, b.Version, nil
}

func (c *chart) list(w http.ResponseWriter, r *http.Request) {
	if no := c.hasWatch(r); no != nil {
		w.WriteHeader(no.Status)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	var all []buoy
	for _, id := range c.ids {
		b := c.buoys[id]
		b.Version = strconv.Quote(b.Version) // as an ETag has it
		all = append(all, b)
	}
	_ = json.NewEncoder(w).Encode(all)
}

// depth says whether the chart has a depth: 422 where it has not.
func (c *chart) depth(w http.ResponseWriter, r *http.Request) {
	if no := c.hasWatch(r); no != nil {
		w.WriteHeader(no.Status)
		return
	}
	if depth, err := strconv.ParseFloat(r.PathValue("depth"), 64); err == nil && depth > 60 {
		w.WriteHeader(http.StatusUnprocessableEntity)
		fmt.Fprint(w, `{"message": "Nowhere in the harbour is it as deep as that."}`)
	}
}

// news tells every second in which version each buoy is, as an event (HTML, section 9.2).
func (c *chart) news(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/event-stream")
	for {
		versions := map[string]string{}
		c.mu.Lock()
		for id, b := range c.buoys {
			versions[id] = strconv.Quote(b.Version) // as an ETag has it
		}
		c.mu.Unlock()
		text, _ := json.Marshal(versions)
		fmt.Fprintf(w, "data: %s\n\n", text)
		_ = http.NewResponseController(w).Flush()
		select {
		case <-r.Context().Done():
			return
		case <-time.After(time.Second):
		}
	}
}

// drift is what the sea does to a buoy, whoever has the watch.
func (c *chart) drift(_ http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	b := c.buoys[r.PathValue("id")]
	number, _ := strconv.Atoi(b.Version)
	b.Note, b.Version = "has drifted", strconv.Itoa(number+1)
	c.buoys[r.PathValue("id")] = b
}

// signIn gives the watch to whoever knows the word of the day; sign-out takes it back.
func (c *chart) signIn(w http.ResponseWriter, r *http.Request) {
	word, _ := io.ReadAll(io.LimitReader(r.Body, 100))
	if string(word) != "gull" {
		w.WriteHeader(http.StatusForbidden)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.token = rand.Text()
	fmt.Fprint(w, c.token)
}

func (c *chart) signOut(http.ResponseWriter, *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.token = ""
}

func handler() (http.Handler, error) {
	c := &chart{ids: []string{"B1", "B2"}, buoys: map[string]buoy{
		"B1": {"B1", "red", 4, "", "1"}, "B2": {"B2", "green", 6.5, "at the wreck", "1"},
	}}
	mux := http.NewServeMux()
	for name, o := range map[string]struct {
		pattern string
		options formhttp.Options
	}{
		"buoy": {"/buoys/{id}", formhttp.Options{Load: c.load, Admit: c.hasWatch, Submit: c.store}},
		"laid": {"POST /buoys", formhttp.Options{Admit: c.hasWatch, Submit: c.store}},
	} {
		source, err := declare.OpenFS(forms, name+".form.yaml")
		if err != nil {
			return nil, err
		}
		handles, err := formhttp.New(source.Form, source, o.options)
		if err != nil {
			return nil, err
		}
		mux.Handle(o.pattern, handles)
	}
	mux.HandleFunc("GET /buoys", c.list)
	mux.HandleFunc("GET /depths/{depth}", c.depth)
	mux.HandleFunc("GET /news", c.news)
	mux.HandleFunc("POST /drift/{id}", c.drift)
	mux.HandleFunc("POST /sign-in", c.signIn)
	mux.HandleFunc("POST /sign-out", c.signOut)
	mux.Handle("GET /leanwicket.wasm", browser.Handler())
	for path, name := range map[string]string{
		"/{$}": "index.html", "/buoys.css": "buoys.css", "/form.js": "built/form.js", "/buoy.form": "built/buoy.form", "/laid.form": "built/laid.form",
	} {
		mux.HandleFunc("GET "+path, func(w http.ResponseWriter, r *http.Request) { http.ServeFileFS(w, r, files, name) })
	}
	return mux, nil
}

func main() {
	h, err := handler()
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("open http://127.0.0.1:8728/, the word of the day is gull")
	log.Fatal(http.ListenAndServe("127.0.0.1:8728", h))
}
