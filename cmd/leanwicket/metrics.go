package main

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"leanwicket.dev/internal/markup"
	"leanwicket.dev/internal/seen"
)

// observed logs and counts what a handler answers: never what anybody typed, so
// no query, no body, and of a key its first eight letters.
func observed(next http.Handler, ready func(context.Context) error, log *slog.Logger) http.Handler {
	registry := prometheus.NewRegistry()
	answered := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "leanwicket_requests_total", Help: "Requests answered, by place, method and status; status 0: the connection was broken.",
	}, []string{"place", "method", "status"})
	replayed := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "leanwicket_repeats_total", Help: "Submissions answered with the answer of an earlier try.",
	}, []string{"place"})
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "leanwicket_request_seconds", Help: "How long requests took.", Buckets: []float64{.001, .005, .02, .1, .5, 2, 10},
	}, []string{"place"})
	underWay := prometheus.NewGauge(prometheus.GaugeOpts{Name: "leanwicket_requests_under_way", Help: "Requests that are being answered."})
	registry.MustRegister(answered, replayed, seconds, underWay)

	mux := http.NewServeMux()
	mux.HandleFunc("GET /healthz", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprintln(w, "ok") })
	mux.HandleFunc("GET /readyz", func(w http.ResponseWriter, r *http.Request) {
		ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
		defer cancel()
		if err := ready(ctx); err != nil {
			log.Error("not ready", "error", err)
			http.Error(w, "the ledger cannot be read", http.StatusServiceUnavailable)
			return
		}
		fmt.Fprintln(w, "ready")
	})
	mux.Handle("GET /metrics", promhttp.HandlerFor(registry, promhttp.HandlerOpts{}))
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		if !markup.Readable(r.URL.Path) {
			http.Error(w, markup.UnreadablePath, http.StatusBadRequest)
			return
		}
		begun, place := time.Now(), placeOf(r.URL.Path)
		response := &seen.Writer{ResponseWriter: w, Status: http.StatusOK}
		underWay.Inc()
		defer func() {
			underWay.Dec()
			broken := recover()
			if broken != nil {
				response.Status = 0
			}
			took := time.Since(begun)
			if response.Status == http.StatusNotFound || response.Status == http.StatusMethodNotAllowed || response.Status == http.StatusBadRequest {
				place = "other" // whoever asks for what is not there makes no names here
			}
			answered.WithLabelValues(place, methodOf(r), strconv.Itoa(response.Status)).Inc()
			seconds.WithLabelValues(place).Observe(took.Seconds())
			repeat := w.Header().Get("Leanwicket-Repeat") != ""
			if repeat {
				replayed.WithLabelValues(place).Inc()
			}
			log.Info("answered", "method", r.Method, "place", place, "status", response.Status, "repeat", repeat, "key", shortKey(w.Header()), "ms", took.Milliseconds())
			if broken != nil {
				panic(broken)
			}
		}()
		next.ServeHTTP(response, r)
	})
	return mux
}

// methodOf is a request's method, where it is one that is in use.
func methodOf(r *http.Request) string {
	switch r.Method {
	case http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions:
		return r.Method
	}
	return "other"
}

// placeOf is a path without the values in it, so that neither logs nor metrics
// have them: of /slots/09:30 only /slots.
func placeOf(path string) string {
	parts := strings.SplitN(path, "/", 4)
	if len(parts) > 2 && (parts[1] == "forms" || parts[1] == "registry") {
		return "/" + parts[1] + "/" + parts[2]
	}
	return "/" + parts[1]
}

func shortKey(header http.Header) string {
	key := header.Get("Idempotency-Key")
	return key[:min(8, len(key))]
}
