package overhttp_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/runner"
	"leanwicket.dev/runner/overhttp"
)

// A request ends with the context of its transport, and whoever waits learns it.
func TestARequestEndsWithItsContext(t *testing.T) {
	arrived := make(chan bool)
	office := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		arrived <- true
		<-r.Context().Done()
	}))
	defer office.Close()
	for _, kind := range []lifecycle.EffectKind{lifecycle.EffectSend, lifecycle.EffectLoad} {
		ctx, end := context.WithCancel(t.Context())
		answers := make(chan replies.Received, 1)
		overhttp.New(office.Client(), office.URL).WithContext(ctx).Do(runner.Request{Kind: kind, Method: "GET", URL: "/"}, func(a replies.Received) { answers <- a })
		<-arrived
		end()
		require.Zero(t, (<-answers).Status)
	}
}
