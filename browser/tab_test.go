//go:build !js

package browser_test

import (
	"context"
	"database/sql"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	cdpemulation "github.com/chromedp/cdproto/emulation"
	cdppage "github.com/chromedp/cdproto/page"
	cdpruntime "github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour/office"
	"leanwicket.dev/internal/chromiumtest"
)

// tab is a page of the office in a real browser.
type tab struct {
	t      *testing.T
	ctx    context.Context
	site   string
	file   string       // the office's database
	asked  atomic.Int32 // prompts of the browser
	end    func()       // closes it
	accept atomic.Bool  // how they are answered
	broken atomic.Bool  // errors are expected
	late   atomic.Int64 // nanoseconds by which the core is late
}

func openTab(t *testing.T) *tab { return tabOf(t, chromiumtest.Open(t)) }

func tabOf(t *testing.T, ctx context.Context) *tab {
	b := &tab{t: t, ctx: ctx}
	b.file = filepath.Join(t.TempDir(), "office.db")
	o, err := office.Open(b.file, office.Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, ".wasm") {
			time.Sleep(time.Duration(b.late.Load()))
		}
		o.ServeHTTP(w, r)
	}))
	server.Config.ErrorLog = slog.NewLogLogger(slog.DiscardHandler, 0)
	server.Start()
	t.Cleanup(func() { server.CloseClientConnections(); server.Close(); require.NoError(t, o.Close()) })
	b.site = server.URL
	b.listen()
	return b
}

// another is a tab of somebody else: with storage of its own.
func (b *tab) another() *tab { return b.beside(chromedp.WithNewBrowserContext()) }

// beside is one more tab of the same browser, with the same storage unless an option says
// otherwise. It is closed by its end.
func (b *tab) beside(options ...chromedp.ContextOption) *tab {
	ctx, cancel := chromedp.NewContext(b.ctx, options...)
	b.t.Cleanup(cancel)
	require.NoError(b.t, chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)))
	_, err := chromedp.Call(ctx, cdpemulation.SetFocusEmulationEnabled, cdpemulation.SetFocusEmulationEnabledParams{Enabled: true})
	require.NoError(b.t, err)
	other := &tab{t: b.t, ctx: ctx, site: b.site, end: cancel}
	other.accept.Store(true)
	other.listen()
	return other
}

func (b *tab) listen() {
	t, page := b.t, b.ctx
	require.NoError(t, chromedp.Listen(page, func(event any) {
		switch e := event.(type) {
		case *cdppage.EventJavascriptDialogOpening:
			b.asked.Add(1)
			go func() {
				_, _ = chromedp.Call(page, cdppage.HandleJavaScriptDialog, cdppage.HandleJavaScriptDialogParams{Accept: b.accept.Load()})
			}()
		case *cdpruntime.EventExceptionThrown:
			if !b.broken.Load() {
				t.Error(e.ExceptionDetails.Text, e.ExceptionDetails.Exception)
			}
		case *cdpruntime.EventConsoleAPICalled:
			if e.Type == "error" && !b.broken.Load() {
				for _, a := range e.Args {
					t.Error(a.Description, string(a.Value))
				}
			}
		}
	}))
}

func (b *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, chromiumtest.Patience)
	defer cancel()
	require.NoError(b.t, chromedp.Do(ctx, steps...))
}

// js evaluates an expression to a text.
func (b *tab) js(expression string) string {
	b.t.Helper()
	text, err := b.ask(expression)
	require.NoError(b.t, err, expression)
	return text
}

func (b *tab) ask(expression string) (string, error) {
	ctx, cancel := context.WithTimeout(b.ctx, chromiumtest.Patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[string]("Promise.resolve("+expression+").then(String)", chromedp.EvalAwaitPromise))
}

// becomes waits until an expression is so. While one page goes and the next
// comes there is nothing to ask.
func (b *tab) becomes(want, expression string) {
	b.t.Helper()
	var last string
	var err error
	for end := time.Now().Add(chromiumtest.Patience); time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		if last, err = b.ask(expression); err == nil && last == want {
			return
		}
	}
	require.NoError(b.t, err, expression)
	if last != want {
		page, _ := b.ask(`document.body.innerText`)
		require.Equal(b.t, want, last, "%s on the page\n%s", expression, page)
	}
}

func (b *tab) open(path string) {
	b.do(chromedp.Navigate(b.site + path))
	b.becomes("true", `document.forms[0].dataset.leanwicketReady !== undefined`)
}

// forget takes away what earlier pages kept.
func (b *tab) forget() {
	b.js(`new Promise(done => {
		localStorage.clear()
		const request = indexedDB.deleteDatabase("leanwicket")
		request.onsuccess = request.onerror = done
	})`)
}

func (b *tab) typeIn(name, text string) {
	b.do(chromedp.SendKeys(chromedp.CSS(`[name="`+name+`"]`), text))
}

// panel turns trouble on at the office.
func (b *tab) panel(pairs ...string) {
	values := url.Values{}
	for k := 0; k < len(pairs); k += 2 {
		values.Set(pairs[k], pairs[k+1])
	}
	response, err := http.PostForm(b.site+"/panel", values)
	require.NoError(b.t, err)
	defer response.Body.Close()
	require.Equal(b.t, 200, response.StatusCode)
}

// permits is how many the office has given.
func (b *tab) permits() string {
	response, err := http.Get(b.site + "/panel")
	require.NoError(b.t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(b.t, err)
	_, after, _ := strings.Cut(string(text), "Permits in the database: <strong>")
	n, _, _ := strings.Cut(after, "<")
	return n
}

// fill makes a mooring permit ready to be sent.
func (b *tab) fill() {
	b.open("/forms/mooring")
	b.becomes("9.4", `document.forms[0].elements["vessel/length"].value`)
	b.typeIn("arrival", "2031-05-02")
	b.typeIn("departure", "2031-05-09")
	b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)))
	b.becomes("", `document.querySelector(".leanwicket-form > .leanwicket-buttons button").dataset.leanwicketHolds || ""`)
}

func (b *tab) apply() {
	b.do(chromedp.Click(chromedp.CSS(".leanwicket-form > .leanwicket-buttons button")))
}

// stored reads one row of the office's database.
func (b *tab) stored(query string, into ...any) {
	db, err := sql.Open("sqlite", b.file)
	require.NoError(b.t, err)
	defer db.Close()
	require.NoError(b.t, db.QueryRow(query).Scan(into...))
}

// handler serves the page of a form, with the script; what is submitted goes
// elsewhere.
func handler(t testing.TB, source *declare.Source) http.Handler {
	h, err := formhttp.New(source.Form, source, formhttp.Options{Script: "/leanwicket/leanwicket.js", Submit: nowhere})
	require.NoError(t, err)
	return h
}

func nowhere(context.Context, formhttp.Submission) (formhttp.Answer, error) {
	return formhttp.Answer{}, errors.New("the page sends to another address")
}
