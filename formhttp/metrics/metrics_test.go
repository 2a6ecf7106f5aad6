package metrics_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/formhttp/metrics"
)

// Each outcome of a request is counted once, of each form apart, and nothing that was typed is a label.
func TestMetrics(t *testing.T) {
	registry := prometheus.NewRegistry()
	counted := metrics.New(registry)
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(registry, promhttp.HandlerOpts{}))
	for _, name := range []string{"plot", "tool"} {
		source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: " + name + "\nschema: {properties: {keeper: {type: string}, beds: {type: array, items: {properties: {of: {type: string}}}}}, required: [keeper]}\nsubmit: {url: /" + name + "}\n")}}, "f.form.yaml")
		require.NoError(t, err)
		h, err := formhttp.New(source.Form, source, formhttp.Options{
			Served: counted, Log: slog.New(slog.DiscardHandler), KeylessJSON: true,
			Submit: func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
				for status, what := range map[int]string{422: "rude", 401: "stranger", 409: "late", 503: "early"} {
					if strings.Contains(string(s.Body), what) {
						return formhttp.Answer{Status: status}, nil
					}
				}
				if strings.Contains(string(s.Body), "broken") {
					return formhttp.Answer{}, errors.New("broken")
				}
				return formhttp.Created(""), nil
			},
		})
		require.NoError(t, err)
		mux.Handle("/"+name, h)
	}
	server := httptest.NewServer(mux)
	defer server.Close()
	ask := func(method, path, kind, key, body string) string {
		r, err := http.NewRequest(method, server.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", kind)
		if key != "" {
			r.Header.Set("Idempotency-Key", key)
		}
		w, err := server.Client().Do(r)
		require.NoError(t, err)
		defer w.Body.Close()
		text, err := io.ReadAll(w.Body)
		require.NoError(t, err)
		return string(text)
	}
	const asJSON, asForm = "application/json", "application/x-www-form-urlencoded"
	for range 3 {
		ask("GET", "/plot", "", "", "")
	}
	for range 4 {
		ask("POST", "/plot", asJSON, "a-key-that-is-long-enough", `{"keeper":"Ada"}`)
	}
	for _, keeper := range []string{"", "rude", "stranger", "late", "early", "broken"} {
		ask("POST", "/plot", asJSON, "", `{"keeper":"`+keeper+`"}`)
	}
	ask("POST", "/plot", asForm, "", "leanwicket-key=one-that-is-long-enough&keeper=Ada&leanwicket-add=beds")
	ask("POST", "/plot", asJSON, "", `{"keeper"`)
	ask("POST", "/tool", asJSON, "", `{"keeper":"Ada"}`)
	told := ask("GET", "/metrics", "", "", "")
	for outcome, times := range map[string]string{
		"read": "3", "accepted": "4", "held": "1", "refused": "2", "denied": "1", "unsettled": "1", "failed": "1", "changed": "1", "turned away": "1",
	} {
		require.Contains(t, formhttp.Outcomes, outcome)
		require.Contains(t, told, `leanwicket_form_requests_total{form="plot",outcome="`+outcome+`"} `+times+"\n")
	}
	require.Contains(t, told, `leanwicket_form_repeats_total{form="plot"} 3`+"\n")
	require.Contains(t, told, `leanwicket_form_request_seconds_count{form="plot"} 15`+"\n")
	require.Contains(t, told, `leanwicket_form_requests_total{form="tool",outcome="accepted"} 1`+"\n")
	require.NotContains(t, told, "Ada")
}
