package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/ledger/memory"
)

// The office is served, accepts one application, counts it, logs nothing that
// was typed, and stops at an interrupt.
func TestServe(t *testing.T) {
	var logged strings.Builder
	log := slog.New(slog.NewTextHandler(&logged, nil))
	office, err := served(nil, "", nil, log)
	require.NoError(t, err)
	defer office.end()
	require.Equal(t, "the harbour office", office.name)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	stopped := make(chan error)
	broken := false
	ready := func(ctx context.Context) error {
		if broken {
			return errors.New("the disk is gone")
		}
		return office.ready(ctx)
	}
	go func() { stopped <- serve(listener, observed(office.handler, ready, log), 10*time.Second) }()
	site := "http://" + listener.Addr().String()
	get := func(path string) string {
		response, err := http.Get(site + path)
		require.NoError(t, err)
		defer response.Body.Close()
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return string(text)
	}
	require.Contains(t, get("/healthz"), "ok")
	require.Equal(t, "ready\n", get("/readyz"))
	broken = true
	require.Equal(t, "the ledger cannot be read\n", get("/readyz"))
	require.Contains(t, get("/forms/mooring"), "<h1>Mooring permit</h1>")
	sent := url.Values{
		"vessel/name": {"Egret"}, "vessel/length": {"9.4"}, "arrival": {"2031-05-02"}, "departure": {"2031-05-09"}, "terms": {"true"},
		"insurance": {"SECRET-77"}, "leanwicket-key": {"00112233445566778899aabbccddeeff"},
	}
	for range 2 {
		response, err := http.PostForm(site+"/forms/mooring", sent)
		require.NoError(t, err)
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		require.True(t, strings.HasSuffix(response.Request.URL.String(), "/forms/mooring?leanwicket-received=00112233445566778899aabbccddeeff#leanwicket-notice"), response.Request.URL)
		require.Contains(t, string(text), "Your application has been received.")
	}
	require.Contains(t, get("/panel"), "Permits in the database: <strong>1</strong>")
	require.Contains(t, get("/slots/SECRET-77"), "")
	for k := range 50 {
		get(fmt.Sprint("/nowhere-", k))
	}
	counted := get("/metrics")
	require.NotContains(t, counted, "nowhere", "who asks for what is not there makes no names")
	require.Contains(t, counted, `leanwicket_requests_total{method="POST",place="/forms/mooring",status="303"} 2`)
	require.Contains(t, counted, `leanwicket_repeats_total{place="/forms/mooring"} 1`)
	require.NoError(t, syscall.Kill(syscall.Getpid(), syscall.SIGINT))
	require.NoError(t, <-stopped)
	require.Contains(t, logged.String(), "repeat=true key=00112233 ")
	require.NotContains(t, logged.String()+counted, "SECRET")
	require.NotContains(t, logged.String(), "Egret")
}

func TestServeAsks(t *testing.T) {
	for name, want := range map[string]string{
		"memoria": "right would be sqlite:keys.db", "sqlite:": `found "sqlite:"`, "redis:nowhere": "right would be", "postgres://127.0.0.1:1/x": "right would be",
	} {
		_, _, err := openLedger(t.Context(), name)
		require.ErrorContains(t, err, want)
	}
	_, err := served([]string{"a.form.yaml"}, "office.db", memory.New(0), slog.Default())
	require.ErrorContains(t, err, "--data")
}
