// Two forms in a page of one's own, with header, footer, style sheet and script: open
// http://127.0.0.1:8723/. Each form has an address, and its page shows the other one, too.
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
)

//go:embed hall.html hall.css hall.js hall.svg
var files embed.FS

// Hire is one request for the hall.
type Hire struct {
	Name    string `json:"name" label:"Your name" form:"required; minLength=2"`
	Evening string `json:"evening" label:"Evening" form:"required; format=date"`
	Guests  int    `json:"guests" label:"Guests" form:"required; minimum=1; maximum=80"`
}

// Question is what somebody asks who does not hire yet.
type Question struct {
	Name     string `json:"name" label:"Your name" form:"required"`
	Question string `json:"question" label:"Your question" form:"required; maxLength=400"`
}

// hall is what the page shows beside its own form.
type hall struct {
	SignedIn, Heading string
	Other             template.HTML
}

func hire(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
	var hire Hire
	if err := s.Decode(&hire); err != nil {
		return formhttp.Answer{}, err
	}
	if hire.Evening == "2031-05-02" {
		return formhttp.Answer{}, formhttp.Wrong{"evening": "The rope makers meet on that evening."}
	}
	return formhttp.Created(""), nil
}

func ask(context.Context, formhttp.Submission) (formhttp.Answer, error) {
	return formhttp.Created(""), nil
}

func main() {
	hires, err := declare.FromStruct[Hire]("form: hire\ntitle: Hire the sail loft\nsubmit: {url: /, buttons: [hire]}\naccepted: {then: clear, say: The loft is yours.}\n")
	if err != nil {
		log.Fatal(err)
	}
	questions, err := declare.FromStruct[Question]("form: question\ntitle: Ask about the sail loft\nsubmit: {url: /questions, buttons: [ask]}\naccepted: {then: clear, say: We answer within a day.}\n")
	if err != nil {
		log.Fatal(err)
	}
	var hiring, asking *formhttp.Handler
	beside := func(other **formhttp.Handler, heading, address string) func(*http.Request) any {
		return func(r *http.Request) any {
			fragment, err := (*other).Fragment(r, address)
			if err != nil {
				log.Print(err)
			}
			return hall{"Ada Fenwick", heading, fragment}
		}
	}
	o := formhttp.Options{
		Script:  "/leanwicket/leanwicket.js",
		Page:    template.Must(template.ParseFS(files, "hall.html")),
		Styles:  []string{"/hall.css"},
		Scripts: []string{"/hall.js"},
	}
	o.Submit, o.Own = hire, beside(&asking, questions.Form.Title, "/questions")
	if hiring, err = formhttp.New(hires.Form, hires, o); err != nil {
		log.Fatal(err)
	}
	o.Submit, o.Own = ask, beside(&hiring, hires.Form.Title, "/")
	if asking, err = formhttp.New(questions.Form, questions, o); err != nil {
		log.Fatal(err)
	}
	http.Handle("/{$}", hiring)
	http.Handle("/questions", asking)
	http.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	http.Handle("/", http.FileServerFS(files))
	fmt.Println("open http://127.0.0.1:8723/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8723", nil))
}
