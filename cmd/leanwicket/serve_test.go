package main

import (
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"
)

// The demo is served, accepts one application, and stops at an interrupt.
func TestServe(t *testing.T) {
	source, err := servedForm(nil)
	require.NoError(t, err)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	stopped := make(chan error)
	go func() { stopped <- serve(listener, source) }()
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
	require.Contains(t, get("/"), "<h1>Mooring permit</h1>")
	response, err := http.PostForm(site+"/", url.Values{
		"vessel/name": {"Egret"}, "vessel/length": {"9.4"}, "arrival": {"2031-05-02"}, "departure": {"2031-05-09"}, "terms": {"true"},
	})
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	require.True(t, strings.HasSuffix(response.Request.URL.String(), "/?received"), response.Request.URL)
	require.Contains(t, string(text), "Your application has been received.")
	require.NoError(t, syscall.Kill(syscall.Getpid(), syscall.SIGINT))
	require.NoError(t, <-stopped)
}
