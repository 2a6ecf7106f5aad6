package formhttp_test

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing/fstest"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

// A form of a struct is posted in a test as a browser posts it: valid, invalid, twice, and by many at
// once.
func ExampleFor() {
	type Seat struct {
		Name string `json:"name" label:"Your name" form:"required"`
		Row  uint8  `json:"row" label:"Row" form:"required; minimum=1; maximum=12"`
	}
	source, err := declare.FromStruct[Seat]("form: seat\nsubmit: {url: /seats}")
	if err != nil {
		fmt.Println(err)
		return
	}
	var taken atomic.Int32
	page, err := formhttp.For(source.Form, formhttp.Typed[Seat]{
		Submit: func(_ context.Context, seat Seat, _ formhttp.Submission) (formhttp.Answer, error) {
			return formhttp.Answer{Status: 201, Body: map[string]any{"row": seat.Row, "seat": taken.Add(1)}}, nil
		},
	}, formhttp.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	post := func(key, body string) *httptest.ResponseRecorder {
		r := httptest.NewRequest("POST", "/seats", strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Idempotency-Key", key)
		w := httptest.NewRecorder()
		page.ServeHTTP(w, r)
		return w
	}
	fmt.Println(post("a", `{"name": "Ada", "row": 13}`).Code)
	fmt.Println(post("b", `{"name": "Ada", "row": 7}`).Body)
	fmt.Println(post("b", `{"name": "Ada", "row": 7}`).Header().Get("Leanwicket-Repeat"))
	var all sync.WaitGroup
	for range 100 {
		all.Go(func() { post("c", `{"name": "Bo", "row": 8}`) })
	}
	all.Wait()
	fmt.Println(taken.Load(), "seats are taken")
	// Output:
	// 422
	// {"row":7,"seat":1}
	// true
	// 2 seats are taken
}

// Two forms stand on one page: the second is a part of the first one's.
func ExampleHandler_Fragment() {
	open := func(name string, o formhttp.Options) *formhttp.Handler {
		source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: " + name + "\nschema: {properties: {text: {type: string}}}\nsubmit: {url: /" + name + "}\n")}}, "f.form.yaml")
		if err != nil {
			panic(err)
		}
		o.Submit = func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
			return formhttp.Answer{Status: 201}, nil
		}
		page, err := formhttp.New(source.Form, nil, o)
		if err != nil {
			panic(err)
		}
		return page
	}
	questions := open("question", formhttp.Options{})
	stays := open("stay", formhttp.Options{
		Page: template.Must(template.New("").Parse(`{{define "notice"}}{{if .Notice}}<p role="alert">{{.Notice}}</p>{{end}}{{.Own}}{{end}}`)),
		Own: func(r *http.Request) any {
			part, err := questions.Fragment(r, "/questions")
			if err != nil {
				return "The question is left out."
			}
			return part
		},
	})
	w := httptest.NewRecorder()
	stays.ServeHTTP(w, httptest.NewRequest("GET", "/stays", nil))
	for _, form := range regexp.MustCompile(`<form id="[^"]*" .*action="[^"]*"`).FindAllString(w.Body.String(), -1) {
		fmt.Println(regexp.MustCompile(`action="[^"]*"`).FindString(form))
	}
	// Output:
	// action="/stays"
	// action="/questions"
}
