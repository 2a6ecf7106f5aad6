package examples_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/internal/database"
	"leanwicket.dev/try"
)

// start builds an example and runs it as it stands, in a folder of its own. It returns what ends
// it before the test does.
func start(t *testing.T, name, site string, arguments ...string) (kill func()) {
	if testing.Short() {
		t.Skip("-short: no program is built")
	}
	dir := t.TempDir()
	program := filepath.Join(dir, name)
	output, err := exec.Command("go", "build", "-o", program, "./"+name).CombinedOutput()
	require.NoError(t, err, string(output))
	response, err := http.Get(site)
	if err == nil {
		response.Body.Close()
	}
	require.Error(t, err, "another program answers at %s, which knows what earlier tests have sent; right would be to end it", site)
	running := exec.Command(program, arguments...)
	running.Dir = dir
	require.NoError(t, running.Start())
	kill = sync.OnceFunc(func() { _ = running.Process.Kill(); _ = running.Wait() })
	t.Cleanup(kill)
	require.Eventually(t, func() bool {
		response, err := http.Get(site)
		if err == nil {
			response.Body.Close()
		}
		return err == nil && response.StatusCode == 200
	}, chromiumtest.Patience, 50*time.Millisecond)
	return kill
}

// The pages with components and with a script of their own keep the lifecycle, whatever
// the network does. LONG=1 makes every trial on each, otherwise those that such pages break most.
func TestPagesOfTheirOwn(t *testing.T) {
	for _, example := range []struct {
		name, form, site string
		pages            []string
		notApplicable    []string
	}{
		{"components", "tow", "http://127.0.0.1:8721/", []string{"", "lit.html", "plain.html", "marked.html"}, []string{"half-typed", "plain-buttons", "enter-in-text", "asks-at-hash"}},
		{"cache", "laid", "http://127.0.0.1:8728/", []string{""}, []string{"load-over-typing", "composing", "untouched-values-stay", "back-restores", "late-check", "asks-at-link"}},
		{"script", "berths", "http://127.0.0.1:8722/", []string{""}, []string{"load-over-typing", "load-over-choosing", "composing", "untouched-values-stay", "back-restores", "half-typed", "load-fails"}},
	} {
		t.Run(example.name, func(t *testing.T) {
			chromiumtest.Find(t)
			start(t, example.name, example.site)
			source, err := declare.Open(filepath.Join(example.name, example.form+".form.yaml"))
			require.NoError(t, err)
			only := []string{"load-over-typing", "composing", "untouched-values-stay", "back-restores", "click-after-a-wrong-field", "values-without-events", "late-check", "two-clicks-40", "pending-ends", "refusal-at-its-field", "nothing-swallowed", "lost-reply", "reset-after", "asks-at-link", "quiet-after-success"}
			for k, page := range example.pages {
				options := try.Options{Page: example.site + page, Only: only}
				if k > 0 {
					options.Only = []string{only[k], "click-after-a-wrong-field", "values-without-events", "refusal-at-its-field", "reset-after"}
				}
				if os.Getenv("LONG") != "" {
					options.Only = nil
				}
				if options.Declared, err = try.ReadDeclarations(try.DeclarationsBeside(source.File), source.Form); !errors.Is(err, fs.ErrNotExist) {
					require.NoError(t, err)
				}
				answer, err := try.Run(t.Context(), source, options)
				require.NoError(t, err)
				for _, r := range answer.Results {
					want := try.Kept
					if slices.Contains(example.notApplicable, r.Trial) {
						want = try.NotApplicable
					}
					require.Equal(t, want, r.Verdict, "%s, %s: %s", page, r.Trial, r.Why)
				}
			}
		})
	}
}

// The program books once.
func TestStay(t *testing.T) {
	const site = "http://127.0.0.1:8720/"
	start(t, "stay", site)
	for range 2 {
		response, err := http.PostForm(site, url.Values{"vessel": {"Egret"}, "nights": {"3"}, "leanwicket-key": {"one"}})
		require.NoError(t, err)
		response.Body.Close()
		require.Equal(t, "leanwicket-received=one", response.Request.URL.RawQuery)
	}
	response, err := http.PostForm(site, url.Values{"vessel": {"Egret"}, "nights": {"3"}, "leanwicket-key": {"two"}})
	require.NoError(t, err)
	response.Body.Close()
	require.Equal(t, 422, response.StatusCode)
}

// An application's own handlers do the work of each key once: of ten that click eleven times at
// once each has one row, and who claims it has it alone.
func TestHandlersOfTheirOwn(t *testing.T) {
	const site = "http://127.0.0.1:8726"
	start(t, "desk", site+"/report")
	send := func(path string, typed url.Values) string {
		response, err := http.PostForm(site+path, typed)
		if err != nil {
			return err.Error()
		}
		defer response.Body.Close()
		text, err := io.ReadAll(response.Body)
		if err != nil {
			return err.Error()
		}
		return fmt.Sprint(response.StatusCode, " ", response.Request.URL.Path, " ", strings.Contains(string(text), "written down"), strings.Contains(string(text), "Nothing of that number"))
	}
	var clicks sync.WaitGroup
	for k := range 110 {
		key := fmt.Sprint("key-", k%10)
		clicks.Go(func() {
			assert.Equal(t, "200 /thanks true false", send("/report", url.Values{"key": {key}, "what": {"a glove"}}))
		})
	}
	clicks.Wait()
	for k := range 12 {
		want := "200 /thanks true false"
		if k >= 10 {
			want = "422 /claim false true" // there are ten gloves
		}
		for _, owner := range []string{"Bo", "Bo"} {
			require.Equal(t, want, send("/claim", url.Values{"key": {fmt.Sprint("claim-", k)}, "number": {fmt.Sprint(k + 1)}, "owner": {owner}}), "glove %d", k+1)
		}
	}
	require.Equal(t, "422 /claim false true", send("/claim", url.Values{"key": {"late"}, "number": {"3"}, "owner": {"Ada"}}))
	require.Equal(t, "422 /report false false", send("/report", url.Values{"key": {"key-3"}, "what": {"a hat"}}), "other values under a key that was used")
	require.Equal(t, "422 /report false false", send("/report", url.Values{"key": {"empty"}}))
	require.Equal(t, "400 /report false false", send("/report", url.Values{"what": {"a boot"}}))
}

// The hall's page has its own look and script, and two forms live in it: each says its own, and
// the page of the second has both, too.
func TestAPageOfItsOwn(t *testing.T) {
	page := chromiumtest.Open(t)
	start(t, "hall", "http://127.0.0.1:8723/")
	ask := func(expression string) string {
		limited, cancel := context.WithTimeout(page, chromiumtest.Patience)
		defer cancel()
		text, _ := chromedp.Run(limited, chromedp.Evaluate[string](expression)) // none while the page changes
		return text
	}
	require.NoError(t, chromedp.Do(page, chromedp.Navigate("http://127.0.0.1:8723/")))
	require.Equal(t, "rgb(32, 52, 60)", ask(`getComputedStyle(document.querySelector("header")).backgroundColor`))
	require.Contains(t, ask(`document.getElementById("evenings").textContent`), "rope makers")
	require.Eventually(t, func() bool {
		return ask(`document.querySelector("button[type=button]")?.textContent ?? ""`) == "Calendar"
	}, chromiumtest.Patience, 50*time.Millisecond, "the bundle has bound the form")
	send := func(form, says string, typed ...[2]string) {
		t.Helper()
		for _, typed := range typed {
			ask(`String(document.querySelector("[data-leanwicket=` + form + `] [name=` + typed[0] + `]").focus())`)
			require.NoError(t, chromedp.Do(page, chromedp.KeyEvent(typed[1])))
		}
		require.NoError(t, chromedp.Do(page, chromedp.Click(chromedp.CSS("[data-leanwicket="+form+"] [name=leanwicket-button]"))))
		require.Eventually(t, func() bool { return strings.Contains(ask("document.body.innerText"), says) }, chromiumtest.Patience, 50*time.Millisecond, says)
	}
	twice := `[...document.querySelectorAll("[id]")].map(e => e.id).filter((id, k, all) => all.indexOf(id) < k).join(" ")`
	for _, address := range []string{"http://127.0.0.1:8723/", "http://127.0.0.1:8723/questions"} {
		require.NoError(t, chromedp.Do(page, chromedp.Navigate(address)))
		require.Eventually(t, func() bool {
			return ask(`String(document.querySelectorAll("form[data-leanwicket-state]").length)`) == "2"
		}, chromiumtest.Patience, 50*time.Millisecond, "the bundle has bound both forms")
		send("hire", "The rope makers meet on that evening.", [2]string{"name", "Bo"}, [2]string{"evening", "2031-05-02"}, [2]string{"guests", "40"})
		require.Equal(t, "idle", ask(`document.querySelector("[data-leanwicket=question]").dataset.leanwicketState`))
		send("question", "We answer within a day.", [2]string{"name", "Bo"}, [2]string{"question", "Is there a piano?"})
		require.Equal(t, "refused", ask(`document.querySelector("[data-leanwicket=hire]").dataset.leanwicketState`))
		require.Equal(t, "Bo", ask(`document.querySelector("[data-leanwicket=hire] [name=name]").value`), "the other form keeps what was typed")
		require.Empty(t, ask(twice), "ids that two elements have")
		ask(`String(leanwicket.tell(document.querySelector("[data-leanwicket=hire]"), "discard"))`)
	}
	require.Contains(t, ask("document.body.innerText"), "Signed in as Ada Fenwick")
}

// Two processes book over one database: ten boats that ask both at once have one slip each,
// the eleventh is refused the day that is taken, and after a restart every repeat gets the first
// answer.
func TestTwoProcesses(t *testing.T) {
	if testing.Short() {
		t.Skip("-short: no program is built")
	}
	t.Setenv("DATABASE_URL", database.Postgres(t))
	sites := []string{"http://127.0.0.1:8724/", "http://127.0.0.1:8725/"}
	kill := start(t, "slips", sites[0])
	start(t, "slips", sites[1], "127.0.0.1:8725")
	book := func(site, key, day string) string {
		request, err := http.NewRequest(http.MethodPost, site, strings.NewReader(`{"vessel": "Tern", "day": "`+day+`"}`))
		require.NoError(t, err)
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Idempotency-Key", key)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			return err.Error()
		}
		defer response.Body.Close()
		body, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return fmt.Sprint(response.StatusCode, " ", string(body))
	}
	var both sync.WaitGroup
	answers := [2][10]string{}
	for s, site := range sites {
		both.Go(func() {
			for k := range 10 {
				answers[s][k] = book(site, fmt.Sprint("boat-", k), fmt.Sprintf("2031-05-%02d", k+1))
			}
		})
	}
	both.Wait()
	require.Equal(t, answers[0], answers[1])
	for _, answer := range answers[0] {
		require.Contains(t, answer, `201 {"number":`)
	}
	taken := book(sites[1], "boat-10", "2031-05-10")
	require.Contains(t, taken, "422")
	require.Contains(t, taken, "The slipway is taken on that day.")
	kill()
	start(t, "slips", sites[0])
	for k := range 10 {
		require.Equal(t, answers[0][k], book(sites[0], fmt.Sprint("boat-", k), fmt.Sprintf("2031-05-%02d", k+1)))
	}
	require.Equal(t, taken, book(sites[0], "boat-10", "2031-05-10"))
}
