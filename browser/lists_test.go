//go:build !js

package browser_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	cdpinput "github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger/memory"
)

const listsForm = `form: reach
schema:
  properties:
    name: {type: string}
    phones: {type: array, maxItems: 100, items: {type: string, minLength: 3}}
    crew: {type: array, items: {properties: {name: {type: string}, address: {properties: {town: {type: string}}}}}}
fields: {name: {label: Name}, phones: {label: Phones}, crew: {label: Crew}, crew/*/name: {label: Called}, crew/*/address/town: {label: Town}}
submit: {url: /page, method: POST, whileSending: edit}
`

// enter presses Enter as a keyboard does: what is prevented when the key goes down makes no character.
func (b *tab) enter() {
	for _, kind := range []cdpinput.DispatchKeyEventType{"keyDown", "keyUp"} {
		_, err := chromedp.Call(b.ctx, cdpinput.DispatchKeyEvent, cdpinput.DispatchKeyEventParams{Type: kind, Key: "Enter", Code: "Enter", Text: "\r", WindowsVirtualKeyCode: 13})
		require.NoError(b.t, err)
	}
}

// Lists in markup, on a served page, and attached: Enter in the last item that holds something adds one and does not submit, items
// go and move, and what is blank is not sent.
func TestLists(t *testing.T) {
	declared, err := form.Read(compiled(t, listsForm))
	require.NoError(t, err)
	for _, how := range []string{"markup", "served", "attached"} {
		t.Run(how, func(t *testing.T) {
			var mu sync.Mutex
			var bodies []string
			sent := func(body []byte) {
				mu.Lock()
				defer mu.Unlock()
				bodies = append(bodies, string(body))
			}
			page, err := formhttp.New(declared, nil, formhttp.Options{
				Script: "/leanwicket/leanwicket.js", Ledger: memory.New(0),
				Submit: func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
					sent(s.Body)
					if strings.Contains(string(s.Body), "555") {
						return formhttp.Answer{}, formhttp.Wrong{"phones/1": "Is not in service."}
					}
					return formhttp.Created("/reach/1"), nil
				},
			})
			require.NoError(t, err)
			b := scriptPage(t, listsForm, func(w http.ResponseWriter, r *http.Request) {
				switch {
				case how == "served" && strings.HasPrefix(r.URL.Path, "/page"):
					page.ServeHTTP(w, r)
				case r.Method == http.MethodPost:
					body, _ := io.ReadAll(r.Body)
					sent(body)
					if strings.Contains(string(body), "555") {
						w.WriteHeader(http.StatusUnprocessableEntity)
						fmt.Fprint(w, `{"errors": {"phones/1": ["Is not in service."]}}`)
						return
					}
					w.WriteHeader(http.StatusCreated)
				default:
					w.Header().Set("Content-Type", "text/html")
					fmt.Fprint(w, `<!doctype html><title>Reach</title>`)
					if how == "markup" {
						fmt.Fprint(w, `<script src="/leanwicket/leanwicket.js" defer></script><form data-leanwicket-form="/f.form" method="post"><input name="name">
<ul data-leanwicket-rows="phones"><template><li><input name="phones/*"><button name="leanwicket-move" value="phones/*">Up</button><button name="leanwicket-remove" value="phones/*">Remove</button></li></template></ul><button name="leanwicket-add" value="phones">Add</button>
<ul data-leanwicket-rows="crew"><template><li><input name="crew/*/name"><input name="crew/*/address/town"></li></template></ul><button name="leanwicket-add" value="crew">Add</button><button>Send</button></form>`)
					}
				}
			})
			if how == "attached" {
				b.js(`import("/testdata/attached.js").then(async ({ draw }) => { globalThis.d = await draw({ keep: { hours: 0 } }, { wait: -1 }); globalThis.s = d.session })`)
			} else {
				b.open("/page")
				b.js(`(globalThis.s = leanwicket.session(document.forms[0]), 0)`)
			}
			focused := func(name string) { b.becomes(name, `document.activeElement.name`) }
			const shown = `[...document.forms[0].elements].filter(c => /^phones\/\d+$/.test(c.name)).map(c => c.value).join()`
			b.js(`document.querySelector("[name=leanwicket-add][value=phones]").click()`)
			focused("phones/0")
			for k, phone := range []string{"111", "222", "333"} {
				b.do(chromedp.KeyEvent(phone))
				b.enter()
				focused(fmt.Sprintf("phones/%d", k+1))
			}
			require.Equal(t, "111,222,333,", b.js(shown))
			b.js(`document.querySelector("[name=leanwicket-move][value^='phones/2']").click()`)
			b.becomes("111,333,222,", shown)
			b.js(`document.querySelector("[name=leanwicket-remove][value='phones/0']").click()`)
			b.becomes("333,222,", shown)
			b.js(`document.querySelector("[name=leanwicket-add][value=crew]").click()`)
			focused("crew/0/name")
			b.js(`document.querySelector("[name='crew/0/address/town']").focus()`)
			b.do(chromedp.KeyEvent("Tarn"))
			b.js(`(c => (c.focus(), c.select()))(document.querySelector("[name='phones/0']"))`)
			b.do(chromedp.KeyEvent("\b"))
			b.js(`document.querySelector("[name='phones/2']").focus()`)
			b.do(chromedp.KeyEvent("555"))
			require.Empty(t, bodies)
			b.js(`document.querySelector("[name='name']").focus()`)
			b.enter()
			b.becomes("refused", `s.snapshot.submission`)
			require.JSONEq(t, `{"phones":["222","555"],"crew":[{"address":{"town":"Tarn"}}]}`, bodies[0])
			require.Equal(t, "Is not in service.", b.js(`s.field("phones/2").issues[0].text`))
			focused("phones/2")
			b.js(`document.activeElement.select()`)
			b.do(chromedp.KeyEvent("444"))
			b.js(`document.querySelector("[name='name']").focus()`)
			b.enter()
			b.becomes("accepted", `s.snapshot.submission`)
			require.JSONEq(t, `{"phones":["222","444"],"crew":[{"address":{"town":"Tarn"}}]}`, bodies[1])
			require.Equal(t, "222,444", b.js(shown))
			var values map[string]any
			require.NoError(t, json.Unmarshal([]byte(b.js(`JSON.stringify(s.values)`)), &values))
			require.Equal(t, []any{"222", "444"}, values["phones"])
		})
	}
}
