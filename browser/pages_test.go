//go:build !js

package browser_test

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/scenario"
)

// ownPage is a form that somebody wrote by hand, with one script tag and one
// attribute more.
const ownPage = `<!doctype html>
<html lang="en">
<title>A visit</title>
<script src="leanwicket/leanwicket.js" defer></script>
<h1>A visit</h1>
<form data-leanwicket-form="leanwicket/visit.form" method="post" action="/visits">
  <p><label for="v">Vessel</label> <input id="v" name="vessel"></p>
  <p><label for="n">Nights</label> <input id="n" name="nights"></p>
  <p><button>Send</button> <button type="button" id="other">Tides</button></p>
</form>
`

// A plain page gets the lifecycle from static files.
func TestPlainPage(t *testing.T) {
	b := openTab(t)
	mux := b.static(map[string]string{"index.html": ownPage}, "visit")
	received := make(chan *http.Request, 10)
	mux.HandleFunc("POST /visits", func(w http.ResponseWriter, r *http.Request) {
		received <- r
		time.Sleep(200 * time.Millisecond)
		w.Header().Set("Location", "/visits/7")
		w.WriteHeader(http.StatusCreated)
		_, _ = w.Write([]byte(`{"id": "7"}`))
	})
	mux.HandleFunc("GET /visits/7", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("<title>Visit 7</title>")) })
	b.open("/")
	b.do(chromedp.Click(chromedp.CSS("form button")))
	require.Equal(t, "vessel true", b.js(`document.activeElement.name + " " + document.activeElement.getAttribute("aria-invalid")`))
	require.Equal(t, "Vessel is missing.", b.js(`document.querySelector(".leanwicket-issues").textContent`))
	b.typeIn("vessel", "Egret")
	b.do(chromedp.Click(chromedp.CSS("#other")))
	require.Empty(t, received, "a button that does not submit sends nothing")
	b.typeIn("nights", "3\r") // Enter
	b.becomes("/visits/7", "location.pathname")
	r := <-received
	require.Empty(t, received)
	require.Len(t, r.Header.Get("Idempotency-Key"), 32)
	require.Equal(t, "application/json", r.Header.Get("Content-Type"))
}

// static serves pages, compiled forms and the bundle from a folder.
func (b *tab) static(pages map[string]string, forms ...string) *http.ServeMux {
	dir := b.t.TempDir()
	write := func(name string, data []byte) {
		require.NoError(b.t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
	}
	require.NoError(b.t, os.Mkdir(filepath.Join(dir, "leanwicket"), 0o755))
	for _, name := range browser.Names() {
		data, err := browser.File(name)
		require.NoError(b.t, err)
		write("leanwicket/"+name, data)
	}
	for _, name := range forms {
		source, err := declare.OpenFS(harbour.Files(), name+".form.yaml")
		require.NoError(b.t, err)
		compiled, err := source.Form.MarshalBinary()
		require.NoError(b.t, err)
		write("leanwicket/"+name+".form", compiled)
	}
	for name, text := range pages {
		write(name, []byte(text))
	}
	mux := http.NewServeMux()
	mux.Handle("/", http.FileServer(http.Dir(dir)))
	server := httptest.NewServer(mux)
	b.t.Cleanup(server.Close)
	b.site = server.URL
	return mux
}

// In no state of the lifecycle has a page what axe-core calls a violation. UPDATE=1
// takes the pictures of the states anew.
func TestEveryStateIsAccessible(t *testing.T) {
	b := openTab(t)
	seen := func(name string) {
		t.Helper()
		b.picture(name)
		require.Equal(t, "[]", chromiumtest.Violations(t, b.ctx), name)
	}
	b.open("/forms/mooring")
	b.becomes("9.4", `document.forms[0].elements["vessel/length"].value`)
	seen("idle")
	b.typeIn("arrival", "2031-05-09")
	b.typeIn("departure", "2031-05-02")
	b.apply()
	b.becomes("false", `document.getElementById("leanwicket-summary").hidden`)
	seen("issues")
	b.mend()
	b.panel("submit-delay", "1500ms", "submit-times", "1")
	b.apply()
	b.becomes("sending", state)
	seen("sending")
	b.becomes("accepted", state)
	b.do(chromedp.ScrollIntoView(chromedp.CSS("h1")))
	seen("accepted")
	b.typeIn("berth", "A3")
	b.js(`(() => { const a = document.createElement("a"); a.href = "/"; a.id = "away"; a.textContent = "Office"; document.querySelector("main").prepend(a) })()`)
	b.do(chromedp.Click(chromedp.CSS("#away")))
	b.becomes("true", `document.querySelector("dialog").open`)
	seen("leaving")
}

// picture takes the picture of a state anew where UPDATE=1 asks for that.
func (b *tab) picture(name string) {
	if os.Getenv("UPDATE") == "" {
		return
	}
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	require.NoError(b.t, err)
	require.NoError(b.t, os.WriteFile(filepath.Join("..", "docs", "screenshots", "browser-"+name+".png"), png, 0o644))
}

// mend mends what keeps a mooring permit from being sent.
func (b *tab) mend() {
	b.js(`document.forms[0].elements.departure.select()`)
	b.typeIn("departure", "2031-05-19")
	b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)))
}

// The page beside a form shows its lifecycle as it goes, and replays any trace.
// UPDATE=1 takes its picture anew.
func TestLivePage(t *testing.T) {
	b := openTab(t)
	b.open("/live/pilot")
	part := func(name string) string { return `document.getElementById("live-` + name + `").textContent` }
	b.becomes("is asked nothing", part("asks"))
	b.typeIn("slot", "09:30")
	b.becomes("is asked: unsaved", part("asks"))
	b.panel("submit-delay", "2s", "submit-times", "1")
	b.apply()
	b.becomes("sending", part("submission"))
	b.becomes("sends nothing: sending", part("holds"))
	b.becomes("accepted", part("submission"))
	b.js(`document.getElementById("live-side").scrollTop = 0`)
	b.picture("live")
	require.Equal(t, "[]", chromiumtest.Violations(t, b.ctx))

	source, err := declare.OpenFS(harbour.Files(), "mooring.form.yaml")
	require.NoError(t, err)
	s, err := scenario.NewReader(harbour.Files()).File("01-load-late-over-typing.scenario.yaml")
	require.NoError(t, err)
	var text bytes.Buffer
	require.True(t, scenario.Play(s, scenario.Options{Trace: &text}).Passed())
	file := filepath.Join(t.TempDir(), "late.trace.jsonl")
	require.NoError(t, os.WriteFile(file, text.Bytes(), 0o644))
	b.do(chromedp.SetUploadFiles(chromedp.CSS("#live-file"), []string{file}))
	b.becomes(source.Form.Title, part("form"))
	b.js(`(() => { const r = document.getElementById("live-slider"); r.value = "0"; r.dispatchEvent(new Event("input")) })()`)
	b.becomes("loading", part("prefill"))
	b.do(chromedp.Click(chromedp.CSS("#live-back")))
	b.becomes("Pilot booking", part("form"))
	require.NoError(t, os.WriteFile(file, []byte("{\"trace\":7}\n"), 0o644))
	b.broken.Store(true)
	b.do(chromedp.SetUploadFiles(chromedp.CSS("#live-file"), []string{file}))
	b.becomes("true", part("problem")+`.includes("right would be")`)
}
