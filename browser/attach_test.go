//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	cdpheap "github.com/chromedp/cdproto/heapprofiler"
	cdpinput "github.com/chromedp/cdproto/input"
	cdpmemory "github.com/chromedp/cdproto/memory"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

const attachedForm = `form: locker
schema:
  properties:
    keeper: {type: string, minLength: 3}
    keys: {type: integer, minimum: 1}
    lit: {type: boolean}
    side: {enum: [east, west]}
    days: {type: array, uniqueItems: true, items: {enum: [mon, tue, wed]}}
    tools: {type: array, items: {properties: {name: {type: string}, count: {type: integer}}, required: [name]}}
  required: [keeper]
fields: {keeper: {check: {url: "/keepers/{value}", delay: 0ms}}}
prefill: {url: /locker, ifEdited: ask}
submit: {url: /locker, method: PUT, whileSending: edit}
`

// attachedPage is a page with a form that is drawn by a script and attached to its session s.
func attachedPage(t *testing.T, how string, more http.HandlerFunc) *tab {
	b := scriptPage(t, attachedForm, more)
	b.accept.Store(true)
	b.js(`import("/testdata/attached.js").then(async ({ draw }) => { globalThis.draw = draw; globalThis.d = await draw({ keep: { hours: 0 } }, ` + how + `); globalThis.s = d.session; globalThis.q = name => d.root.querySelector('[name="' + name + '"]') })`)
	return b
}

func locker(w http.ResponseWriter, r *http.Request) {
	switch {
	case r.URL.Path == "/locker" && r.Method == "GET":
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"keeper":"Ada","keys":2,"lit":true,"side":"west","days":["mon","wed"],"tools":[{"name":"a","count":1},{"name":"b","count":2},{"name":"c"}]}`)
	case strings.HasPrefix(r.URL.Path, "/keepers/"):
		w.WriteHeader(http.StatusNoContent)
	default:
		w.WriteHeader(http.StatusNoContent)
	}
}

// What the session says is written into the controls, and what happens to them is told to it, however they are drawn:
// with rows by key or by place, at once or later, in a shadow root, outside of the form, and connected after all.
func TestAttachedControls(t *testing.T) {
	for _, how := range []string{
		"{}", "{ keyed: false }", "{ wait: -1 }", "{ wait: 40 }", "{ wait: 40, keyed: false }", "{ shadow: true }", "{ shadow: true, outside: true }",
		"{ outside: true, wait: -1 }", "{ late: 50 }", "{ late: 50, shadow: true, outside: true }",
	} {
		t.Run(how, func(t *testing.T) {
			b := attachedPage(t, how, locker)
			const shown = `(() => [...d.root.querySelectorAll("input")].map(c => c.name + "=" + (c.type === "text" ? c.value : c.checked ? c.value : "")).filter(text => !text.endsWith("=")).join(" "))()`
			b.becomes("keeper=Ada keys=2 lit=true side=west days=mon days=wed tools/0/name=a tools/0/count=1 tools/1/name=b tools/1/count=2 tools/2/name=c", shown)
			value := func(path string) string { return b.js(`s.field("` + path + `").raw`) }
			rows := func() string {
				return b.js(`JSON.stringify(s.values.tools)`)
			}
			focus := func(name string) { b.js(`q("` + name + `").focus()`) }
			focus("keeper")
			b.do(chromedp.KeyEvent(" Lovelace"))
			require.Equal(t, "Ada Lovelace", value("keeper"))
			b.js(`q("lit").click()`)
			b.js(`d.root.querySelector("[name=days][value=tue]").click()`)
			b.js(`d.root.querySelector("[name=side][value=east]").click()`)
			require.Equal(t, ",mon\ntue\nwed,east", b.js(`[s.field("lit").raw, s.field("days").raw, s.field("side").raw].join()`))
			// A row goes up and is typed in at once, before its names are written anew; then one in the middle goes.
			b.js(`(() => { const c = q("tools/1/name"); d.root.querySelector("[name=leanwicket-move][value='tools/1']").click(); c.value = "bee"; c.dispatchEvent(new Event("input", { bubbles: true })) })()`)
			b.becomes("0", `(async () => { await new Promise(r => setTimeout(r, 120)); return [...d.root.querySelectorAll("[name^=tools]")].filter(c => c.value !== s.field(c.name).raw).length })()`)
			if strings.Contains(how, "keyed: false") { // the control stands for the place: nobody can tell which was meant
				require.Equal(t, 3, strings.Count(rows(), "name"))
			} else {
				require.JSONEq(t, `[{"name":"bee","count":2},{"name":"a","count":1},{"name":"c"}]`, rows())
			}
			b.js(`(() => { const old = s.snapshot.fields.at(-1).rows.length; d.root.querySelector("[name=leanwicket-remove][value='tools/1']").click(); return old })()`)
			b.becomes("leanwicket-remove tools/1", `(() => { const a = d.root.activeElement ?? document.activeElement; return a?.name + " " + a?.value })()`)
			b.js(`q("leanwicket-add").click()`)
			b.becomes("tools/2/name", `(d.root.activeElement ?? document.activeElement)?.name`)
			b.do(chromedp.KeyEvent("dee"))
			require.Equal(t, "dee", value("tools/2/name"))
			b.becomes("0", `[...d.root.querySelectorAll("[name^=tools]")].filter(c => c.value !== s.field(c.name).raw).length`)
			// What a program fills in without an event is read at the submit.
			b.js(`(q("keys").value = "7", q("lit").checked = true)`)
			focus("keeper")
			b.do(chromedp.KeyEvent("\r"))
			b.becomes("accepted", `s.snapshot.submission`)
			require.Equal(t, "7 true", b.js(`s.field("keys").raw + " " + s.field("lit").raw`))
			b.js(`s.edit("keeper", "Bo")`)
			require.Equal(t, "Bo", b.js(`q("keeper").value`))
			// An end is an end.
			b.js(`d.end()`)
			require.Equal(t, "0 false", b.js(`document.querySelectorAll("[aria-live]").length + " " + s.alive`))
		})
	}
}

// A text that is being composed is not written over, and is told when it is there.
func TestAttachedComposition(t *testing.T) {
	b := attachedPage(t, "{}", locker)
	b.becomes("Ada", `q("keeper").value`)
	b.js(`(q("keeper").value = "", q("keeper").dispatchEvent(new Event("input", { bubbles: true })), q("keeper").focus())`)
	_, err := chromedp.Call(b.ctx, cdpinput.ImeSetComposition, cdpinput.ImeSetCompositionParams{Text: "みな", SelectionStart: 2, SelectionEnd: 2})
	require.NoError(t, err)
	require.Equal(t, "", b.js(`s.field("keeper").raw`))
	b.js(`s.edit("keeper", "elsewhere")`)
	require.Equal(t, "みな", b.js(`q("keeper").value`))
	_, err = chromedp.Call(b.ctx, cdpinput.InsertText, cdpinput.InsertTextParams{Text: "港"})
	require.NoError(t, err)
	b.becomes("港", `s.field("keeper").raw`)
}

// press presses the pointer of a kind on an element, does something meanwhile, and lets go.
func (b *tab) press(kind, element string, meanwhile func()) {
	var x, y float64
	_, err := fmt.Sscan(b.js(`(() => { const e = `+element+`; e.scrollIntoView(); const r = e.getBoundingClientRect(); return (r.x + r.width / 2) + " " + (r.y + r.height / 2) })()`), &x, &y)
	require.NoError(b.t, err)
	if kind == "touch" {
		_, err = chromedp.Call(b.ctx, cdpinput.DispatchTouchEvent, cdpinput.DispatchTouchEventParams{Type: "touchStart", TouchPoints: []*cdpinput.TouchPoint{{X: x, Y: y}}})
		require.NoError(b.t, err)
		meanwhile()
		_, err = chromedp.Call(b.ctx, cdpinput.DispatchTouchEvent, cdpinput.DispatchTouchEventParams{Type: "touchEnd", TouchPoints: []*cdpinput.TouchPoint{}})
		require.NoError(b.t, err)
		return
	}
	for _, what := range []cdpinput.DispatchMouseEventType{"mousePressed", "mouseReleased"} {
		_, err = chromedp.Call(b.ctx, cdpinput.DispatchMouseEvent, cdpinput.DispatchMouseEventParams{Type: what, X: x, Y: y, Button: "left", ClickCount: 1, PointerType: cdpinput.DispatchMouseEventPointerType(kind)})
		require.NoError(b.t, err)
		if what == "mousePressed" {
			meanwhile()
		}
	}
}

// A click is not lost, though leaving the field shows an issue that shifts the button away, and the answer of a check and a load
// arrive while the pointer is pressed.
func TestNoClickIsLost(t *testing.T) {
	for _, kind := range []string{"mouse", "pen", "touch"} {
		t.Run(kind, func(t *testing.T) {
			for _, meanwhile := range []string{"an issue", "a check", "a load"} {
				held := make(chan struct{})
				b := attachedPage(t, "{ wait: -1 }", func(w http.ResponseWriter, r *http.Request) {
					isCheck := strings.HasPrefix(r.URL.Path, "/keepers/B")
					if isCheck || r.URL.Path == "/locker" && r.URL.RawQuery == "" && r.Method == "GET" && meanwhile == "a load" {
						<-held
					}
					if isCheck {
						w.WriteHeader(http.StatusUnprocessableEntity)
						fmt.Fprint(w, `{"message": "Is away, and this takes a line of its own."}`)
						return
					}
					locker(w, r)
				})
				if meanwhile != "a load" {
					b.becomes("ready", `s.snapshot.prefill`)
				}
				b.js(`(globalThis.clicks = 0, d.form.addEventListener("click", e => { if (e.target.textContent === "Send") clicks++ }), globalThis.drawnAt = [], s.observe(() => drawnAt.push(clicks)))`)
				typed := "B"
				if meanwhile != "an issue" {
					typed = "Bo Tarn"
				}
				b.js(`q("keeper").select()`)
				b.js(`q("keeper").focus()`)
				b.do(chromedp.KeyEvent(typed))
				b.js(`drawnAt.length = 0`)
				b.press(kind, `[...d.form.querySelectorAll("button")].at(-1)`, func() {
					close(held)
					time.Sleep(150 * time.Millisecond) // what was held arrives
					require.Equal(t, "", b.js(`drawnAt.join()`), "%s: nothing is drawn under the pressed pointer", meanwhile)
				})
				b.becomes("1", "clicks")
				b.becomes("true", `drawnAt.length > 0 && drawnAt.every(n => n === 1)`)
				b.becomes("true", `s.field("keeper").touched || s.snapshot.submission !== "idle"`)
			}
		})
	}
}

// The second click of a double click is not given to a button that has taken the place of the first, nor to the same button where
// another row has come to it.
func TestTheSecondClickIsNoOther(t *testing.T) {
	for _, how := range []string{"{ wait: -1 }", "{ wait: -1, keyed: false }"} {
		b := attachedPage(t, how, locker)
		b.becomes("ready", `s.snapshot.prefill`)
		b.js(`(() => { const at = n => d.root.querySelectorAll("[name=leanwicket-remove]")[n], click = (e, detail) => e.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, detail })); click(at(0), 1); setTimeout(() => click(at(0), 2), 30) })()`)
		b.js(`new Promise(r => setTimeout(r, 150))`)
		require.Equal(t, `[{"name":"b","count":2},{"name":"c"}]`, b.js(`JSON.stringify(s.values.tools)`))
	}
	b := scriptPage(t, attachedForm, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/page" {
			locker(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, `<!doctype html><title>Locker</title><script src="/leanwicket/leanwicket.js" defer></script><form data-leanwicket-form="/f.form" method="post">
<input name="keeper"><div data-leanwicket-rows="tools"><template><p><input name="tools/*/name"><button name="leanwicket-remove" value="tools/*">Remove</button></p></template></div><button name="leanwicket-add" value="tools">Add</button><button>Send</button></form>`)
	})
	b.open("/page")
	b.becomes("3", `document.querySelectorAll("[name=leanwicket-remove]").length`)
	for _, button := range []string{"add", "remove"} { // two more rows are wanted
		for _, detail := range []string{"1", "2"} {
			b.js(`document.querySelector("[name=leanwicket-` + button + `]").dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, detail: ` + detail + ` }))`)
		}
	}
	require.Equal(t, "b,c,,", b.js(`[...document.querySelectorAll("[name$='/name']")].map(c => c.value).join()`))
}

// Who is drawn, taken away and drawn again at once leaves nothing behind.
func TestMountedAgainAndAgain(t *testing.T) {
	b := attachedPage(t, "{}", locker)
	b.becomes("ready", `s.snapshot.prefill`)
	b.js(`(d.end(), 0)`)
	again := func(times int) {
		b.js(fmt.Sprintf(`(async () => { for (let k = 0; k < %d; k++) {
			const first = draw({ keep: { hours: 0 } }, { wait: -1 })
			const [a, z] = await Promise.all([first, draw({ keep: { hours: 0 } }, { wait: -1 })])
			a.end()
			z.end()
		} })()`, times))
	}
	counts := func() (n string) {
		b.js(`new Promise(r => setTimeout(r, 50))`)
		_, err := chromedp.Call(b.ctx, cdpheap.CollectGarbage, cdp.Empty{})
		require.NoError(t, err)
		found, err := chromedp.Call(b.ctx, cdpmemory.GetDOMCounters, cdp.Empty{})
		require.NoError(t, err)
		return fmt.Sprintf("%d nodes, %d listeners", found.Nodes, found.JsEventListeners)
	}
	again(5)
	before := counts()
	again(100)
	require.Equal(t, before, counts())
}

// A form that was on the page before its script keeps what was typed meanwhile, and shows the rest as it is saved.
func TestTypedBeforeItWasAttached(t *testing.T) {
	b := scriptPage(t, attachedForm, locker)
	b.js(`document.body.insertAdjacentHTML("beforeend", '<form><input name="keeper" value="Ada"><input name="keys" value="1"><input type="checkbox" name="lit" value="true"><button>Send</button></form>')`)
	b.js(`(c => (c.focus(), c.setSelectionRange(3, 3)))(document.forms[0].elements.keeper)`)
	b.do(chromedp.KeyEvent(" Lovelace"))
	b.js(`import("/leanwicket/leanwicket.attach.mjs").then(async ({ openForm }) => {
		globalThis.s = await openForm("/f.form", { keep: { hours: 0 }, record: { values: { keeper: "Ada", keys: 2, lit: true } } })
		s.attach(document.forms[0])
	})`)
	b.becomes("ready", "s.snapshot.prefill")
	b.becomes("Ada Lovelace 2 true", `[...document.forms[0].elements].slice(0, 2).map(c => c.value).join(" ") + " " + document.forms[0].elements.lit.checked`)
	require.Equal(t, "Ada Lovelace", b.js(`s.field("keeper").raw`))
	b.do(chromedp.KeyEvent("!"))
	require.Equal(t, "Ada Lovelace!", b.js(`s.field("keeper").raw`))
}
