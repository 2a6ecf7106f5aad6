//go:build !js

package browser_test

import (
	"fmt"
	"hash/crc32"
	"io"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	cdpheap "github.com/chromedp/cdproto/heapprofiler"
	cdpinput "github.com/chromedp/cdproto/input"
	cdpmemory "github.com/chromedp/cdproto/memory"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/trace"
)

// workshop is a page of somebody's own, with a saved record and what was sent.
type workshop struct {
	*tab
	page, record atomic.Value
	delay        atomic.Int64
	sent         chan string
}

// newWorkshop serves a form at /page, its record at /kilns/7, and takes what is sent there, or natively to /other.
func newWorkshop(t *testing.T, declared, page string) *workshop {
	w := &workshop{sent: make(chan string, 1000)}
	w.page.Store(page)
	w.record.Store(`{}`)
	w.tab = scriptPage(t, declared, func(out http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		switch {
		case r.URL.Path == "/other":
			w.sent <- "natively: " + string(body)
			fmt.Fprint(out, "<title>Other</title>")
		case r.Method != http.MethodGet:
			w.sent <- string(body)
			out.WriteHeader(http.StatusNoContent)
		case r.URL.Path == "/kilns/7":
			time.Sleep(time.Duration(w.delay.Load()))
			out.Header().Set("Content-Type", "application/json")
			record := w.record.Load().(string)
			out.Header().Set("ETag", fmt.Sprintf(`"%x"`, crc32.ChecksumIEEE([]byte(record))))
			fmt.Fprint(out, record)
		case r.URL.Path == "/page":
			out.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(out, `<!doctype html><title>Kiln</title><link rel="icon" href="data:,"><script src="/leanwicket/leanwicket.js" defer></script>`, w.page.Load())
		default:
			fmt.Fprint(out, "<title>Elsewhere</title>")
		}
	})
	return w
}

// sends presses the page's first button, and returns what was sent.
func (w *workshop) sends() string {
	w.js(`document.querySelector("form button:not([name])").click()`)
	return w.came()
}

func (w *workshop) came() string {
	select {
	case text := <-w.sent:
		return text
	case <-time.After(chromiumtest.Patience):
		page, _ := w.ask(`document.body.innerText + leanwicket.trace(document.forms[0])`)
		require.Fail(w.t, "nothing was sent", page)
		return ""
	}
}

const kilnFields = "form: kiln\nschema: {properties: {owner: {type: string, minLength: 2}, clay: {type: string, enum: [red, white, black]}, fired: {type: string, format: date}, heat: {type: integer}, pin: {type: string}, ready: {type: boolean}, pots: {type: array, items: {properties: {name: {type: string}, size: {type: integer}}}}}}\nfields: {pin: {private: true}}\n"

// Values in the markup are the defaults of the opening: they are sent, a reset and a clearing come back to them, and
// they stand in the trace.
func TestValuesInTheMarkup(t *testing.T) {
	declared := kilnFields + "submit: {url: /kilns}\naccepted: {then: clear}\n"
	w := newWorkshop(t, declared, `<form data-leanwicket-form="/f.form" data-leanwicket-keep="off"><input name="owner" value="Ida"><select name="clay"><option>red<option selected>black</select>
<input type="hidden" name="heat" value="900"><input type="password" name="pin" value="4711"><input type="checkbox" name="ready" checked><table data-leanwicket-rows="pots"><tbody>
<tr data-leanwicket-row><td><input name="pots/0/name" value="Bowl"><input name="pots/0/size" value="3"></tr><tr data-leanwicket-row><td><input name="pots/1/name" value="Jug"><input name="pots/1/size" value="big"></tr>
<template><tr><td><input name="pots/*/name" value="Cup"><input name="pots/*/size"></tr></template></tbody></table><button>Fire</button></form>`)
	w.open("/page")
	const shown = `[...document.forms[0].elements].filter(c => c.name).map(c => c.type === "checkbox" ? c.checked : c.value).join()`
	const markup = "Ida,black,900,4711,true,Bowl,3,Jug,big"
	require.Equal(t, markup, w.js(shown))
	require.Equal(t, "false", w.js(`document.forms[0].hasAttribute("data-leanwicket-unsaved")`))
	w.typeIn("owner", "X")
	w.js(`document.forms[0].reset()`)
	require.Equal(t, markup, w.js(shown))
	w.js(`document.querySelector("button").click()`)
	w.becomes("pots/1/size", `document.activeElement.name`) // it cannot be read
	w.js(`leanwicket.tell(document.forms[0], "edit", "pots/1/size", "12")`)
	require.JSONEq(t, `{"owner": "Ida", "clay": "black", "heat": 900, "pin": "4711", "ready": true, "pots": [{"name": "Bowl", "size": 3}, {"name": "Jug", "size": 12}]}`, w.sends())
	w.becomes(markup, shown)

	text := w.js(`leanwicket.trace(document.forms[0])`)
	require.NotContains(t, text, "4711")
	record, err := trace.Read(strings.NewReader(text))
	require.NoError(t, err)
	f, err := form.Read(compiled(t, declared))
	require.NoError(t, err)
	breaches, difference, err := trace.Guarantees(f, record)
	require.NoError(t, err)
	require.Nil(t, difference)
	require.Empty(t, breaches)
}

// What a browser brings back after "back" and after a reload is no edit; what this tab had typed is kept elsewhere.
func TestWhatABrowserBringsBack(t *testing.T) {
	for _, whileLoading := range []string{"edit", "lock"} {
		w := newWorkshop(t, kilnFields+"prefill: {url: /kilns/7, whileLoading: "+whileLoading+"}\nsubmit: {url: /kilns/7, method: PUT}\n", `<form data-leanwicket-form="/f.form" data-leanwicket-keep="off"><input name="owner"><select name="clay"><option>red<option>white<option>black</select><input name="heat" type="number"><input type="checkbox" name="ready"><button>Fire</button></form>`)
		// A page with this is not kept whole to come back to.
		w.page.Store(w.page.Load().(string) + `<script>addEventListener("unload", () => {})</script>`)
		const shown = `[...document.forms[0].elements].filter(c => c.name).map(c => c.type === "checkbox" ? c.checked : c.value).join()`
		for _, way := range []string{"back", "reload"} {
			w.record.Store(`{"owner": "Ida", "clay": "red", "heat": 900}`)
			w.open("/page")
			w.becomes("Ida,red,900,false", shown)
			w.typeIn("owner", "X")
			w.record.Store(`{"owner": "Bo", "clay": "black", "heat": 1000, "ready": true}`) // a colleague's
			w.delay.Store(int64(300 * time.Millisecond))
			w.accept.Store(true)
			w.js(`document.marked = true`)
			if way == "back" {
				w.do(chromedp.Navigate(w.site + "/elsewhere"))
				_, _ = w.ask(`history.back()`) // the page may be gone before it answers
			} else {
				_, err := chromedp.Call(w.ctx, cdppage.Reload, cdppage.ReloadParams{})
				require.NoError(t, err)
			}
			w.becomes("Bo,black,1000,true", `document.marked ? "" : `+shown)
			time.Sleep(100 * time.Millisecond)
			require.Equal(t, "false", w.js(`document.forms[0].hasAttribute("data-leanwicket-unsaved")`), whileLoading+" "+way)
			w.typeIn("owner", "b")
			require.JSONEq(t, `{"owner": "Bob", "clay": "black", "heat": 1000, "ready": true}`, w.sends(), whileLoading+" "+way)
			w.delay.Store(0)
		}
	}
}

// A date or number that is half typed is held, and a reset takes it away.
func TestHalfTyped(t *testing.T) {
	w := newWorkshop(t, kilnFields+"submit: {url: /kilns}\n", `<form data-leanwicket-form="/f.form"><input name="owner" value="Ida"><label>Fired<input type="date" name="fired"></label><label>Heat<input type="number" name="heat"></label><button>Fire</button></form>`)
	w.open("/page")
	w.typeIn("fired", "12")
	w.typeIn("heat", "1e")
	w.js(`document.querySelector("button").click()`)
	w.becomes("fired heat", `[...document.querySelectorAll("[aria-invalid]")].map(c => c.name).join(" ")`)
	w.js(`leanwicket.tell(document.forms[0], "reset")`)
	w.becomes("false false", `["fired", "heat"].map(name => document.forms[0].elements[name].validity.badInput).join(" ")`)
	w.typeIn("fired", "12")
	w.accept.Store(true)
	w.js(`document.activeElement.blur()`)
	w.becomes("true", `document.forms[0].hasAttribute("data-leanwicket-unsaved")`)
	time.Sleep(300 * time.Millisecond) // it is kept
	w.open("/page")
	require.JSONEq(t, `{"owner": "Ida"}`, w.sends(), "no control shows it any more")
}

// A load does not write over what is being composed, nor over what came without an event.
func TestComposedAndSetWithoutEvents(t *testing.T) {
	w := newWorkshop(t, kilnFields+"prefill: {url: /kilns/7}\nsubmit: {url: /kilns/7, method: PUT}\n", `<form data-leanwicket-form="/f.form"><input name="owner"><select name="clay"><option>red<option>white<option>black</select><input name="heat"><input type="hidden" name="pin"><button>Fire</button></form>`)
	w.record.Store(`{"owner": "Ada", "clay": "black", "heat": 900, "pin": "1"}`)
	w.delay.Store(int64(time.Second))
	w.open("/page")
	w.js(`document.forms[0].elements.owner.focus()`)
	_, err := chromedp.Call(w.ctx, cdpinput.ImeSetComposition, cdpinput.ImeSetCompositionParams{Text: "にほ", SelectionStart: 2, SelectionEnd: 2})
	require.NoError(t, err)
	w.js(`document.forms[0].elements.heat.value = "700"`) // as a password manager does
	w.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
	require.Equal(t, "にほ 700 black", w.js(`["owner", "heat", "clay"].map(name => document.forms[0].elements[name].value).join(" ")`))
	_, err = chromedp.Call(w.ctx, cdpinput.InsertText, cdpinput.InsertTextParams{Text: "日本"})
	require.NoError(t, err)
	w.js(`(document.forms[0].elements.clay.value = "white", document.forms[0].elements.pin.value = "2")`)
	require.JSONEq(t, `{"owner": "日本", "heat": 700, "clay": "white", "pin": "2"}`, w.sends())
}

// A submit button that is not declared and says what it is for does that, and the guard asks first.
func TestButtonsOfTheirOwn(t *testing.T) {
	w := newWorkshop(t, kilnFields+"submit: {url: /kilns}\n", `<form data-leanwicket-form="/f.form" data-leanwicket-keep="off" action="/other" method="post"><input name="owner"><button formaction="/other?delete">Delete</button><button name="copy" value="1">Copy</button><button>Fire</button></form>`)
	for k, button := range []string{"[formaction]", "[name=copy]"} {
		w.open("/page")
		w.js(`document.querySelector("` + button + `").click()`)
		require.Equal(t, "natively: "+[]string{"owner=", "owner=&copy=1"}[k], w.came())
		w.becomes("Other", `document.title`)
		w.open("/page")
		w.typeIn("owner", "Ida")
		w.js(`document.querySelector("` + button + `").click()`)
		w.becomes("true", `document.querySelector("dialog").open`)
		w.js(`document.querySelector("dialog [value=stay]").click()`)
		w.becomes("Ida present", `document.forms[0].elements.owner.value + " " + document.forms[0].dataset.leanwicketLeave`)
		w.js(`document.querySelector("` + button + `").click()`)
		w.becomes("true", `document.querySelector("dialog").open`)
		w.js(`document.querySelector("dialog [value=discard]").click()`)
		require.Contains(t, w.came(), "natively: owner=Ida")
		w.becomes("Other", `document.title`)
	}
	w.open("/page")
	w.typeIn("owner", "Ida\r") // Enter means the form's own, whatever stands before it
	require.JSONEq(t, `{"owner": "Ida"}`, w.came())
	w.becomes("accepted", `leanwicket.state(document.forms[0])`) // before that, leaving would be asked about
	w.open("/page")
	w.typeIn("owner", "Bo")
	w.js(`[...document.querySelectorAll("button")].at(-1).click()`)
	require.JSONEq(t, `{"owner": "Bo"}`, w.came())
}

// Fields can be called as the parts of a form are.
func TestFieldsCalledAsPartsOfAForm(t *testing.T) {
	names := []string{
		"elements", "dataset", "before", "after", "querySelector", "querySelectorAll", "contains", "submit", "name", "method", "id", "action", "length", "parentElement", "children", "getRootNode",
		"addEventListener", "requestSubmit", "reset", "closest", "nodeName", "namedItem", "toString", "constructor", "__proto__", "hidden", "title", "noValidate", "dispatchEvent", "getAttribute",
	}
	properties, controls, body := "", "", ""
	for _, name := range names {
		properties += name + ": {type: string}, "
		controls += `<input name="` + name + `" aria-label="` + name + `">`
	}
	w := newWorkshop(t, "form: odd\nschema: {properties: {"+properties+"last: {type: string}}, required: [last]}\nsubmit: {url: /kilns}\n", `<form data-leanwicket-form="/f.form">`+controls+`<input name="last"><button>Fire</button></form>`)
	w.do(chromedp.Navigate(w.site + "/page"))
	w.becomes("true", `document.querySelector("form").hasAttribute("data-leanwicket-ready")`)
	for _, name := range names {
		w.typeIn(name, "to "+name)
		body += `, "` + name + `": "to ` + name + `"`
	}
	w.js(`document.querySelector("button").click()`)
	w.becomes("last", `document.activeElement.name`)
	w.typeIn("last", "x")
	require.JSONEq(t, `{"last": "x"`+body+`}`, w.sends())
}

// A form that is bound and released again and again leaves nothing behind.
func TestNothingIsLeftOfAReleasedForm(t *testing.T) {
	w := newWorkshop(t, kilnFields+"submit: {url: /kilns}\n", `<main></main>`)
	w.do(chromedp.Navigate(w.site + "/page"))
	const mount = `(async () => { for (let k = 0; k < 20; k++) {
		document.querySelector("main").innerHTML = '<form data-leanwicket-form="/f.form"><label>Owner <input name="owner"></label><label>Fired <input name="fired" data-leanwicket-picker="Fired"></label><button>Fire</button></form>'
		await leanwicket.bind(document.forms[0])
		document.forms[0].elements.owner.dispatchEvent(new FocusEvent("focusout", {bubbles: true}))
		leanwicket.tell(document.forms[0], "submit", "submit")
		leanwicket.release(document.forms[0])
		document.querySelector("main").innerHTML = ""
	} })()`
	nodes := func() int64 {
		w.js(mount)
		_, err := chromedp.Call(w.ctx, cdpheap.CollectGarbage, cdp.Empty{})
		require.NoError(t, err)
		counters, err := chromedp.Call(w.ctx, cdpmemory.GetDOMCounters, cdp.Empty{})
		require.NoError(t, err)
		return counters.Nodes
	}
	nodes()
	first := nodes()
	require.LessOrEqual(t, nodes(), first+100, "five nodes for each would be a leak; the newest one may still be there")
}

// Two sessions of one form without names of their own, in one tab, keep the work of each.
func TestTwoSessionsWithoutNames(t *testing.T) {
	w := newWorkshop(t, kilnFields+"submit: {url: /kilns}\n", ``)
	for _, what := range []string{"Ida, Bo", "Ida, Bo"} { // the second time they are brought back
		require.Equal(t, what, w.js(`(async () => {
			const sessions = [await openForm("/f.form"), await openForm("/f.form")]
			sessions.forEach((session, k) => { if (!session.snapshot.draft) session.edit("owner", ["Ida", "Bo"][k]) })
			const shown = sessions.map(session => session.field("owner").raw).join(", ")
			sessions.forEach(session => session.close())
			return shown
		})()`))
		require.Equal(t, "Ida", w.js(`openForm("/f.form").then(session => { const { raw } = session.field("owner"); session.close(); return raw })`), "who comes after them goes on with the first one's")
		w.do(chromedp.Navigate(w.site + "/"))
		w.becomes("function", "typeof openForm")
	}
}

// Where the browser's locks are refused, the form works, and what is typed is kept.
func TestLocksThatAreRefused(t *testing.T) {
	w := newWorkshop(t, kilnFields+"submit: {url: /kilns}\n", `<script>navigator.locks.request = navigator.locks.query = () => Promise.reject(new DOMException("not here", "SecurityError"))</script><form data-leanwicket-form="/f.form"><input name="owner"><button>Fire</button></form>`)
	w.open("/page")
	w.typeIn("owner", "Ida")
	time.Sleep(300 * time.Millisecond)
	w.accept.Store(true)
	w.open("/page")
	require.Equal(t, "Ida", w.js(value("owner")))
	require.JSONEq(t, `{"owner": "Ida"}`, w.sends())
}

// Escape in a dialog with unsaved work asks before it closes.
func TestEscapeInADialog(t *testing.T) {
	w := newWorkshop(t, kilnFields+"submit: {url: /kilns}\n", `<dialog id="outer"><form data-leanwicket-form="/f.form" data-leanwicket-keep="off"><input name="owner"><button>Fire</button></form></dialog><script>addEventListener("load", () => outer.showModal())</script>`)
	w.open("/page")
	const open = `document.getElementById("outer").open + " " + (document.querySelector(".leanwicket-ask")?.open ?? false)`
	escape := func() { w.do(chromedp.KeyEvent("\x1b")) }
	w.typeIn("owner", "Ida")
	escape()
	w.becomes("true true", open)
	escape()
	w.becomes("true false", open)
	require.Equal(t, "Ida", w.js(value("owner")))
	w.typeIn("owner", "X")
	escape()
	w.becomes("true true", open)
	w.js(`document.querySelector(".leanwicket-ask [value=discard]").click()`)
	w.becomes("false false", open)
	w.open("/page")
	w.js(`document.forms[0].elements.owner.focus()`)
	escape()
	w.becomes("false false", open) // nothing would be lost
}

// On a page without a style of its own the helper of a date is not seen, and the two values of what is contested stand apart.
func TestPagesWithoutAStyle(t *testing.T) {
	w := newWorkshop(t, kilnFields+"prefill: {url: /kilns/7, ifEdited: ask}\nsubmit: {url: /kilns/7, method: PUT}\n", `<style>input[type=date] { width: 20em; opacity: 1 }</style><form data-leanwicket-form="/f.form" data-leanwicket-keep="off"><label>Owner <input name="owner"></label><label>Fired <input name="fired" data-leanwicket-picker="Fired"></label><button>Fire</button></form>`)
	w.record.Store(`{"owner": "Ada"}`)
	w.open("/page")
	w.becomes("Ada", value("owner"))
	require.Equal(t, "1 1 0", w.js(`(() => { const date = document.querySelector("input[type=date]"), { width, height } = date.getBoundingClientRect(); return [width, height, getComputedStyle(date).opacity].join(" ") })()`))
	w.typeIn("owner", "X")
	w.record.Store(`{"owner": "Bo"}`)
	w.js(`leanwicket.tell(document.forms[0], "refresh")`)
	w.becomes("Yours\nAdaX\nKeep mine\nSaved meanwhile\nBo\nTake that one", `document.querySelector(".leanwicket-choice")?.innerText.trim()`)
}

// At 400 % the notice never covers the control that has the focus.
func TestTheNoticeCoversNothingAt400Percent(t *testing.T) {
	b := openTab(t)
	b.do(chromedp.EmulateViewport(320, 256, chromedp.EmulateScale(4)))
	for _, name := range []string{"mooring", "pilot", "plan", "regatta", "vessel", "visit", "contact"} {
		b.accept.Store(true)
		b.open("/forms/" + name)
		b.becomes("true", `document.forms[0].dataset.leanwicketPrefill !== "loading"`)
		b.js(`(() => { const c = [...document.forms[0].elements].find(c => c.type === "text" && !c.name.startsWith("leanwicket") && c.checkVisibility()); c.value = "2031-05-02"; c.dispatchEvent(new Event("input", {bubbles: true})) })()`)
		time.Sleep(300 * time.Millisecond)
		b.open("/forms/" + name)
		b.becomes("false", `document.querySelector(".leanwicket-notice").hidden`) // what was typed is back
		require.Equal(t, "", b.js(`(() => {
			const notice = document.querySelector(".leanwicket-notice"), covered = []
			for (const again of [false, true]) for (const c of document.forms[0].elements) {
				if (!c.checkVisibility() || c.tabIndex < 0 || c.disabled || !c.matches("input, select, textarea, button")) continue
				if (again) notice.hidden = true
				c.focus()
				if (again) { // the notice comes when the control has the focus
					notice.hidden = false
					c.dispatchEvent(new Event("focusout", {bubbles: true}))
				}
				const a = c.getBoundingClientRect(), n = notice.getBoundingClientRect()
				if (a.bottom > n.top + 1 && a.top < n.bottom - 1) covered.push(c.name || c.textContent)
			}
			return covered.join()
		})()`), name)
	}
}

// A control that stands in the form itself has no box: while it is not asked it is hidden, with its label, and the form is not.
func TestAControlWithoutABox(t *testing.T) {
	w := newWorkshop(t, "form: kiln\nschema: {properties: {on: {type: boolean}, more: {type: string}}}\nfields: {more: {when: {on: true}}}\nsubmit: {url: /kilns}\n",
		`<form data-leanwicket-form="/f.form" data-leanwicket-keep="off"><input type="checkbox" name="on"><label for="m">More</label><input id="m" name="more"><button>Fire</button></form>`)
	w.open("/page")
	const seen = `[document.forms[0], document.querySelector("label"), document.getElementById("m")].map(e => e.checkVisibility()).join()`
	require.Equal(t, "true,false,false", w.js(seen))
	w.do(chromedp.Click(chromedp.CSS(`[name=on]`)))
	w.becomes("true,true,true", seen)
}
