//go:build !js

package browser_test

import (
	"fmt"
	"strconv"
	"testing"
	"time"

	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

const state = `document.forms[0].dataset.leanwicketState`

// One application, from the first letter to the receipt.
func TestOneApplication(t *testing.T) {
	b := openTab(t)
	b.open("/forms/mooring")
	b.becomes("Egret", `document.forms[0].elements["vessel/name"].value`)
	b.do(chromedp.Click(chromedp.CSS(".leanwicket-form > .leanwicket-buttons button")))
	b.becomes("false", `document.getElementById("leanwicket-summary").hidden`)
	require.Equal(t, "arrival", b.js(`document.activeElement.name`))
	b.typeIn("arrival", "2031-05-02")
	b.typeIn("departure", "2031-05-09")
	b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)), chromedp.Click(chromedp.CSS(".leanwicket-form > .leanwicket-buttons button")))
	b.becomes("accepted", state)
	require.Equal(t, "Your application has been received.", b.js(said))
}

const (
	said   = `document.querySelector("#leanwicket-notice [role=status] span")?.firstChild.data || ""` // without the link
	urgent = `[...document.querySelectorAll("#leanwicket-notice [role=alert], #leanwicket-summary [role=alert]")].map(e => e.textContent).join("")`
)

// Two clicks, as fast as the browser makes them, are one permit.
func TestTwoClicks(t *testing.T) {
	b := openTab(t)
	for k := 1; k <= 3; k++ {
		b.fill()
		b.js(`(globalThis.clicks = [], document.addEventListener("click", e => clicks.push(e.timeStamp), true))`)
		click := chromedp.Click(chromedp.CSS(".leanwicket-form > .leanwicket-buttons button"))
		b.do(click, click)
		b.becomes("accepted", state)
		t.Log("ms between the clicks: ", b.js(`clicks.length === 2 ? clicks[1] - clicks[0] : "not two"`))
		require.Equal(t, strconv.Itoa(k), b.permits())
		b.becomes("0", "localStorage.length") // a page that is left before it has shown the acceptance leaves its attempt to the next one
	}
}

// A load that arrives late spares what was typed meanwhile.
func TestSlowLoadOverTyping(t *testing.T) {
	b := openTab(t)
	b.panel("load-delay", "1500ms") // of the page, and then of its load
	b.open("/forms/mooring")
	b.js(`document.forms[0].elements["vessel/name"].select()`)
	b.typeIn("vessel/name", "Heron")
	require.Equal(t, "loading", b.js(`document.forms[0].dataset.leanwicketPrefill`))
	b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
	require.Equal(t, "Heron", b.js(`document.forms[0].elements["vessel/name"].value`))
	require.Equal(t, "9.4", b.js(`document.forms[0].elements["vessel/length"].value`))
}

// Rows that a load brings stand before the one that is typed in: the focus goes with it,
// and the rest of the word with the focus.
func TestRowsBeforeTheOneThatIsTypedIn(t *testing.T) {
	b := openTab(t)
	b.panel("load-delay", "1500ms")
	b.open("/forms/plan")
	b.do(chromedp.Click(chromedp.CSS(`button[name="leanwicket-add"]`)))
	require.Equal(t, "loading", b.js(`document.forms[0].dataset.leanwicketPrefill`))
	b.do(chromedp.KeyEvent("Hern"), chromedp.KeyEvent(kb.ArrowLeft))
	b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
	last := `[...document.querySelectorAll("[name^='stays/'][name$='/vessel']")].at(-1)`
	require.Equal(t, "true", b.js(last+`.name !== "stays/0/vessel"`), "the plan has stays")
	b.do(chromedp.KeyEvent("o"))
	require.Equal(t, "Heron", b.js(last+".value"))
	require.Equal(t, "true false", b.js(`(document.activeElement === `+last+`) + " " + leanwicket.session(document.forms[0]).field("stays/0/vessel").touched`))
}

// A reply that is lost leaves the outcome open, and the retry finds the first
// one's permit.
func TestLostReply(t *testing.T) {
	b := openTab(t)
	b.fill()
	b.panel("submit-does", "lost reply") // until it is turned off: the browser itself tries a broken connection once more
	b.apply()
	b.becomes("unsettled", state)
	b.panel("usual", "")
	require.Contains(t, b.js(urgent), "It is not known whether your answers have arrived")
	b.apply()
	b.becomes("accepted", state)
	require.Equal(t, "1", b.permits())
}

// What the office refuses stands at its field, which has the focus; it goes when
// the field is edited.
func TestRefused(t *testing.T) {
	b := openTab(t)
	b.fill()
	b.typeIn("berth", "A1")
	b.apply()
	b.becomes("refused", state)
	require.Equal(t, "berth", b.js(`document.activeElement.name`))
	require.Equal(t, "Berth A1 takes vessels of up to 8 m.", b.js(`document.getElementById("leanwicket-berth-issues").textContent`))
	require.Equal(t, "true leanwicket-berth-issues", b.js(`document.activeElement.getAttribute("aria-invalid") + " " + document.activeElement.getAttribute("aria-describedby").split(" ").pop()`))
	b.do(chromedp.SendKeys(chromedp.CSS(`[name="berth"]`), "\b3"))
	b.becomes("true", `document.getElementById("leanwicket-berth-issues").hidden`)
	b.apply()
	b.becomes("accepted", state)
}

// A page that is closed while it sends, and opened again, settles the old attempt
// instead of sending a second application.
func TestClosedWhileSending(t *testing.T) {
	b := openTab(t)
	b.fill()
	b.panel("submit-delay", "1s", "submit-times", "1")
	b.apply()
	b.becomes("sending", state)
	b.accept.Store(true)
	b.open("/forms/mooring")
	require.EqualValues(t, 1, b.asked.Load())
	b.becomes("unsettled", state)
	require.Equal(t, "2031-05-02", b.js(`document.forms[0].elements.arrival.value`))
	b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
	b.apply()
	b.becomes("accepted", state)
	require.Equal(t, "1", b.permits())
	b.becomes("0", `localStorage.length`) // it was shown for a moment
	b.open("/forms/mooring")
	require.Equal(t, "idle", b.js(state), "after the acceptance nothing is kept")
	require.EqualValues(t, 1, b.asked.Load())
}

// Rows are added, filled, moved up and removed.
func TestRows(t *testing.T) {
	b := openTab(t)
	b.open("/forms/pilot")
	add := chromedp.Click(chromedp.CSS(`button[name="leanwicket-add"]`))
	b.do(add, add)
	b.typeIn("crew/0/name", "Ada")
	b.typeIn("crew/1/name", "Ben")
	b.do(chromedp.Click(chromedp.CSS(`button[name="leanwicket-move"][value="crew/1"]`)))
	require.Equal(t, "Ben Ada 1", b.js(`["crew/0/name", "crew/1/name"].map(n => document.forms[0].elements[n].value).join(" ") + " " + document.querySelectorAll("[name=leanwicket-move]").length`))
	b.do(chromedp.Click(chromedp.CSS(`button[name="leanwicket-remove"][value="crew/1"]`)))
	require.Equal(t, "Ben 1", b.js(`document.forms[0].elements["crew/0/name"].value + " " + document.querySelectorAll(".leanwicket-row").length`))
	b.typeIn("slot", "09:30")
	b.apply()
	b.becomes("accepted", state)
}

// Ten rows that are typed are ten rows in the database.
func TestTenRows(t *testing.T) {
	b := openTab(t)
	b.open("/forms/regatta")
	for k := range 10 {
		if k > 0 {
			b.do(chromedp.Click(chromedp.CSS(`button[name="leanwicket-add"][value="boats"]`)))
		}
		b.empty(fmt.Sprintf("boats/%d/name", k))
		b.typeIn(fmt.Sprintf("boats/%d/name", k), fmt.Sprintf("Gull %d", k))
	}
	b.apply()
	b.becomes("accepted", state)
	var count int
	var last string
	b.stored(`SELECT json_array_length(body, '$.boats'), json_extract(body, '$.boats[9].name') FROM bookings`, &count, &last)
	require.Equal(t, 10, count)
	require.Equal(t, "Gull 9", last)
}

// A page that is reloaded in the middle of its rows is the page that was left.
func TestReloadedRows(t *testing.T) {
	b := openTab(t)
	b.accept.Store(true)
	b.open("/forms/plan")
	b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
	b.typeIn("stays/0/vessel", "s") // in a row that is as saved: it waits for the load that brings the row
	b.open("/forms/plan")
	b.becomes("Egrets", `document.forms[0].elements["stays/0/vessel"]?.value`)
	b.empty("stays/0/vessel")
	b.typeIn("stays/0/vessel", "Egret")
	b.do(chromedp.Click(chromedp.CSS(`button[name="leanwicket-add"][value="stays"]`)))
	b.typeIn("stays/1/vessel", "Heron")
	shown := `["stays/0/vessel", "stays/0/amperage", "stays/1/vessel"].map(n => document.forms[0].elements[n]?.value).join(" ")`
	require.Equal(t, "Egret 16 Heron", b.js(shown))
	for range 2 {
		b.open("/forms/plan")
		b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
		b.becomes("Egret 16 Heron", shown)
	}
	b.empty("stays/1/vessel")
	b.typeIn("stays/1/vessel", "Tern")
	b.apply()
	b.becomes("accepted", state)
	var vessels string
	b.stored(`SELECT group_concat(json_extract(value, '$.vessel'), ' ') FROM records, json_each(body, '$.stays')`, &vessels)
	require.Equal(t, "Egret Tern", vessels)
}

// The browser asks exactly when something would be lost, and the page asks about
// links itself.
func TestLeaving(t *testing.T) {
	b := openTab(t)
	slots := 0
	book := func(b *tab) {
		slots++
		b.typeIn("slot", fmt.Sprintf("%02d:%02d", 6+slots/4, slots%4*15))
		b.apply()
		b.becomes("accepted", state)
	}
	away := chromedp.Click(chromedp.CSS("#away"))
	// Each way of leaving reports whether somebody was asked.
	ways := map[string]func(b *tab) bool{
		"reload": func(b *tab) bool {
			b.js(`document.marked = true`)
			_, err := chromedp.Call(b.ctx, cdppage.Reload, cdppage.ReloadParams{})
			require.NoError(t, err)
			b.becomes("true", `document.forms[0]?.dataset.leanwicketReady !== undefined && document.marked === undefined`)
			return b.asked.Load() > 0
		},
		"close": func(b *tab) bool {
			_, _ = chromedp.Call(b.ctx, cdppage.Close, chromedp.Void{})
			require.Eventually(t, func() bool { _, err := b.ask("1"); return err != nil }, chromiumtest.Patience, 20*time.Millisecond, "the page does not close")
			return b.asked.Load() > 0
		},
		"link": func(b *tab) bool {
			b.js(`(() => { const a = document.createElement("a"); a.href = "/"; a.id = "away"; a.textContent = "Office"; document.body.prepend(a) })()`)
			b.do(away)
			b.becomes("true", `location.pathname === "/" || document.querySelector("dialog")?.open === true`)
			asked := b.js(`location.pathname`) != "/"
			if asked {
				b.do(chromedp.Click(chromedp.CSS("dialog button[value=stay]")))
				b.becomes("false", `document.querySelector("dialog").open`)
				b.do(away, chromedp.Click(chromedp.CSS("dialog button[value=discard]")))
				b.becomes("/", "location.pathname")
			}
			require.EqualValues(t, 0, b.asked.Load(), "who has answered is not asked again by the browser")
			return asked
		},
	}
	for _, c := range []struct {
		name string
		do   func(b *tab)
		asks bool
	}{
		{"nothing typed", func(*tab) {}, false},
		{"typed", func(b *tab) { b.typeIn("slot", "09:3") }, true},
		{"typed and reset", func(b *tab) { b.typeIn("slot", "09:3"); b.js(`leanwicket.tell(document.forms[0], "reset")`) }, false},
		{"typed and taken back", func(b *tab) { b.typeIn("slot", "0"); b.typeIn("slot", "\b") }, false},
		{"sent", book, false},
		{"sent, and typed since", func(b *tab) { book(b); b.typeIn("notes", "Two dogs") }, true},
	} {
		for way, asks := range ways {
			other := b.another()
			other.accept.Store(true)
			other.open("/forms/pilot")
			c.do(other)
			require.Equal(t, c.asks, asks(other), "%s, %s", c.name, way)
		}
	}
}

// If the core ends, the page works as it did before.
func TestWithoutTheCore(t *testing.T) {
	b := openTab(t)
	// After breaks() the next call of the core is for a session that it does not have.
	_, err := chromedp.Call(b.ctx, cdppage.AddScriptToEvaluateOnNewDocument, cdppage.AddScriptToEvaluateOnNewDocumentParams{Source: `
		let broken = false
		globalThis.breaks = () => { broken = true; leanwicket.tell(document.forms[0], "cancel") }
		const instantiate = WebAssembly.instantiateStreaming
		WebAssembly.instantiateStreaming = async (...all) => {
			const { exports } = (await instantiate.apply(WebAssembly, all)).instance
			return { instance: { exports: { ...exports, call: (page, now) => exports.call(broken ? 99 : page, now) } } }
		}`})
	require.NoError(t, err)
	b.fill()
	b.broken.Store(true)
	b.js(`(() => { globalThis.told = []; const error = console.error; console.error = (...all) => { told.push(all.join(" ")); error(...all) } })()`)
	b.js(`breaks()`)
	b.becomes("true", `document.forms[0].dataset.leanwicketFailed !== undefined`)
	b.becomes("true", `told.some(text => /^leanwicket: the core has failed in .*browser.entry.call, browser.entry.door_wasm.go:\d+/.test(text))`)
	// Bound anew it lives, with another core.
	b.js(`void (broken = false)`)
	b.js(`leanwicket.bind(document.forms[0]).then(() => "")`)
	require.Equal(t, "idle true", b.js(`leanwicket.state(document.forms[0]) + " " + (document.forms[0].dataset.leanwicketReady !== undefined)`))
	b.becomes("2031-05-02", value("arrival"))
	b.js(`breaks()`)
	b.apply()
	b.becomes("#leanwicket-notice", "location.hash")
	require.Equal(t, "1", b.permits())
}
