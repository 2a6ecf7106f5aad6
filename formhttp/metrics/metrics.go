// Package metrics counts what forms answer, for the Prometheus client. It holds nothing that anybody
// typed: the names of forms and outcomes are its only labels.
//
//	counted := metrics.New(prometheus.DefaultRegisterer)
//	page, err := formhttp.New(source.Form, source, formhttp.Options{Served: counted, …})
package metrics

import (
	"github.com/prometheus/client_golang/prometheus"

	"leanwicket.dev/formhttp"
)

// New registers three metrics, and returns what [formhttp.Options] wants as Served. One of it serves
// any number of forms; a second one at the same registerer panics, as MustRegister does.
//
//   - leanwicket_form_requests_total counts the requests, by form and outcome (formhttp.Outcomes);
//   - leanwicket_form_repeats_total counts the submissions that got the answer of an earlier try, by form;
//   - leanwicket_form_request_seconds is how long requests took, by form.
func New(to prometheus.Registerer) func(formhttp.Served) {
	requests := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "leanwicket_form_requests_total", Help: "Requests of forms that were answered, by form and outcome.",
	}, []string{"form", "outcome"})
	repeats := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "leanwicket_form_repeats_total", Help: "Submissions that were answered with the answer of an earlier try.",
	}, []string{"form"})
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "leanwicket_form_request_seconds", Help: "How long requests of forms took.", Buckets: []float64{.001, .005, .02, .1, .5, 2, 10},
	}, []string{"form"})
	to.MustRegister(requests, repeats, seconds)
	return func(s formhttp.Served) {
		requests.WithLabelValues(s.Form, s.Outcome).Inc()
		if s.Repeat {
			repeats.WithLabelValues(s.Form).Inc()
		}
		seconds.WithLabelValues(s.Form).Observe(s.Took.Seconds())
	}
}
