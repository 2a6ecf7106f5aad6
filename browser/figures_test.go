//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromiumtest"
)

// fields is a form of so many text fields, each with a rule.
func fields(b *testing.B, count int) *declare.Source {
	dir := b.TempDir()
	var properties []string
	for k := range count {
		properties = append(properties, fmt.Sprintf(`"f%d": {"type": "string", "title": "Field %d", "minLength": 2}`, k, k))
	}
	write := func(name, text string) {
		require.NoError(b, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("large.schema.json", `{"$schema": "https://json-schema.org/draft/2020-12/schema", "type": "object", "properties": {`+strings.Join(properties, ",\n")+`}}`)
	write("large.form.yaml", "form: large\ntitle: A large form\nschema: large.schema.json\nsubmit:\n  url: /large\n")
	source, err := declare.Open(filepath.Join(dir, "large.form.yaml"))
	require.NoError(b, err)
	return source
}

// The three figures of a page: how much is loaded, how long after the page has
// loaded a key is handled, and how much of the processor a key takes on a form of
// 1,000 fields, from the input event to the changed document.
func BenchmarkPage(b *testing.B) {
	page := chromiumtest.Open(b)
	packed, err := browser.Packed()
	require.NoError(b, err)
	mux := http.NewServeMux()
	mux.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	mux.Handle("/small", handler(b, fields(b, 10)))
	mux.Handle("/large", handler(b, fields(b, 1000)))
	server := httptest.NewServer(mux)
	defer server.Close()
	figure := func(expression string) float64 {
		text, err := chromedp.Run(page, chromedp.Evaluate[string](expression, chromedp.EvalAwaitPromise))
		require.NoError(b, err)
		value, err := strconv.ParseFloat(text, 64)
		require.NoError(b, err)
		return value
	}
	const afterLoad = `new Promise(done => {
		const look = () => document.forms[0]?.dataset.leanwicketReady === undefined ? setTimeout(look, 1)
			: done(String(performance.now() - performance.getEntriesByType("navigation")[0].loadEventStart))
		look()
	})`
	const key = `(() => {
		const c = document.forms[0].elements.f500, times = []
		c.focus()
		for (let k = 0; k < 200; k++) {
			const begun = performance.now()
			c.value = "a".repeat(1 + k % 5)
			c.dispatchEvent(new InputEvent("input", {bubbles: true}))
			times.push(performance.now() - begun)
		}
		return String(times.sort((a, b) => a - b)[100])
	})()`
	for b.Loop() {
		require.NoError(b, chromedp.Do(page, chromedp.Navigate(server.URL+"/small")))
		b.ReportMetric(figure(afterLoad), "ms-load-to-key")
		require.NoError(b, chromedp.Do(page, chromedp.Navigate(server.URL+"/large")))
		figure(afterLoad)
		b.ReportMetric(figure(key), "ms/key-of-1000-fields")
	}
	b.ReportMetric(float64(len(packed))/1000, "kB-brotli")
}
