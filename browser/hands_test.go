//go:build !js

package browser_test

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	cdpaccessibility "github.com/chromedp/cdproto/accessibility"
	cdpinput "github.com/chromedp/cdproto/input"
	cdpnetwork "github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/trace"
)

// value is what a control holds.
func value(name string) string { return `document.forms[0].elements["` + name + `"].value` }

// empty takes away what a control holds, as an applicant who selects all of it and
// deletes it does. A value that a script sets without an event is read only before the next
// submit or load.
func (b *tab) empty(name string) {
	b.js(`(() => { const c = document.forms[0].elements["` + name + `"]; c.value = ""; c.dispatchEvent(new InputEvent("input", {bubbles: true, inputType: "deleteContent"})) })()`)
}

// What was typed before the script arrived is an edit, which the load spares.
func TestTypedBeforeTheScript(t *testing.T) {
	b := openTab(t)
	b.late.Store(int64(time.Second))
	for form, name := range map[string]string{"mooring": "vessel/name", "vessel": "name"} { // one takes typing while it loads, the other after that
		b.do(chromedp.Navigate(b.site + "/forms/" + form))
		b.empty(name)
		b.typeIn(name, "Heron")
		require.Equal(t, "undefined", b.js(state))
		b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
		require.Equal(t, "Heron", b.js(value(name)))
		require.Equal(t, "true", b.js(`document.forms[0].hasAttribute("data-leanwicket-unsaved")`))
		b.accept.Store(true)
		b.asked.Store(0)
		b.do(chromedp.Navigate(b.site + "/panel"))
		require.EqualValues(t, 1, b.asked.Load(), "it is guarded")
	}
}

// What a control shows by itself is no edit: a list without a selected option, a slider, a colour. What the record
// says stands in it, and nothing else of the record is changed by one edit.
func TestWhatNobodyTouchedIsNoEdit(t *testing.T) {
	var sent atomic.Value
	for _, whileLoading := range []string{"edit", "lock"} {
		b := scriptPage(t, "form: kiln\nschema: {properties: {clay: {type: string, enum: [red, white, black]}, glaze: {type: string, enum: [ash, salt]}, heat: {type: integer}, tint: {type: string}, owner: {type: string}, shelf: {type: string, enum: [low, high]}}}\nprefill: {url: /kilns/7, whileLoading: "+whileLoading+"}\nsubmit: {url: /kilns/7, method: PUT}\n", func(w http.ResponseWriter, r *http.Request) {
			switch {
			case r.Method == http.MethodPut:
				body, _ := io.ReadAll(r.Body)
				sent.Store(string(body))
				w.WriteHeader(http.StatusNoContent)
			case r.URL.Path == "/kilns/7":
				time.Sleep(300 * time.Millisecond)
				w.Header().Set("Content-Type", "application/json")
				w.Header().Set("ETag", `"1"`)
				fmt.Fprint(w, `{"clay": "black", "heat": 900, "tint": "#aa5500", "owner": "Ida", "shelf": "low"}`)
			default:
				w.Header().Set("Content-Type", "text/html")
				fmt.Fprint(w, `<!doctype html><title>Kiln</title><script src="/leanwicket/leanwicket.js" defer></script>
<form data-leanwicket-form="/f.form" method="post"><select name="clay"><option>red<option>white<option>black</select><select name="glaze"><option disabled>Choose<option>ash<option>salt</select>
<input type="range" name="heat" max="1200" aria-label="Heat"><input type="color" name="tint" aria-label="Tint"><input name="owner" aria-label="Owner"><select name="shelf"><option>low<option selected>high</select><button>Fire</button></form>`)
			}
		})
		b.open("/page")
		b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
		b.becomes("black,,900,#aa5500,Ida,low", `[...document.forms[0].elements].filter(c => c.name).map(c => c.value).join()`)
		require.Equal(t, "false", b.js(`document.forms[0].hasAttribute("data-leanwicket-unsaved")`), whileLoading)
		b.typeIn("owner", "Bea")
		b.js(`document.querySelector("button").click()`)
		b.becomes("accepted", `leanwicket.state(document.forms[0])`)
		require.JSONEq(t, `{"clay": "black", "heat": 900, "tint": "#aa5500", "owner": "IdaBea", "shelf": "low"}`, sent.Load().(string), whileLoading)
	}
}

// A submission without a network is not known to have arrived, nothing typed is
// lost, and the retry is the same application.
func TestOffline(t *testing.T) {
	b := openTab(t)
	b.fill()
	network := func(offline bool) {
		everything := []*cdpnetwork.Conditions{{Offline: offline, DownloadThroughput: -1, UploadThroughput: -1}}
		_, err := chromedp.Call(b.ctx, cdpnetwork.EmulateNetworkConditionsByRule, cdpnetwork.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: everything})
		require.NoError(t, err)
	}
	network(true)
	b.apply()
	b.becomes("unsettled", state)
	require.Equal(t, "2031-05-02", b.js(value("arrival")))
	network(false)
	b.apply()
	b.becomes("accepted", state)
	require.Equal(t, "1", b.permits())
}

// The back/forward cache gives back a form that lives.
func TestBackForwardCache(t *testing.T) {
	b := tabOf(t, chromiumtest.Start(t, chromiumtest.FindWhole(t)))
	b.static(map[string]string{"index.html": ownPage, "tides.html": "<title>Tides</title><p>High at noon."}, "visit")
	b.accept.Store(true)
	b.open("/")
	b.typeIn("vessel", "Egret")
	b.js(`(document.marked = true, addEventListener("pageshow", e => { document.cached = e.persisted }))`)
	b.do(chromedp.Navigate(b.site + "/tides.html"))
	b.js(`history.back()`)
	b.becomes("true", `document.marked === true && document.cached`)
	require.Equal(t, "present Egret", b.js(`document.forms[0].dataset.leanwicketLeave + " " + `+value("vessel")))
	b.js(`document.forms[0].elements.nights.focus()`)
	b.do(chromedp.KeyEvent("3"))
	require.Equal(t, "true", b.js(`leanwicket.trace(document.forms[0]).includes('"raw":"3"')`))
}

// A text that is being composed is no edit until it is there; what is pasted and
// what a program fills in is one.
func TestComposedPastedFilledIn(t *testing.T) {
	b := openTab(t)
	b.open("/forms/pilot")
	b.js(`document.forms[0].elements.notes.focus()`)
	compose := func(text string) {
		_, err := chromedp.Call(b.ctx, cdpinput.ImeSetComposition, cdpinput.ImeSetCompositionParams{Text: text, SelectionStart: int64(len([]rune(text))), SelectionEnd: int64(len([]rune(text)))})
		require.NoError(t, err)
	}
	const edits = `leanwicket.trace(document.forms[0]).split("\n").filter(l => l.includes('"kind":"edit"')).length`
	compose("み")
	compose("みな")
	require.Equal(t, "0", b.js(edits))
	_, err := chromedp.Call(b.ctx, cdpinput.InsertText, cdpinput.InsertTextParams{Text: "港"})
	require.NoError(t, err)
	b.becomes("1", edits)
	require.Equal(t, "true", b.js(`leanwicket.trace(document.forms[0]).includes('"raw":"港"')`))

	key := func(name string, commands ...string) {
		_, err := chromedp.Call(b.ctx, cdpinput.DispatchKeyEvent, cdpinput.DispatchKeyEventParams{Type: "rawKeyDown", Key: name, Modifiers: 2, Commands: commands})
		require.NoError(t, err)
	}
	key("a", "selectAll")
	key("c", "copy")
	b.js(`document.forms[0].elements.slot.focus()`)
	key("v", "paste")
	b.becomes("港", value("slot"))
	require.Equal(t, "true", b.js(`leanwicket.trace(document.forms[0]).includes('"path":"slot","raw":"港"')`))

	// As a browser that fills in a form does, and as some programs do.
	b.js(`(() => { const c = document.forms[0].elements.slot; c.value = "10:15"; c.dispatchEvent(new InputEvent("input", {bubbles: true, inputType: "insertReplacementText"})); c.dispatchEvent(new Event("change", {bubbles: true})) })()`)
	b.js(`(() => { const c = document.forms[0].elements.notes; c.value = "Two dogs"; c.dispatchEvent(new Event("change", {bubbles: true})) })()`)
	b.apply()
	b.becomes("accepted", state)
	require.Equal(t, "4", b.js(edits))
}

// Everything can be done with keys alone, in the order in which it is read.
func TestKeysAlone(t *testing.T) {
	b := openTab(t)
	b.open("/forms/mooring")
	b.becomes("9.4", value("vessel/length"))
	var order []string
	press := func(keys string) { b.do(chromedp.KeyEvent(keys)) }
	for range 40 {
		press("\t")
		name := b.js(`document.activeElement.name || document.activeElement.tagName`)
		order = append(order, name)
		switch name {
		case "arrival":
			press("2031-05-02")
		case "departure":
			press("2031-05-09")
		case "terms":
			press(" ")
		}
		if name == "leanwicket-button" {
			break
		}
	}
	order = slices.DeleteFunc(order, func(name string) bool { return name == "BUTTON" }) // the calendars
	require.Equal(t, strings.Fields(b.js(`[...new Set([...document.forms[0].elements].filter(c => c.name && c.type !== "hidden" && c.checkVisibility()).map(c => c.name))].join(" ")`)), order)
	press("\r")
	b.becomes("accepted", state)
	require.Equal(t, "1", b.permits())
}

// At 400 % zoom, which leaves 320 pixels, nothing is cut off, and everything works.
func TestZoomed(t *testing.T) {
	b := openTab(t)
	b.do(chromedp.EmulateViewport(320, 200, chromedp.EmulateScale(4)))
	b.open("/forms/mooring")
	b.becomes("9.4", value("vessel/length"))
	b.apply()
	b.becomes("false", `document.getElementById("leanwicket-summary").hidden`)
	require.Equal(t, "true", b.js(`document.documentElement.scrollWidth <= innerWidth`), "the page scrolls sideways")
	require.Equal(t, "", b.js(`[...document.querySelectorAll("main *")].filter(e => e.checkVisibility() && e.getBoundingClientRect().right > innerWidth + 1).map(e => e.outerHTML.slice(0, 80)).join("\n")`))
	b.typeIn("arrival", "2031-05-02")
	b.typeIn("departure", "2031-05-09")
	b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)))
	b.apply()
	b.becomes("accepted", state)
}

// What is said reaches the reader of a screen once, and the tree of the page says
// what is wrong with each control. UPDATE=1 writes the tree anew.
func TestReadAloud(t *testing.T) {
	b := openTab(t)
	b.open("/forms/mooring")
	b.becomes("9.4", value("vessel/length"))
	b.js(`(() => {
		globalThis.heard = []
		for (const region of document.querySelectorAll("[role=alert], [role=status]")) new MutationObserver(all => {
			for (const m of all) for (const n of m.addedNodes) if (n.textContent) heard.push(n.textContent)
		}).observe(region, {childList: true, subtree: true, characterData: true})
	})()`)
	b.apply()
	b.becomes("false", `document.getElementById("leanwicket-summary").hidden`)
	tree := b.tree()
	golden := filepath.Join("testdata", "tree.txt")
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(golden, []byte(tree), 0o644))
	}
	want, err := os.ReadFile(golden)
	require.NoError(t, err)
	require.Equal(t, string(want), tree)
	b.typeIn("arrival", "2031-05-02")
	b.typeIn("departure", "2031-05-09")
	b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)))
	b.apply()
	b.becomes("accepted", state)
	says := 0
	record, err := trace.Read(strings.NewReader(b.js(`leanwicket.trace(document.forms[0])`)))
	require.NoError(t, err)
	source, err := declare.OpenFS(harbour.Files(), "mooring.form.yaml")
	require.NoError(t, err)
	_, err = trace.Replay(source.Form, record, trace.Observer{After: func(_ time.Duration, s lifecycle.Step) {
		for _, effect := range s.Effects {
			if effect.Kind == lifecycle.EffectSay {
				says++
			}
		}
	}})
	require.NoError(t, err)
	require.Equal(t, strconv.Itoa(says), b.js(`heard.length`), b.js(`heard.join("\n")`))
	require.Equal(t, "Your application has been received. /permits/P-0001", b.js(`heard.at(-1)`))
}

// unspoken are roles that only hold others, or their text.
var unspoken = []string{"InlineTextBox", "StaticText", "ListMarker", "LabelText", "none", "generic"}

// tree is what a reader of a screen is given of the page: roles, names, values and
// states, indented.
func (b *tab) tree() string {
	result, err := chromedp.Call(b.ctx, cdpaccessibility.GetFullAXTree, cdpaccessibility.GetFullAXTreeParams{})
	require.NoError(b.t, err)
	nodes := map[cdpaccessibility.NodeID]*cdpaccessibility.Node{}
	for _, n := range result.Nodes {
		nodes[n.NodeID] = n
	}
	var text strings.Builder
	var walk func(n *cdpaccessibility.Node, depth int)
	walk = func(n *cdpaccessibility.Node, depth int) {
		role := strings.Trim(string(n.Role.Value), `"`)
		if !n.Ignored && !slices.Contains(unspoken, role) {
			fmt.Fprintf(&text, "%s%s", strings.Repeat("  ", depth), role)
			for _, v := range []*cdpaccessibility.Value{n.Name, n.Value, n.Description} {
				if v != nil && len(v.Value) > 2 {
					fmt.Fprintf(&text, " %s", v.Value)
				}
			}
			for _, p := range n.Properties {
				if p.Value != nil && (p.Name == "invalid" || p.Name == "required" || p.Name == "focused" || p.Name == "live") && string(p.Value.Value) != `"false"` && string(p.Value.Value) != "false" {
					fmt.Fprintf(&text, " %s=%s", p.Name, strings.Trim(string(p.Value.Value), `"`))
				}
			}
			text.WriteString("\n")
			depth++
		}
		for _, id := range n.ChildIDs {
			if child := nodes[id]; child != nil {
				walk(child, depth)
			}
		}
	}
	walk(result.Nodes[0], 0)
	return text.String()
}

const twoForms = `<!doctype html>
<html lang="en">
<title>Two forms</title>
<script src="leanwicket/leanwicket.js" defer></script>
<a id="away" href="tides.html">Tides</a> <a id="list" href="list">A list to keep</a>
<form data-leanwicket-form="leanwicket/visit.form" method="post" action="/visits">
  <p><label for="v">Vessel</label> <input id="v" name="vessel"></p> <p><label for="n">Nights</label> <input id="n" name="nights"></p>
  <p><button>Send</button></p>
</form>
<form data-leanwicket-form="leanwicket/pilot.form" method="post" action="/pilots">
  <p><label for="s">Slot</label> <input id="s" name="slot"></p> <p><label for="o">Notes</label> <input id="o" name="notes"></p>
  <p><button>Book</button></p>
</form>
`

// Forms of one page have one guard: each that would lose something is asked once,
// and if one stays, all do. So it is with links, and with back inside an
// application.
func TestOneGuard(t *testing.T) {
	b := openTab(t)
	b.static(map[string]string{"index.html": twoForms, "tides.html": "<title>Tides</title>"}, "visit", "pilot")
	answer := func(with string) {
		t.Helper()
		b.becomes("1", `document.querySelectorAll("dialog[open]").length`)
		b.do(chromedp.Click(chromedp.CSS(`dialog[open] button[value=` + with + `]`)))
	}
	states := `[...document.forms].map(f => f.dataset.leanwicketLeave).join(" ")`
	b.open("/")
	b.becomes("present present", states)
	b.typeIn("vessel", "Egret")
	b.typeIn("notes", "Two dogs")
	b.do(chromedp.Click(chromedp.CSS("#away")))
	answer("discard")
	require.Equal(t, "gone asking", b.js(states))
	answer("stay")
	require.Equal(t, "present present", b.js(states))
	b.typeIn("vessel", " II")
	require.Equal(t, "true", b.js(`leanwicket.trace(document.forms[0]).includes('"raw":"Egret II"')`))
	b.do(chromedp.Click(chromedp.CSS("#away")))
	answer("discard")
	answer("discard")
	b.becomes("/tides.html", "location.pathname")

	b.open("/")
	b.forget()
	b.open("/")
	b.js(`(history.replaceState({}, "", "/berths"), history.pushState({}, "", "/apply"))`)
	b.js(`history.back()`)
	b.becomes("/berths", "location.pathname")
	b.js(`history.forward()`)
	b.becomes("/apply", "location.pathname")
	b.typeIn("vessel", "Egret")
	b.js(`history.back()`)
	answer("stay")
	require.Equal(t, "/apply", b.js("location.pathname"))
	b.js(`history.back()`)
	answer("discard")
	b.becomes("/berths", "location.pathname")
	require.EqualValues(t, 0, b.asked.Load())
	b.becomes("present present", states) // the forms are still there
	b.js(`(leanwicket.release(document.forms[0]), document.forms[0].remove())`)
	b.js(`history.forward()`)
	b.becomes("/apply", "location.pathname")
}

// A page that was closed while it sent a private value keeps neither the value nor
// the attempt, and the next one says that nobody knows what came of it.
func TestPrivateAttempt(t *testing.T) {
	b := openTab(t)
	b.fill()
	b.typeIn("insurance", "SQ-774411")
	b.panel("submit-delay", "1s", "submit-times", "1")
	b.apply()
	b.becomes("sending", state)
	require.NotContains(t, b.js(`JSON.stringify(localStorage)`), "774411")
	require.Contains(t, b.js(`JSON.stringify(localStorage)`), " !")
	b.accept.Store(true)
	b.open("/forms/mooring")
	require.Equal(t, "idle", b.js(state))
	require.Contains(t, b.js(urgent), "some of them are not kept here")
	require.Equal(t, "2031-05-02", b.js(value("arrival")))
	require.Regexp(t, `What you had typed is back, from .*\d.*\. Not kept, to be typed again: Insurance policy\.`, b.js(`document.querySelector(".leanwicket-notice").innerText`))
	b.becomes("false", `JSON.stringify(localStorage).includes(" !")`) // it is said once
}
