package formhttp_test

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing/fstest"

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
			return formhttp.Created("/berths/7"), nil
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

// A record opens in its form with its version. Who saves an older one is told, and nothing is lost.
func ExampleOptions_load() {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: buoy\nschema: {properties: {light: {type: string}}}\nprefill: {url: /buoy}\nsubmit: {url: /buoy, method: PUT}\n")}}, "f.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	light, version := "red", 1
	handler, err := formhttp.New(source.Form, source, formhttp.Options{
		Load: func(*http.Request) (map[string]any, string, error) {
			return map[string]any{"light": light}, fmt.Sprint(version), nil
		},
		Submit: func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
			if s.Version != fmt.Sprint(version) {
				return formhttp.Answer{Status: http.StatusPreconditionFailed}, nil
			}
			version++
			return formhttp.Answer{Status: http.StatusOK}, s.Decode(&struct{ Light *string }{&light})
		},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, sent := range []struct{ version, light string }{{`"1"`, "green"}, {`"1"`, "white"}} {
		request := httptest.NewRequest(http.MethodPut, "/buoy", strings.NewReader(`{"light": "`+sent.light+`"}`))
		for name, value := range map[string]string{"Content-Type": "application/json", "If-Match": sent.version, "Idempotency-Key": sent.light} {
			request.Header.Set(name, value)
		}
		answer := httptest.NewRecorder()
		handler.ServeHTTP(answer, request)
		fmt.Println(answer.Code, light, version)
	}
	// Output:
	// 200 green 2
	// 412 green 2
}

// One part of the page is the application's own. All others stay.
func ExampleOptions_page() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, part := range []string{
		`{{define "buttons"}}<p>{{range .Buttons}}<button name="{{.Name}}" value="{{.Value}}">{{.Label}}</button>{{end}}</p>{{end}}`,
		`{{define "control"}}<input id="{{.ID}}" value="{{.Value}}">{{end}}`,
	} {
		_, err := formhttp.New(source.Form, source, formhttp.Options{
			Page:   template.Must(template.New("").Parse(part)),
			Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) { return formhttp.Created(""), nil },
		})
		fmt.Println(err)
	}
	// Output:
	// <nil>
	// formhttp: the form berth-request: the template control writes <input> without a name; right would be name="{{.Path}}"
}
