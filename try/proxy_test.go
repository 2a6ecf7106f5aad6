package try_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/try"
)

// counter is a real backend that counts what could change something in it.
type counter struct {
	mu     sync.Mutex
	came   []string
	serves http.Handler
}

func (c *counter) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodGet && r.Method != http.MethodHead && r.Method != http.MethodOptions || r.Header.Get("Upgrade") != "" || r.Header.Get("X-HTTP-Method-Override") != "" {
		c.mu.Lock()
		c.came = append(c.came, r.Method+" "+r.URL.Path)
		c.mu.Unlock()
	}
	w.Header().Set("Access-Control-Allow-Origin", "*")
	w.Header().Set("Access-Control-Allow-Methods", "*")
	w.Header().Set("Access-Control-Allow-Headers", "*")
	c.serves.ServeHTTP(w, r)
}

func (c *counter) count() []string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.came
}

// waysOut is a script that sends, at the opening, at each keystroke and when the page
// goes, in every way that a page has. ELSEWHERE is another origin.
const waysOut = `<script>
const send = when => {
  for (const base of ["", "ELSEWHERE"]) {
    for (const method of ["POST", "PUT", "PATCH", "DELETE"]) {
      fetch(base + "/log/" + when + "/fetch", {method, body: method === "DELETE" ? undefined : "x"}).catch(() => {})
      fetch(base + "/log/" + when + "/keepalive", {method, keepalive: true, mode: "no-cors"}).catch(() => {})
    }
    fetch(base + "/log/" + when + "/override", {headers: {"X-HTTP-Method-Override": "DELETE"}}).catch(() => {})
    navigator.sendBeacon(base + "/log/" + when + "/beacon", "x")
    const request = new XMLHttpRequest()
    request.open("POST", base + "/log/" + when + "/xhr")
    request.send("x")
    new WebSocket((base || location.origin).replace("http", "ws") + "/log/" + when + "/socket")
  }
  const frame = document.createElement("iframe")
  frame.name = "out" + when
  frame.hidden = true
  document.body.append(frame)
  const sent = document.createElement("form")
  sent.method = "post"
  sent.action = "ELSEWHERE/log/" + when + "/form"
  sent.target = frame.name
  sent.hidden = true
  document.body.append(sent)
  sent.submit()
}
const work = 'for (const base of ["' + location.origin + '", "ELSEWHERE"]) { setInterval(() => fetch(base + "/log/worker", {method: "POST", mode: "no-cors"}), 500) }'
new Worker(URL.createObjectURL(new Blob([work])))
new SharedWorker(URL.createObjectURL(new Blob([work.replaceAll("worker", "shared")])))
navigator.serviceWorker?.register("service.js").catch(() => {})
addEventListener("load", () => send("open"))
addEventListener("input", () => send("input"), {once: true})
addEventListener("pagehide", () => send("hide"))
addEventListener("beforeunload", () => send("unload"))
addEventListener("visibilitychange", () => send("hidden"))
</script>
`

const service = `
self.addEventListener("install", () => { skipWaiting(); fetch("/log/service", {method: "POST"}) })
self.addEventListener("activate", e => e.waitUntil(clients.claim()))
self.addEventListener("fetch", e => { fetch("/log/behind", {method: "PUT"}); e.respondWith(fetch(e.request)) })
`

// Whatever a page sends while it is tried, nothing that could change something reaches
// its backend: on each page of the harbour over all trials, and on a page that sends in
// every way.
func TestNothingReachesTheBackend(t *testing.T) {
	dir, source := copied(t)
	office := &counter{serves: http.FileServer(http.Dir(dir))}
	server := httptest.NewServer(office)
	defer server.Close()
	elsewhere := &counter{serves: http.NotFoundHandler()}
	other := httptest.NewServer(elsewhere)
	defer other.Close()

	naive, err := os.ReadFile(filepath.Join(dir, "naive.html"))
	require.NoError(t, err)
	leaky := strings.ReplaceAll(string(naive)+waysOut, "ELSEWHERE", other.URL)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "leaky.html"), []byte(leaky), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "service.js"), []byte(service), 0o644))
	run := func(source *declare.Source, page string, only ...string) *try.Report {
		answer, err := try.Run(context.Background(), source, try.Options{Page: server.URL + "/" + page, Only: only})
		require.NoError(t, err, page)
		require.Empty(t, office.count(), page)
		require.Empty(t, elsewhere.count(), page)
		return answer
	}
	answer := run(source, "leaky.html", "edit-while-sending", "lost-reply")
	stopped := fmt.Sprint(answer.Stopped)
	for _, way := range []string{"open/fetch", "open/keepalive", "open/override", "open/beacon", "open/xhr", "open/form", "input/fetch", "worker", "shared", "service", "hide/keepalive"} {
		require.Contains(t, stopped, way, "the page sends it, and the proxy stops it")
	}
	require.Contains(t, stopped, other.URL, "to another origin too")
	require.NotContains(t, stopped, "google", "what the browser sends of its own is not the page's")

	// The address that the form declares is not the one that the page sends to.
	elsewhereDeclared := *source
	declared := *source.Form
	declared.Submit.URL = "/api/applications"
	elsewhereDeclared.Form = &declared
	for _, r := range run(&elsewhereDeclared, "naive.html", "two-clicks-40", "pending-told").Results {
		require.NotEqual(t, try.Kept, r.Verdict, r.Trial)
	}
	for page := range pages {
		run(source, page+map[bool]string{true: "/"}[strings.HasSuffix(page, "built")], only(t)...)
	}
}

// only are the trials that are made of each page: with TRIES all of them.
func only(t *testing.T) []string {
	if os.Getenv("TRIES") != "" {
		return nil
	}
	t.Log("four trials a page; TRIES=1 makes all")
	return []string{"edit-while-sending", "pending-told", "lost-reply", "asks-at-link"}
}
