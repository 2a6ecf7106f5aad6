// Package overhttp makes a session's requests with an http.Client.
//
//	r := runner.New(form, runner.Options{Transport: overhttp.New(http.DefaultClient, "https://office.example")})
package overhttp

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"net/url"
	"strings"

	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/runner"
)

// Transport is a runner.Transport.
type Transport struct {
	client  *http.Client
	base    string
	own     string // the origin of base
	context context.Context
}

// New makes requests with a client; nil means [http.DefaultClient]. URLs of the form that begin
// with a slash are below base, whose origin is the form's own: an address that a reply leads to is
// told as a path where it is of that origin.
func New(client *http.Client, base string) *Transport {
	if client == nil {
		client = http.DefaultClient
	}
	own := ""
	if at, err := url.Parse(base); err == nil && at.Host != "" {
		own = originOf(at)
	}
	return &Transport{client, strings.TrimSuffix(base, "/"), own, context.Background()}
}

// originOf is the origin of an address, as a browser writes it (RFC 6454, section 6.2).
func originOf(at *url.URL) string {
	host := strings.ToLower(at.Host)
	host = strings.TrimSuffix(host, map[string]string{"http": ":80", "https": ":443"}[at.Scheme])
	return at.Scheme + "://" + host
}

// WithContext makes a transport whose requests end with a context: what a session waits
// for then ends as a connection that broke.
func (t *Transport) WithContext(ctx context.Context) *Transport {
	return &Transport{t.client, t.base, t.own, ctx}
}

// Do makes a request: see [runner.Transport]. To stop a submission does nothing: it is
// on its way, and what came of it is welcome, however late. A request without a URL is the program's own, and is not
// answered here.
func (t *Transport) Do(r runner.Request, done func(replies.Received)) (stop func()) {
	if r.URL == "" {
		return func() {}
	}
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

func (t *Transport) do(ctx context.Context, r runner.Request) replies.Received {
	asked := r.URL
	if strings.HasPrefix(asked, "/") {
		asked = t.base + asked
	}
	request, err := http.NewRequestWithContext(ctx, r.Method, asked, bytes.NewReader(r.Body))
	if err != nil {
		return replies.Received{}
	}
	headers := r.Headers()
	for k := 0; k < len(headers); k += 2 {
		request.Header.Set(headers[k], headers[k+1])
	}
	got, err := t.client.Do(request)
	if err != nil {
		return replies.Received{}
	}
	defer got.Body.Close()
	received := replies.Received{Status: got.StatusCode, Header: map[string]string{}, Own: t.own}
	for name, values := range got.Header {
		received.Header[name] = strings.Join(values, ", ")
	}
	if from := got.Request.URL; from != nil {
		from.Fragment = ""
		received.From, received.Redirected = from.String(), got.Request.Response != nil
	}
	received.Body, err = io.ReadAll(io.LimitReader(got.Body, replies.MaxBody+1))
	received.Cut = err != nil
	return received
}
