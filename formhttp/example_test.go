package formhttp_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour"
)

// A form is an http.Handler. A program's client sends JSON, and what is wrong comes back
// with a pointer to each place; a browser without any script gets pages.
func ExampleNew() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	handler, err := formhttp.New(source.Form, source, formhttp.Options{
		Submit: func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
			return formhttp.Answer{Status: 201, Header: http.Header{"Location": {"/berths/7"}}}, nil
		},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, body := range []string{`{"name": "Heron", "length": 9.4}`, `{"name": "Heron", "length": 900}`} {
		request := httptest.NewRequest(http.MethodPost, "/", strings.NewReader(body))
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Idempotency-Key", "one-click-"+fmt.Sprint(len(body)))
		answer := httptest.NewRecorder()
		handler.ServeHTTP(answer, request)
		fmt.Println(answer.Code, answer.Header().Get("Location"))
	}
	// Output:
	// 201 /berths/7
	// 422
}
