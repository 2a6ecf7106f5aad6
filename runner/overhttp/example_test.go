package overhttp_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"testing/fstest"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
	"leanwicket.dev/runner/overhttp"
)

// A program fills in a form and sends it, as a page would: what is wrong is not sent,
// and each submission carries its key.
func Example() {
	office := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		fmt.Println("the office gets", r.Method, r.URL.Path, string(body), len(r.Header.Get("Idempotency-Key")) > 0)
		w.Header().Set("Location", "/visits/7")
		w.WriteHeader(http.StatusCreated)
	}))
	defer office.Close()
	source, err := declare.OpenFS(fstest.MapFS{"visit.form.yaml": {Data: []byte(`
form: visit
schema: {properties: {vessel: {type: string}, nights: {type: integer, minimum: 1}}, required: [vessel, nights]}
fields: {vessel: {label: Vessel}, nights: {label: Nights}}
submit: {url: /visits}
`)}}, "visit.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	said := make(chan string, 1)
	r := runner.New(source.Form, runner.Options{
		Transport: overhttp.New(office.Client(), office.URL),
		Observe: func(step lifecycle.Step) {
			for _, e := range step.Effects {
				if e.Kind == lifecycle.EffectSay {
					said <- source.Form.Text(e.Message)
				}
			}
		},
	})
	defer r.Close()
	for _, e := range []lifecycle.Event{lifecycle.Edit("vessel", "Heron"), lifecycle.Submit("")} {
		if err := r.Apply(e); err != nil {
			fmt.Println(err)
		}
	}
	fmt.Println(<-said)
	for _, e := range []lifecycle.Event{lifecycle.Edit("nights", "3"), lifecycle.Submit("")} {
		if err := r.Apply(e); err != nil {
			fmt.Println(err)
		}
	}
	fmt.Println(<-said)
	// Output:
	// Not sent: one answer needs your attention.
	// the office gets POST /visits {"vessel":"Heron","nights":3} true
	// Your answers have been received.
}
