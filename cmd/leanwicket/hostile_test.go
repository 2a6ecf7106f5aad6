package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger/memory"
)

// hostile is a request that nobody's page sends, and what it gets.
type hostile struct {
	line                       int
	method, path, kind, body   string
	status                     int
	pointer, header, headValue string
}

var repeated = regexp.MustCompile(`<<(\d+):(.*?)>>`)

// hostileRequests reads the table.
func hostileRequests(t *testing.T) []hostile {
	text, err := os.ReadFile(filepath.Join("testdata", "hostile", "requests.tsv"))
	require.NoError(t, err)
	grown := func(s string) string {
		return repeated.ReplaceAllStringFunc(s, func(found string) string {
			m := repeated.FindStringSubmatch(found)
			n, _ := strconv.Atoi(m[1])
			return strings.Repeat(m[2], n)
		})
	}
	var list []hostile
	for k, line := range strings.Split(strings.TrimSuffix(string(text), "\n"), "\n") {
		if strings.HasPrefix(line, "#") {
			continue
		}
		part := append(strings.Split(line, "\t"), "", "")
		body, err := strconv.Unquote(part[3])
		require.NoError(t, err, line)
		h := hostile{line: k + 1, method: part[0], path: part[1], kind: part[2], body: grown(body), pointer: part[5]}
		h.status, err = strconv.Atoi(part[4])
		require.NoError(t, err, line)
		h.header, h.headValue, _ = strings.Cut(grown(part[6]), ": ")
		list = append(list, h)
	}
	require.Greater(t, len(list), 100)
	return list
}

// sent is the header of a request: that of its line, else a key of its own, unless the line says that it has none.
func (h hostile) sent(by string) string {
	switch h.header {
	case "":
		return fmt.Sprintf("Idempotency-Key: %s-%d", by, h.line)
	case "no key":
		return ""
	}
	return h.header + ": " + h.headValue
}

// raw sends a request as it stands, over a connection of its own.
func (h hostile) raw(t *testing.T, address string) (*http.Response, []byte) {
	connection, err := net.Dial("tcp", address)
	require.NoError(t, err)
	defer connection.Close()
	require.NoError(t, connection.SetDeadline(time.Now().Add(20*time.Second)))
	head := fmt.Sprintf("%s %s HTTP/1.1\r\nHost: %s\r\nConnection: close\r\nContent-Length: %d\r\n", h.method, h.path, address, len(h.body))
	if h.kind != "" {
		head += "Content-Type: " + h.kind + "\r\n"
	}
	if header := h.sent("raw"); header != "" {
		head += header + "\r\n"
	}
	go func() { _, _ = io.WriteString(connection, head+"\r\n"+h.body) }() // an answer may come before all is sent
	response, err := http.ReadResponse(bufio.NewReader(connection), &http.Request{Method: h.method})
	require.NoError(t, err, "line %d", h.line)
	defer response.Body.Close()
	body, _ := io.ReadAll(response.Body)
	return response, body
}

// curl sends a request with curl, and gives the status.
func (h hostile) curl(t *testing.T, address string) int {
	body := filepath.Join(t.TempDir(), "body")
	require.NoError(t, os.WriteFile(body, []byte(h.body), 0o644))
	args := []string{"-s", "-o", "/dev/null", "-w", "%{http_code}", "--path-as-is", "-X", h.method, "-H", "Content-Type: " + h.kind, "-H", "Expect:"}
	if h.body != "" || h.method == http.MethodPost {
		args = append(args, "--data-binary", "@"+body)
	}
	if header := h.sent("curl"); header != "" {
		args = append(args, "-H", header)
	}
	output, _ := exec.Command("curl", append(args, "http://"+address+h.path)...).Output() // where it is answered before all is sent curl fails, and tells the status
	status, err := strconv.Atoi(string(output))
	require.NoError(t, err)
	return status
}

// Each hostile request gets what the table says, from a handler of one's own and from
// leanwicket serve, by Go and by curl, and what is not accepted is not stored.
func TestHostileRequests(t *testing.T) {
	requests := hostileRequests(t)
	form := filepath.Join("testdata", "hostile", "stay.form.yaml")
	source, err := declare.Open(form)
	require.NoError(t, err)
	quiet := slog.New(slog.DiscardHandler)
	var stored atomic.Int64
	handler, err := formhttp.New(source.Form, source, formhttp.Options{Log: quiet, Submit: func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
		stored.Add(1)
		return formhttp.Answer{Status: 201}, nil
	}})
	require.NoError(t, err)
	own := httptest.NewServer(handler)
	defer own.Close()
	stands, err := served([]string{form}, "", memory.New(time.Hour), quiet)
	require.NoError(t, err)
	defer stands.end()
	command := httptest.NewServer(observed(stands.handler, stands.ready, quiet))
	defer command.Close()
	_, missing := exec.LookPath("curl")
	for _, h := range requests {
		before := stored.Load()
		for k, server := range []*httptest.Server{own, command} {
			if k == 0 && h.status == 404 { // the handler answers wherever it is mounted
				continue
			}
			address := server.Listener.Addr().String()
			response, body := h.raw(t, address)
			require.Equal(t, h.status, response.StatusCode, "line %d: %s %s %.100s\n%.300s", h.line, h.method, h.path, h.body, body)
			if h.pointer != "" {
				var problem struct {
					Errors []struct{ Pointer string }
				}
				require.NoError(t, json.Unmarshal(body, &problem), "line %d: %s", h.line, body)
				require.NotEmpty(t, problem.Errors, "line %d: %s", h.line, body)
				require.Equal(t, h.pointer, problem.Errors[0].Pointer, "line %d: %s", h.line, body)
			}
			if missing == nil {
				require.Equal(t, h.status, h.curl(t, address), "curl, line %d", h.line)
			}
		}
		if h.status != 201 && h.status != 303 {
			require.Equal(t, before, stored.Load(), "line %d is stored", h.line)
		}
	}
	if missing != nil {
		t.Log("curl is not installed: the requests were sent by Go alone")
	}
}
