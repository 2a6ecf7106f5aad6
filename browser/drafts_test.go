//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

const draftForm = "form: parcel\nschema: {properties: {to: {type: string}, code: {type: string}, items: {type: array, items: {properties: {name: {type: string}}}}}}\nfields: {to: {label: Receiver}, code: {label: Door code, private: true}, items: {label: Items}, items/*/name: {label: Item}}\nsubmit: {url: /parcels}\n"

const draftPage = `<!doctype html><html lang="en-GB"><title>Parcels</title><script src="/leanwicket/leanwicket.js" defer></script>
<form data-leanwicket-form="/f.form" method="post"><label>Receiver <input name="to"></label> <label>Door code <input name="code"></label>
<div data-leanwicket-rows="items"><template><p data-leanwicket-row><input name="items/*/name" aria-label="Item"></p></template><button name="leanwicket-add" value="items">Add</button></div>
<button value="submit">Send</button></form>`

// draftTab opens the page of a form whose drafts are looked at. The replies hang until the
// tab ends, so that what is sent stays open.
func draftTab(t *testing.T) *tab {
	ends := make(chan bool)
	b := scriptPage(t, draftForm, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/parcels" {
			<-ends
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, draftPage)
	})
	t.Cleanup(func() { close(ends) })
	b.accept.Store(true)
	b.open("/page")
	return b
}

// alone waits until so many tabs are there: one that is closed lets go of its name a moment
// later.
func (b *tab) alone(tabs string) {
	b.becomes(tabs, `navigator.locks.query().then(l => l.held.length)`)
}

const (
	draftNotice = `document.querySelector(".leanwicket-notice").innerText.trim()`
	inNotice    = `[...document.querySelectorAll(".leanwicket-notice button")]`
	draftNames  = `Object.keys(localStorage).filter(n => n.startsWith("leanwicket ")).length`
)

// Two tabs have a draft each. That of a tab which was closed is offered to the next one that
// opens and has none, and is filled in or thrown away as its applicant says.
func TestDraftsOfTabs(t *testing.T) {
	b := draftTab(t)
	b.typeIn("to", "Wren")
	b.typeIn("code", "7311")
	for row := range 11 {
		b.do(chromedp.Click(chromedp.CSS(`[name="leanwicket-add"]`)))
		b.typeIn(fmt.Sprintf("items/%d/name", row), fmt.Sprint("rope ", row))
	}
	b.becomes("true", `JSON.stringify(localStorage).includes("rope 10")`)

	// It is not offered while its tab is there; that one has it back when it is loaded again.
	c := b.beside()
	c.open("/page")
	require.Equal(t, "", c.js(draftNotice))
	c.typeIn("to", "Teal")
	c.becomes("2", draftNames)
	b.open("/page")
	require.Equal(t, "Wren", b.js(value("to")))
	require.Regexp(t, `^What you had typed is back, from \d+ \w+ \d+ at \d+:\d+\. Not kept, to be typed again: Door code\.\s+Discard it$`, b.js(draftNotice))
	require.Equal(t, "", b.js(value("code")))

	// A tab that is opened by a page has a copy of its name, and takes another one.
	b.js(`(window.open("/page"), "")`)
	b.becomes("2", draftNames)
	require.Equal(t, "Wren", b.js(value("to")))

	// Closed, both are offered, the newest first.
	c.js(`document.forms[0].elements.to.focus()`)
	c.do(chromedp.KeyEvent("s"))
	c.becomes("true", `JSON.stringify(localStorage).includes("Teals")`)
	b.alone("3")
	c.end()
	b.alone("2")
	d := b.beside()
	d.open("/page")
	require.Regexp(t, `^A tab that was closed has answers of .* that were not sent\.\s+Go on with them\s*Discard them$`, d.js(draftNotice))
	require.Equal(t, "", d.js(value("to")))
	d.js(inNotice + `[0].click()`)
	d.becomes("Teals", value("to"))
	d.becomes("2", draftNames)
	require.Contains(t, d.js(draftNotice), "What you had typed is back")
	d.js(inNotice + `[0].click()`)
	require.Equal(t, "", d.js(value("to")+` + `+draftNotice))
	d.becomes("1", draftNames)

	// What is offered goes away as soon as something else is typed, and is there the next time.
	b.do(chromedp.Navigate("about:blank"))
	d.alone("3") // its own name, that of the tab whose work it has taken over, and one more tab
	d.open("/page")
	require.Contains(t, d.js(draftNotice), "Door code")
	d.typeIn("to", "x")
	require.Equal(t, "", d.js(draftNotice))
	d.js(`document.forms[0].reset()`)
	require.Contains(t, d.js(draftNotice), "A tab that was closed")
	d.js(inNotice + `[0].click()`)
	d.becomes("rope 10", value("items/10/name"))
	d.js(inNotice + `[0].click()`)
	d.becomes("0", draftNames)
	d.open("/page")
	require.Equal(t, "", d.js(draftNotice))
}

// An attempt of which nobody knows what came of it is taken over from a closed tab at once.
func TestAnAttemptOfAClosedTab(t *testing.T) {
	b := draftTab(t)
	c := b.beside()
	c.open("/page")
	c.typeIn("to", "Wren")
	c.js(`document.querySelector("[value=submit]").click()`)
	c.becomes("sending", state)
	c.js(`leanwicket.session(document.forms[0]).kept.stored`)
	c.end()
	b.open("/page")
	require.Equal(t, "unsettled Wren", b.js(state+` + " " + `+value("to")))
}

// What is over its time is deleted at the next visit. A browser that keeps nothing is told of
// once.
func TestDraftsThatAreNotKept(t *testing.T) {
	b := draftTab(t)
	b.js(`localStorage.setItem("leanwicket  /elsewhere flags @7", "1 2  {}")`)
	b.js(`localStorage.setItem("somebody's", "1 2  {}")`)
	b.open("/page")
	b.becomes("somebody's", `Object.keys(localStorage).join()`)
	b.js(`(Storage.prototype.setItem = () => { throw new Error("full") }, IDBObjectStore.prototype.put = () => { throw new Error("full") })`)
	b.typeIn("to", "Wren")
	b.becomes("This browser keeps nothing of what you type: its store is full, or closed to this site.", draftNotice)
	b.typeIn("to", "s")
	b.becomes("", draftNotice)
	b.typeIn("to", "!")
	b.becomes("false", `leanwicket.session(document.forms[0]).snapshot.keeps`)
	require.False(t, strings.Contains(b.js(draftNotice), "keeps"))
}

// An acceptance is final at once: whoever reloads, closes the session or the tab, or goes on in the
// very step in which it comes, or up to three seconds later, is not told that its outcome is not known.
func TestAnAcceptanceIsFinalAtOnce(t *testing.T) {
	b := scriptPage(t, draftForm, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/parcels" {
			w.WriteHeader(http.StatusCreated)
		}
	})
	const open = `openForm("/f.form", {account: "a7"}).then(s => { globalThis.s = s; return s.snapshot.submission + " " + (s.snapshot.draft ? "a draft" : "none") + " " + s.snapshot.offered.length })`
	b.becomes("idle none 0", open)
	delays := []int{0, 30, 400}
	if os.Getenv("LONG") != "" {
		delays = []int{0, 1, 5, 30, 100, 300, 600, 1100, 2000, 3000}
	}
	for _, way := range []string{"location.reload()", "s.close()", `location.href = "/?on"`, "open('/').close(), location.reload()"} {
		for _, after := range delays {
			b.js(fmt.Sprintf(`(() => {
				s.edit("to", "Wren")
				globalThis.gone = false
				const go = () => { gone = true; %s }
				const ends = s.observe(() => {
					if (s.snapshot.submission !== "accepted") return
					ends()
					if (%d) setTimeout(go, %[2]d); else go()
				})
				s.submit()
				return ""
			})()`, way, after))
			if way == "s.close()" {
				b.becomes("true", "gone")
			} else {
				b.becomes("undefined function", "typeof gone + ' ' + typeof openForm")
			}
			require.Equal(t, "idle none 0", b.js(open), "%s after %d ms", way, after)
		}
	}
}
