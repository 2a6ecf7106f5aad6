//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// While somebody types and a reply is lost, the site is deployed with another version of
// the form. The next page has what still fits, shows the rest as text, and says of the
// attempt that its outcome is not known; where only words have changed, it repeats it.
func TestADeployment(t *testing.T) {
	const head = "form: plot\nschema: {properties: {keeper: {type: string}"
	versions := []string{
		head + ", beds: {type: integer}, helpers: {type: array, items: {properties: {name: {type: string}}}}}}\nsubmit: {url: /plots, resend: {times: 0}}\n",
		head + ", beds: {type: integer}, helpers: {type: array, items: {properties: {name: {type: string}}}}}}\ntitle: Plots\nfields: {keeper: {label: Who keeps it}}\nsubmit: {url: /plots, resend: {times: 0}}\n",
		head + ", helpers: {type: array, items: {properties: {name: {type: string}}}}}}\nsubmit: {url: /plots, resend: {times: 0}}\n",
	}
	var forms [][]byte
	for _, text := range versions {
		forms = append(forms, compiled(t, text))
	}
	var version atomic.Int32
	keys := make(chan string, 9)
	address := site(t, func() []byte { return forms[version.Load()] }, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, `<!doctype html><title>Plot</title><script src="/leanwicket/leanwicket.js" defer></script><form data-leanwicket-form="/f.form"><p><label>Keeper <input name=keeper></label></p>`)
			if version.Load() < 2 {
				fmt.Fprint(w, `<p><label>Beds <input name=beds></label></p>`)
			}
			fmt.Fprint(w, `<fieldset id="leanwicket-helpers"><legend>Helpers</legend><template><div class="leanwicket-row"><input name="helpers/*/name" aria-label="Name"></div></template><button name="leanwicket-add" value="helpers">Add</button></fieldset><button>Send</button></form>`)
		case "/plots":
			keys <- r.Header.Get("Idempotency-Key")
			w.WriteHeader(500)
		default:
			http.NotFound(w, r)
		}
	})
	b := &tab{t: t, ctx: chromiumtest.Open(t), site: address}
	b.listen()
	b.broken.Store(true) // a status of 500 is in the console
	b.accept.Store(true)
	state := `document.forms[0].dataset.leanwicketState`
	b.open("/")
	b.typeIn("keeper", "Ann")
	b.typeIn("beds", "11")
	for row := range 11 {
		b.js(`document.querySelector("[name=leanwicket-add]").click()`)
		b.typeIn(fmt.Sprintf("helpers/%d/name", row), fmt.Sprintf("Bo%d", row))
	}
	b.js(`document.querySelector("form > button").click()`)
	b.becomes("unsettled", state)
	key := <-keys

	version.Store(1)
	b.open("/")
	b.becomes("unsettled", state)
	require.Equal(t, "Bo10", b.js(value("helpers/10/name")))
	b.js(`document.querySelector("form > button").click()`)
	require.Equal(t, key, <-keys)
	b.becomes("unsettled", state)

	version.Store(2)
	b.open("/")
	require.Equal(t, "idle", b.js(state))
	require.Equal(t, "Ann Bo10", b.js(value("keeper")+` + " " + `+value("helpers/10/name")))
	notice := b.js(`document.getElementById("leanwicket-notice").innerText`)
	require.Contains(t, notice, "beds: 11")
	require.Contains(t, notice, "One answer that was kept here does not fit the form any more.")
	require.Contains(t, notice, "It is not known whether the answers that you sent earlier have arrived")
}
