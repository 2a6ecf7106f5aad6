// Package overhttp makes a session's requests with an http.Client.
//
//	r := runner.New(form, runner.Options{Transport: overhttp.New(http.DefaultClient, "https://office.example")})
package overhttp

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strings"

	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
)

// maxBody is how much of an answer is read: 4 MiB.
const maxBody = 4 << 20

// Transport is a runner.Transport.
type Transport struct {
	client  *http.Client
	base    string
	context context.Context
}

// New makes requests with a client. URLs of the form that begin with a slash are
// below base.
func New(client *http.Client, base string) *Transport {
	return &Transport{client, strings.TrimSuffix(base, "/"), context.Background()}
}

// WithContext makes a transport whose requests end with a context: what a session waits
// for then ends as a connection that broke.
func (t *Transport) WithContext(ctx context.Context) *Transport {
	return &Transport{t.client, t.base, ctx}
}

// Do makes a request: see [runner.Transport]. To stop a submission does nothing: it is
// on its way, and what came of it is welcome, however late.
func (t *Transport) Do(r runner.Request, done func(runner.Response)) (stop func()) {
	ctx, cancel := context.WithCancel(t.context)
	go func() {
		defer cancel()
		response := t.do(ctx, r)
		if ctx.Err() == nil || t.context.Err() != nil {
			done(response)
		}
	}()
	if r.Kind == lifecycle.EffectSend {
		return func() {}
	}
	return cancel
}

func (t *Transport) do(ctx context.Context, r runner.Request) runner.Response {
	url := r.URL
	if strings.HasPrefix(url, "/") {
		url = t.base + url
	}
	broken := runner.Response{}
	request, err := http.NewRequestWithContext(ctx, r.Method, url, bytes.NewReader(r.Body))
	if err != nil {
		return broken
	}
	headers := r.Headers()
	for k := 0; k < len(headers); k += 2 {
		request.Header.Set(headers[k], headers[k+1])
	}
	got, err := t.client.Do(request)
	if err != nil {
		return broken
	}
	defer got.Body.Close()
	text, err := io.ReadAll(io.LimitReader(got.Body, maxBody))
	if err != nil {
		return broken
	}
	response := runner.Response{Status: got.StatusCode, Header: map[string]string{}}
	for name := range got.Header {
		response.Header[name] = got.Header.Get(name)
	}
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	if err := decoder.Decode(&response.Body); err != nil {
		response.Body = nil
		if kind := got.Header.Get("Content-Type"); strings.HasPrefix(kind, "text/plain") || strings.HasPrefix(kind, "text/html") {
			response.Body = strings.ToValidUTF8(string(text), "\ufffd")
		}
	}
	return response
}
