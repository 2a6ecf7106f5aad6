// A form in a page of one's own, with header, footer, style sheet and script: open
// http://127.0.0.1:8723/.
package main

import (
	"context"
	"embed"
	"fmt"
	"html/template"
	"log"
	"net/http"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/replies"
)

//go:embed hall.html hall.css hall.js
var files embed.FS

// Hire is one request for the hall.
type Hire struct {
	Name    string `json:"name" label:"Your name" form:"required; minLength=2"`
	Evening string `json:"evening" label:"Evening" form:"required; format=date"`
	Guests  int    `json:"guests" label:"Guests" form:"required; minimum=1; maximum=80"`
}

func main() {
	form, err := declare.FromStruct[Hire]("form: hall\ntitle: Hire the sail loft\nsubmit: {url: /, buttons: [ask]}\naccepted: {then: clear, say: The loft is yours.}\n")
	if err != nil {
		log.Fatal(err)
	}
	page, err := formhttp.New(form.Form, form, formhttp.Options{
		Submit: func(_ context.Context, s formhttp.Submission) (replies.Response, error) {
			var hire Hire
			if err := s.Decode(&hire); err != nil {
				return replies.Response{}, err
			}
			if hire.Evening == "2031-05-02" {
				return replies.Response{Status: 422, Body: map[string]any{"errors": map[string]any{"evening": "The rope makers meet on that evening."}}}, nil
			}
			return replies.Response{Status: 201}, nil
		},
		Script:  "/leanwicket/leanwicket.js",
		Page:    template.Must(template.ParseFS(files, "hall.html")),
		Own:     func(*http.Request) any { return "Ada Fenwick" }, // who is signed in
		Styles:  []string{"/hall.css"},
		Scripts: []string{"/hall.js"},
	})
	if err != nil {
		log.Fatal(err)
	}
	http.Handle("/{$}", page)
	http.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	http.Handle("/", http.FileServerFS(files))
	fmt.Println("open http://127.0.0.1:8723/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8723", nil))
}
