package examples_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// A page with its own cache and its own requests: a record is opened without a request, whose watch has
// ended signs in where they are and loses nothing, and what was stored is in the list without a request.
func TestCache(t *testing.T) {
	const site = "http://127.0.0.1:8728/"
	page := chromiumtest.Open(t)
	start(t, "cache", site)
	require.NoError(t, chromedp.Do(page, chromedp.Navigate(site)))
	text, err := chromedp.Run(page, chromedp.Evaluate[string](`(async () => {
		const q = name => document.querySelector(name), told = []
		const becomes = async (what, is) => {
			for (let k = 0; k < 400 && !is(); k++) await new Promise(r => setTimeout(r, 25))
			told.push(what + (is() ? "" : " NOT"))
		}
		const type = (name, text) => { q(name).value = text; for (const what of ["input", "change"]) q(name).dispatchEvent(new Event(what, { bubbles: true })) }
		const says = text => () => q("#said")?.innerText.includes(text)
		const lists = text => () => q("#list").innerText.includes(text)
		const asked = () => performance.getEntriesByType("resource").filter(e => /\/buoys[^?]*$/.test(e.name)).length - 1 // but the style sheet
		await becomes("asks who has the watch", () => q("#sign-in")?.open)
		type("#word", "tern"); q("#sign-in button").click()
		await becomes("knows the word", () => q("#word-wrong").innerText)
		type("#word", "gull"); q("#sign-in button").click()
		await becomes("lists", lists("B2: green, 6.5 m"))
		const before = asked()
		q("#open-B2").click()
		await becomes("opens with the record", () => q("[name=depth]")?.value === "6.5")
		told.push(asked() - before + " requests")
		await fetch("/sign-out", { method: "POST" })
		type("[name=depth]", "7.5"); q("#save").click()
		await becomes("asks in place", () => q("#sign-in").open)
		told.push(q("[name=depth]").value)
		type("#word", "gull"); q("#sign-in button").click()
		await becomes("saves", says("The chart has it."))
		await becomes("lists what was saved", lists("B2: green, 7.5 m"))
		await fetch("/sign-out", { method: "POST" })
		type("[name=depth]", "8"); q("#save").click()
		await becomes("asks again", () => q("#sign-in").open)
		q("#sign-in").close("")
		await new Promise(closed => q("#sign-in").addEventListener("close", () => setTimeout(closed), { once: true })) // the dialog tells it in a task of its own
		await becomes("stays denied", says("Who has the watch?"))
		q("#save").click()
		await becomes("asks at the next press", () => q("#sign-in").open)
		type("#word", "gull"); q("#sign-in button").click()
		await becomes("saves the version after", lists("B2: green, 8 m"))
		type("[name=depth]", "9")
		await fetch("/drift/B2", { method: "POST" })
		await becomes("shows what the sea has done, and keeps what is typed", () => q("[name=note]").value === "has drifted" && q("[name=depth]").value === "9")
		q("#save").click()
		await becomes("saves over it", lists("B2: green, 9 m"))
		told.push(q("[name=note]").value)
		// The watch ends while a check is on its way, while a save is, and while the load is that an outdated save makes.
		const network = fetch
		const ends = async (path, meanwhile) => {
			window.fetch = async (url, more) => {
				if (String(url).startsWith(path) && (more?.method ?? "GET") === (meanwhile ? "PUT" : "GET")) {
					window.fetch = network
					if (meanwhile) await meanwhile()
					else await network("/sign-out", { method: "POST" })
				}
				return network(url, more)
			}
		}
		ends("/depths/")
		type("[name=depth]", "9.5"); q("[name=depth]").dispatchEvent(new FocusEvent("focusout", { bubbles: true }))
		await becomes("a check is denied, and holds nothing", () => window.fetch === network)
		q("#save").click()
		await becomes("asks at the save", () => q("#sign-in").open)
		told.push(q("[name=depth]").value)
		ends("/buoys/B2", async () => { await network("/drift/B2", { method: "POST" }); ends("/buoys/B2") })
		type("#word", "gull"); q("#sign-in button").click()
		await becomes("asks in the middle of the load", () => window.fetch === network && q("#sign-in").open)
		told.push(q("[name=depth]").value)
		type("#word", "gull"); q("#sign-in button").click()
		await becomes("has the newest version beside what is typed", () => !q("#sign-in").open && q("[name=depth]").value === "9.5" && !q("form[aria-busy=true]"))
		for (let k = 0; k < 40 && !lists("B2: green, 9.5 m")(); k++) { q("#save").click(); await new Promise(r => setTimeout(r, 100)) }
		await becomes("is saved once all the same", lists("B2: green, 9.5 m"))
		const stored = await network("/buoys/B2", { headers: { Accept: "application/json", "X-Harbour-Token": "" } })
		told.push("nobody reads it without the watch: " + stored.status)
		const sofar = asked()
		q("#lay").click()
		await becomes("lays another", () => q("#said")?.innerText === "" && q("h2").innerText === "A buoy is laid" && q("[name=light]"))
		type("[name=light]", "white"); type("[name=depth]", "11"); type("[name=note]", "off the pier"); q("#save").click()
		await becomes("is on the chart", says("It is on the chart."))
		await becomes("lists the new one", lists("B3: white, 11 m"))
		const again = () => performance.getEntriesByType("resource").filter(e => e.name.includes("again")).length, read = again()
		await fetch("/drift/B2", { method: "POST" })
		await becomes("reads what nobody has open", () => again() > read)
		await new Promise(r => setTimeout(r, 2500))
		told.push(again() - read + " reading")
		await becomes("and one request", () => asked() - sofar === 1)
		told.push(location.pathname)
		return told.join("\n")
	})()`, chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	require.Equal(t, strings.TrimSpace(`
asks who has the watch
knows the word
lists
opens with the record
0 requests
asks in place
7.5
saves
lists what was saved
asks again
stays denied
asks at the next press
saves the version after
shows what the sea has done, and keeps what is typed
saves over it
has drifted
a check is denied, and holds nothing
asks at the save
9.5
asks in the middle of the load
9.5
has the newest version beside what is typed
is saved once all the same
nobody reads it without the watch: 401
lays another
is on the chart
lists the new one
reads what nobody has open
1 reading
and one request
/
`), text)
}
