package formhttp_test

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

const choirForm = `form: choir
schema:
  type: object
  required: [voice]
  properties:
    voice: {type: string, title: Voice}
    evenings: {type: array, title: Evenings, items: {type: object, properties: {day: {type: string, title: Day}}}}
submit: {url: /choir}
`

type asksFor func(record any) error

func (f asksFor) Validate(record any) error { return f(record) }

// What a check of the application says is a refusal at the fields, whoever says it. It is kept under its
// key, and never a failure of the server.
func TestWrong(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"c.form.yaml": {Data: []byte(choirForm)}}, "c.form.yaml")
	require.NoError(t, err)
	wrong := formhttp.Wrong{"voice": "No basses are wanted.", "evenings/1/day": "The hall is closed then.", "": "The choir is nearly full."}
	send := func(key string, h http.Handler) *httptest.ResponseRecorder {
		form := url.Values{"voice": {"bass"}, "evenings": {"2"}, "evenings/0/day": {"Monday"}, "evenings/1/day": {"Friday"}, "leanwicket-key": {key}}
		r := httptest.NewRequest("POST", "/choir", strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	var log strings.Builder
	worked, validated := 0, 0
	handler := func(fails error, v formhttp.Validator) *formhttp.Handler {
		h, err := formhttp.New(source.Form, v, formhttp.Options{
			Log: slog.New(slog.NewTextHandler(&log, nil)),
			Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
				worked++
				return formhttp.Created("/choir/7"), fails
			},
		})
		require.NoError(t, err)
		return h
	}
	validates := func(fails error) formhttp.Validator {
		return asksFor(func(record any) error {
			validated++
			require.Equal(t, "bass", record.(map[string]any)["voice"])
			return fails
		})
	}
	for name, h := range map[string]http.Handler{
		"by the work": handler(errors.Join(errors.New("seen in the choir"), wrong), nil), "by a validator": handler(nil, validates(wrong)),
	} {
		for range 2 {
			w := send("key-"+strings.ReplaceAll(name, " ", "-"), h)
			require.Equal(t, 422, w.Code, name)
			for _, said := range wrong {
				require.Contains(t, w.Body.String(), said, name)
			}
			require.Contains(t, w.Body.String(), `value="Friday"`)
			require.NotContains(t, w.Body.String(), "seen in the choir")
		}
	}
	require.Equal(t, []int{1, 1}, []int{worked, validated}, "a repeat gets the kept refusal")
	require.Empty(t, log.String())
	w := send("key-plain", handler(nil, validates(errors.New("evenings: 2 of 1"))))
	require.Equal(t, 422, w.Code)
	require.NotContains(t, w.Body.String(), "2 of 1")
	require.Contains(t, log.String(), "2 of 1")
	w = send("key-good", handler(nil, validates(nil)))
	require.Equal(t, 303, w.Code)
	require.Equal(t, 2, worked)
	require.EqualError(t, wrong, "The choir is nearly full.; evenings/1/day: The hall is closed then.; voice: No basses are wanted.")
}
