// Package chromiumtest drives a real Chromium in tests. A test without one is skipped,
// and says so.
package chromiumtest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	cdplog "github.com/chromedp/cdproto/log"
	cdpnetwork "github.com/chromedp/cdproto/network"
	cdpruntime "github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromium"
)

// Patience is how long a test waits for what has to happen in a browser. It only bounds a test that fails: a
// busy machine may take ten times as long for a click as a quiet one.
const Patience = time.Minute

// Find is the browser's program. The test is skipped where there is none.
func Find(t testing.TB) string { t.Helper(); return find(t, false) }

// FindWhole is the program of the whole browser, with windows and a back/forward cache.
func FindWhole(t testing.TB) string { t.Helper(); return find(t, true) }

func find(t testing.TB, whole bool) string {
	t.Helper()
	if testing.Short() {
		t.Skip("starts a browser")
	}
	program := chromium.Find(whole)
	if program == "" {
		t.Skip("no Chromium is installed: apt-get install chromium chromium-headless-shell, or run ./test")
	}
	return program
}

// Profile is an empty folder for what a browser keeps. It is removed after the test. A
// browser's other processes may write into it a little longer, and that fails no test.
func Profile(t testing.TB) string {
	t.Helper()
	profile, err := os.MkdirTemp("", "leanwicket-profile-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(profile) })
	return profile
}

// Open starts a browser with one empty page of 1280 by 800 pixels.
func Open(t testing.TB) context.Context { t.Helper(); return Start(t, Find(t)) }

// Start starts a browser's program as Open does.
func Start(t testing.TB, program string) context.Context {
	t.Helper()
	allocated, stop := chromedp.NewExecAllocator(context.Background(), chromium.Options(program, Profile(t), false)...)
	t.Cleanup(stop)
	page, end := chromedp.NewContext(allocated)
	t.Cleanup(end)
	// The first use is one without a deadline: a page whose first use has one is
	// lost when that is over.
	require.NoError(t, chromedp.Do(page, chromedp.EmulateViewport(1280, 800)))
	return page
}

// Violations is what axe-core finds wrong with the page that is open, as JSON; []:
// nothing. Without axe-core the test is skipped.
//
// In forced colors the colors are the system's, and axe-core reads those that the page
// has asked for: contrast is not looked at then.
func Violations(t testing.TB, page context.Context) string {
	t.Helper()
	axe := Package("axe-core")
	if axe == "" {
		t.Skip("the accessibility checker is not installed: run ./test")
	}
	source, err := os.ReadFile(filepath.Join(axe, "axe.min.js"))
	require.NoError(t, err)
	_, err = chromedp.Run(page, chromedp.Evaluate[bool](string(source)+"; true"))
	require.NoError(t, err)
	found, err := chromedp.Run(page, chromedp.Evaluate[string](
		`axe.run({rules: {"color-contrast": {enabled: !matchMedia("(forced-colors: active)").matches}}}).then(r => JSON.stringify(r.violations.map(v => [v.id, v.help, v.nodes.map(n => n.html + " " + n.failureSummary)]), null, 1))`, chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	return found
}

// Troubles listens to a page. It returns a function that takes what has gone wrong since it was called last: errors and
// warnings of the console, exceptions, and requests that failed or were answered with an error.
func Troubles(t testing.TB, page context.Context) func() []string {
	t.Helper()
	var mu sync.Mutex
	var troubles []string
	add := func(words ...any) {
		mu.Lock()
		defer mu.Unlock()
		troubles = append(troubles, fmt.Sprint(words...))
	}
	require.NoError(t, chromedp.Listen(page, func(event any) {
		switch e := event.(type) {
		case *cdplog.EventEntryAdded:
			if e.Entry.Level == "error" || e.Entry.Level == "warning" {
				add(e.Entry.Text, " ", e.Entry.URL)
			}
		case *cdpruntime.EventExceptionThrown:
			add(e.ExceptionDetails.Text)
		case *cdpruntime.EventConsoleAPICalled:
			if e.Type == "error" || e.Type == "warning" {
				for _, a := range e.Args {
					add(a.Description, string(a.Value))
				}
			}
		case *cdpnetwork.EventResponseReceived:
			if e.Response.Status >= 400 {
				add(e.Response.Status, " ", e.Response.URL)
			}
		}
	}))
	_, err := chromedp.Call(page, cdplog.Enable, cdp.Empty{})
	require.NoError(t, err)
	_, err = chromedp.Call(page, cdpnetwork.Enable, cdpnetwork.EnableParams{})
	require.NoError(t, err)
	return func() []string {
		mu.Lock()
		defer mu.Unlock()
		taken := troubles
		troubles = nil
		return taken
	}
}

// Package is the folder of an npm package that tests use, or nothing.
func Package(name string) string {
	_, here, _, _ := runtime.Caller(0)
	dir := filepath.Join(filepath.Dir(here), "..", "..", "tools", "npm", "node_modules", name)
	if _, err := os.Stat(dir); err != nil {
		return ""
	}
	return dir
}
