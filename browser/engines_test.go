//go:build !js

package browser_test

import (
	"fmt"
	"io"
	"net/http"
	"os/exec"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// engine is a browser, and the words that open a page in it: PROFILE stands for an empty profile, and PAGE for the page.
type engine struct {
	name, program string
	arguments     []string
}

func engines(t *testing.T) []engine {
	return []engine{
		{"Chromium", chromiumtest.FindWhole(t), []string{"--headless=new", "--no-sandbox", "--disable-gpu", "--user-data-dir=PROFILE", "PAGE"}},
		{"Firefox", "firefox-esr", []string{"--headless", "--no-remote", "--profile", "PROFILE", "PAGE"}},
	}
}

// The whole job in each of two engines, by a page that does it itself: typed in while the
// load comes, eleven rows, held, sent once by two clicks, lost, settled, refused in the
// eleventh row, accepted, reset.
func TestTheWholeJobInEachEngine(t *testing.T) {
	for _, engine := range engines(t) {
		t.Run(engine.name, func(t *testing.T) {
			program, err := exec.LookPath(engine.program)
			if err != nil {
				t.Skipf("no %s is installed: apt-get install %s, or run ./test", engine.name, engine.program)
			}
			data := compiled(t, "form: salvage\nschema: {properties: {wreck: {type: string}, depth: {type: number, maximum: 90}, divers: {type: array, items: {properties: {name: {type: string, minLength: 2}}, required: [name]}}}, required: [wreck]}\nfields: {wreck: {label: Wreck}, depth: {label: Depth, unit: m}, divers: {label: Divers}, divers/*/name: {label: Name}}\nprefill: {url: /wrecks/7}\nsubmit: {url: /salvages}\n")
			seen := make(chan string, 1)
			keys := make(chan string, 9)
			var sends atomic.Int64
			address := site(t, func() []byte { return data }, func(w http.ResponseWriter, r *http.Request) {
				switch r.URL.Path {
				case "/":
					http.ServeFile(w, r, "testdata/job.html")
				case "/wrecks/7":
					time.Sleep(300 * time.Millisecond)
					fmt.Fprint(w, `{"wreck": "Heron", "depth": 18, "divers": [{"name": "Ada"}]}`)
				case "/salvages":
					keys <- r.Header.Get("Idempotency-Key")
					switch sends.Add(1) {
					case 1:
						w.WriteHeader(500)
					case 2:
						w.WriteHeader(422)
						fmt.Fprint(w, `{"errors": {"divers/10/name": ["Is on leave."]}}`)
					default:
						w.WriteHeader(201)
					}
				case "/seen":
					text, _ := io.ReadAll(r.Body)
					seen <- string(text)
				}
			})
			visit(t, program, engine.arguments, address)
			select {
			case got := <-seen:
				require.Equal(t, strings.Join([]string{
					"loaded: Egret, 18, Ada",
					"held: Not sent: one answer needs your attention., the focus is at divers/10/name",
					"held: Depth: this cannot be read.",
					"lost: It is not known whether your answers have arrived. Sending them again is safe: they are applied once.",
					"refused: Is on leave.",
					"accepted: Your answers have been received.",
					"reset: Cy, unsaved false",
				}, "\n"), got)
			case <-time.After(chromiumtest.Patience):
				require.Fail(t, "the page has told nothing")
			}
			first, again, corrected := <-keys, <-keys, <-keys
			require.Equal(t, first, again)
			require.NotEqual(t, first, corrected)
			require.EqualValues(t, 3, sends.Load())
		})
	}
}
