//go:build !js

package browser_test

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"leanwicket.dev/internal/chromium"
	"leanwicket.dev/internal/chromiumtest"
)

// A browser is killed as a whole while a submission is out. The next one knows of the
// attempt, and settles it with the same key: nothing is forgotten that the store had
// confirmed, and nothing is there twice.
// LONG=1 kills 200 times, otherwise 20.
func TestAKilledBrowserForgetsNothing(t *testing.T) {
	program := chromiumtest.Find(t)
	data := compiled(t, "form: swap\nschema: {properties: {vessel: {type: string}, berths: {type: array, items: {properties: {berth: {type: string}}}}}, required: [vessel]}\nsubmit: {url: /swaps, timeout: 60s}\n")
	kills := 20
	if os.Getenv("LONG") != "" {
		kills = 200
	}
	slots := make(chan bool, 4)
	var all sync.WaitGroup
	for k := range kills {
		all.Go(func() {
			slots <- true
			defer func() { <-slots }()
			random := rand.New(rand.NewPCG(uint64(k), 19))
			var mu sync.Mutex
			var keys []string
			arrived := make(chan bool, 9)
			hangs := true
			address := site(t, func() []byte { return data }, func(w http.ResponseWriter, r *http.Request) {
				switch r.URL.Path {
				case "/":
					w.Header().Set("Content-Type", "text/html")
					fmt.Fprint(w, `<!doctype html><script type="module">import { openForm } from "/leanwicket/leanwicket.mjs"; globalThis.s = await openForm("/f.form")</script>`)
				case "/swaps":
					mu.Lock()
					keys = append(keys, r.Header.Get("Idempotency-Key"))
					wait := hangs
					mu.Unlock()
					arrived <- true
					_, _ = io.Copy(io.Discard, r.Body) // only then it is seen that the browser is gone
					if wait {
						<-r.Context().Done()
						return
					}
					w.WriteHeader(201)
				default:
					http.NotFound(w, r)
				}
			})
			profile := chromiumtest.Profile(t)
			open := func() (ask func(string) string, end func()) {
				allocated, stop := chromedp.NewExecAllocator(context.Background(), chromium.Options(program, profile, false)...)
				page, close := chromedp.NewContext(allocated)
				ask = func(expression string) string {
					ctx, cancel := context.WithTimeout(page, chromiumtest.Patience)
					defer cancel()
					text, _ := chromedp.Run(ctx, chromedp.Evaluate[string]("Promise.resolve("+expression+").then(String)", chromedp.EvalAwaitPromise))
					return text
				}
				if !assert.NoError(t, chromedp.Do(page, chromedp.Navigate(address))) {
					return ask, func() { close(); stop() }
				}
				for end := time.Now().Add(chromiumtest.Patience); ask(`globalThis.s?.snapshot.submission || ""`) == "" && time.Now().Before(end); {
					time.Sleep(10 * time.Millisecond)
				}
				return ask, func() { close(); stop() }
			}
			ask, end := open()
			for n := range random.IntN(12) {
				ask(`(s.addRow("berths"), s.edit("berths/` + strconv.Itoa(n) + `/berth", "A` + strconv.Itoa(n) + `"))`)
			}
			vessel := "Heron " + strconv.Itoa(k)
			ask(`(s.edit("vessel", "` + vessel + `"), s.submit(), s.kept.stored.then(() => { globalThis.confirmed = true }), "")`)
			select {
			case <-arrived:
			case <-time.After(chromiumtest.Patience):
				t.Errorf("kill %d: nothing was sent", k)
			}
			time.Sleep(time.Duration(random.IntN(1000)) * time.Millisecond)
			confirmed := ask(`globalThis.confirmed`) == "true" // a store that is slower than the send has promised nothing
			_ = exec.Command("pkill", "-9", "-f", profile).Run()
			end()
			mu.Lock()
			hangs = false
			mu.Unlock()
			for _, lock := range []string{"SingletonLock", "SingletonCookie", "SingletonSocket"} {
				_ = os.Remove(profile + "/" + lock)
			}
			ask, end = open()
			defer end()
			if !confirmed {
				t.Logf("kill %d: the store had confirmed nothing yet", k)
				return
			}
			if got := ask(`s.snapshot.submission + " " + s.field("vessel").raw`); got != "unsettled "+vessel {
				t.Errorf("kill %d: the next browser knows %q", k, got)
			}
			ask(`s.submit()`)
			for until := time.Now().Add(chromiumtest.Patience); ask(`s.snapshot.submission`) != "accepted" && time.Now().Before(until); {
				time.Sleep(10 * time.Millisecond)
			}
			mu.Lock()
			defer mu.Unlock()
			for _, key := range keys {
				if key != keys[0] {
					t.Errorf("kill %d: two keys, %v", k, keys)
				}
			}
			if len(keys) < 2 {
				t.Errorf("kill %d: it was not sent again", k)
			}
		})
	}
	all.Wait()
}
