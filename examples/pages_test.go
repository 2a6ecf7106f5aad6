package examples_test

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/internal/database"
)

// Every page of the examples opens with an empty console: nothing fails, is missing or is blocked, and no picture is empty.
func TestPagesOpenCleanly(t *testing.T) {
	if testing.Short() {
		t.Skip("-short: no program is built")
	}
	page := chromiumtest.Start(t, chromiumtest.FindWhole(t)) // it asks for the icons, too
	t.Setenv("DATABASE_URL", database.Postgres(t))
	troubles := chromiumtest.Troubles(t, page)
	is := func(expression string) func() bool {
		return func() bool {
			so, err := chromedp.Run(page, chromedp.Evaluate[bool](expression))
			return err == nil && so
		}
	}
	for _, example := range []struct {
		name, site string
		paths      []string
		drawn      string // what is so when its script has run
	}{
		// alone.html is left out: the browser asks when it is left, which is one of the mistakes that it shows.
		{"components", "http://127.0.0.1:8721", []string{"/", "/lit.html", "/plain.html", "/marked.html", "/session.html"}, `(document.querySelector("tow-form")?.shadowRoot ?? document).querySelector("input[name=vessel]")?.value === "Heron"`},
		{"cache", "http://127.0.0.1:8728", []string{"/"}, `document.querySelector("#sign-in").open`},
		{"script", "http://127.0.0.1:8722", []string{"/"}, `document.forms[0].dataset.state !== undefined`},
		{"hall", "http://127.0.0.1:8723", []string{"/", "/questions"}, `document.querySelector("[data-leanwicket-state]") !== null`},
		{"slips", "http://127.0.0.1:8724", []string{"/"}, "true"},
		{"stay", "http://127.0.0.1:8720", []string{"/"}, "true"},
		{"desk", "http://127.0.0.1:8726", []string{"/report", "/claim", "/thanks"}, "true"},
	} {
		kill := start(t, example.name, example.site+example.paths[0])
		for _, path := range example.paths {
			require.NoError(t, chromedp.Do(page, chromedp.Navigate(example.site+path)))
			require.Eventually(t, is(example.drawn), chromiumtest.Patience, 50*time.Millisecond, example.name+path)
			require.Eventually(t, is(`[...document.images].every(i => i.complete && i.naturalWidth > 0)`), chromiumtest.Patience, 50*time.Millisecond, example.name+path)
			assert.Empty(t, troubles(), example.name+path)
		}
		require.NoError(t, chromedp.Do(page, chromedp.Navigate("about:blank"))) // a page that listens to its server would tell of its end
		kill()
	}
}
