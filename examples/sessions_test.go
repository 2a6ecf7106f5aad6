package examples_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// troubles are what goes wrong with the first requests of a session that send.
var troubles = []string{"", "lost request", "lost reply", "busy", "slow", "lost reply, lost reply", "slow, lost request", "busy, lost reply"}

// Applicants order tows on the page of components, over a network that loses requests and
// replies; they click twice, are refused, and load the page again in the middle. At the end
// each knows what the office has: one tow for everybody who was told of one, and no other.
// SESSIONS says how many; ./test --long makes a thousand.
func TestSessionsOverComponents(t *testing.T) {
	page := chromiumtest.Open(t)
	start(t, "components", "http://127.0.0.1:8721/")
	count := 20
	if n, err := strconv.Atoi(os.Getenv("SESSIONS")); err == nil {
		count = n
	}
	var trouble atomic.Value
	trouble.Store("")
	target, err := url.Parse("http://127.0.0.1:8721")
	require.NoError(t, err)
	proxy := httputil.NewSingleHostReverseProxy(target)
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != "POST" {
			proxy.ServeHTTP(w, r)
			return
		}
		now, later, _ := strings.Cut(trouble.Load().(string), ", ")
		trouble.Store(later)
		switch now {
		case "lost request":
			panic(http.ErrAbortHandler)
		case "lost reply":
			proxy.ServeHTTP(httptest.NewRecorder(), r)
			panic(http.ErrAbortHandler)
		case "busy":
			w.Header().Set("Retry-After", "1")
			w.WriteHeader(503)
			return
		case "slow":
			time.Sleep(400 * time.Millisecond)
		}
		proxy.ServeHTTP(w, r)
	}))
	site.Config.SetKeepAlivesEnabled(false) // a browser sends once more what breaks on a connection that was used before
	t.Cleanup(site.Close)
	js := func(expression string) string {
		ctx, cancel := context.WithTimeout(page, chromiumtest.Patience)
		defer cancel()
		text, _ := chromedp.Run(ctx, chromedp.Evaluate[string]("String("+expression+")"))
		return text
	}
	becomes := func(expression string) {
		t.Helper()
		for end := time.Now().Add(chromiumtest.Patience); js(expression) != "true"; time.Sleep(20 * time.Millisecond) {
			if time.Now().After(end) {
				require.Fail(t, expression, js("document.body.innerText"))
			}
		}
	}
	typeIn := func(path, text string) {
		js(fmt.Sprintf(`(c => (c.focus(), c.select?.(), document.execCommand("insertText", false, %q)))(document.forms[0].elements[%q])`, text, path))
	}
	choose := func(tug string) {
		js(fmt.Sprintf(`(c => (c.value = %q, c.dispatchEvent(new Event("change", { bubbles: true }))))(document.forms[0].elements.tug)`, tug))
	}
	const send = `document.querySelector("form > button").click()`
	const says = `document.forms[0].innerText`
	ordered := map[string]bool{}
	for n := range count {
		random := rand.New(rand.NewPCG(uint64(n), 7))
		vessel := fmt.Sprintf("Tern %d", n)
		trouble.Store("")
		require.NoError(t, chromedp.Do(page, chromedp.Navigate(site.URL+"/")))
		becomes(`document.forms[0]?.elements.namedItem("length")?.value === "9.4" && document.querySelector(".line") !== null`) // rows are drawn after the values are written
		typeIn("vessel", vessel)
		for range random.IntN(3) {
			row := js(`document.querySelectorAll(".line").length`)
			js(`document.querySelector("[name=leanwicket-add]").click()`)
			becomes(`!!document.forms[0].elements["lines/` + row + `/rope"]`)
			typeIn("lines/"+row+"/rope", "stern")
		}
		refused := random.IntN(4) == 0
		if refused {
			choose("Dunlin")
		} else {
			trouble.Store(troubles[n%len(troubles)])
		}
		js(send)
		if random.IntN(2) == 0 {
			js(send)
		}
		if random.IntN(5) == 0 {
			require.NoError(t, chromedp.Do(page, chromedp.Navigate(site.URL+"/")))
			becomes(`document.forms[0]?.elements.namedItem("length")?.value === "9.4" || ` + says + `.includes("not known")`)
			js(fmt.Sprintf(`document.forms[0].elements.vessel.value === %q && `, vessel) + send) // the page may have gone before anything was sent
		}
		for tries := 0; ; tries++ {
			require.Less(t, tries, 12, "%s: %s", vessel, js("document.body.innerText"))
			becomes(says + `.match(/ordered|not known|dock|office is busy|Not sent/) && !document.forms[0].ariaBusy?.includes("true") || document.forms[0].elements.vessel.value === "Heron"`)
			text := js(says)
			switch {
			case strings.Contains(text, "The tow is ordered."):
				ordered[vessel] = true
				becomes(`!Object.keys(localStorage).some(name => name.startsWith("leanwicket "))`) // it was shown for a moment
			case strings.Contains(text, "in dock"):
				choose("Curlew")
				js(send)
				continue
			case js(`document.forms[0].elements.vessel.value`) == "Heron": // the page was loaded again after the tow was ordered, or before anything was kept
			default:
				js(send)
				continue
			}
			break
		}
	}
	response, err := http.Get(site.URL + "/tows")
	require.NoError(t, err)
	defer response.Body.Close()
	var tows []string
	require.NoError(t, json.NewDecoder(response.Body).Decode(&tows))
	found := map[string]int{}
	for _, vessel := range tows {
		found[vessel]++
	}
	for n := range count {
		vessel := fmt.Sprintf("Tern %d", n)
		require.LessOrEqual(t, found[vessel], 1, vessel)
		if ordered[vessel] {
			require.Equal(t, 1, found[vessel], vessel)
		}
	}
	require.Greater(t, len(ordered), count*3/4)
	t.Logf("%d sessions, %d tows, %d told of one", count, len(tows), len(ordered))
}
