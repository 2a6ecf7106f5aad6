//go:build !js

package browser_test

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Two people use one browser. What one has typed is not shown to the other, and the attempt
// that one left open is settled by nobody but them.
func TestTwoAccountsAtOneBrowser(t *testing.T) {
	b := openTab(t)
	b.accept.Store(true)
	signIn := func(name string) { b.js(`document.cookie = "harbour-account=` + name + `; path=/"`) }
	b.open("/forms/mooring")
	signIn("ada")
	b.fill()
	b.typeIn("berth", "A3")
	b.panel("submit-does", "lost reply") // until it is turned off: the browser itself tries a broken connection once more
	b.js(`document.querySelector(".leanwicket-form > .leanwicket-buttons button").click()`)
	b.becomes("unsettled", `document.forms[0].dataset.leanwicketState`)
	b.panel("usual", "")
	signIn("bo")
	b.open("/forms/mooring")
	b.becomes("ready", `document.forms[0].dataset.leanwicketPrefill`)
	require.Equal(t, "idle", b.js(`document.forms[0].dataset.leanwicketState`))
	require.Equal(t, "", b.js(value("berth")))
	require.Equal(t, "", b.js(value("arrival")))
	require.NotContains(t, b.js(`document.documentElement.outerHTML`), "ada")
	signIn("ada")
	b.open("/forms/mooring")
	b.becomes("A3", value("berth"))
	b.becomes("unsettled", `document.forms[0].dataset.leanwicketState`)

	// The page that ada opened is sent while bo is signed in: not in the name of bo.
	b.open("/forms/visit")
	b.typeIn("vessel", "Egret")
	b.typeIn("nights", "2")
	signIn("bo")
	b.js(`document.querySelector(".leanwicket-form > .leanwicket-buttons button").click()`)
	b.becomes("denied", `document.forms[0].dataset.leanwicketState`)
	require.Equal(t, "Egret", b.js(value("vessel")))
	signIn("ada")
	b.js(`document.querySelector(".leanwicket-form > .leanwicket-buttons button").click()`)
	b.becomes("true", `location.pathname.startsWith("/visits/")`)
}
