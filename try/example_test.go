package try_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour"
	"leanwicket.dev/try"
)

// A page that is served is tried in a real browser. Its form's own requests are answered by the
// trial, so that nothing is stored.
func ExampleRun() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	page, err := formhttp.New(source.Form, source, formhttp.Options{Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
		return formhttp.Answer{Status: http.StatusNoContent}, nil
	}})
	if err != nil {
		fmt.Println(err)
		return
	}
	server := httptest.NewServer(page)
	defer server.Close()
	report, err := try.Run(context.Background(), source, try.Options{Page: server.URL, Only: []string{"invalid-by-button"}})
	if err != nil {
		fmt.Println(err) // such as try.ErrNoChromium
		return
	}
	for _, r := range report.Results {
		fmt.Println(r.Trial, r.Verdict)
	}
}
