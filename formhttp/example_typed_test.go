package formhttp_test

import (
	"context"
	"fmt"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/replies"
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
		Submit: func(_ context.Context, seat Seat, _ formhttp.Submission) (replies.Response, error) {
			return replies.Response{Status: 201, Body: map[string]any{"row": seat.Row, "seat": taken.Add(1)}}, nil
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
