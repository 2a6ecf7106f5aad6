//go:build !js

package browser_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// Rows by keys alone: the focus is never lost, and what has happened is announced.
func TestRowsByKeyboard(t *testing.T) {
	b := openTab(t)
	b.open("/forms/pilot")
	focused := `(document.activeElement.name + " " + (document.activeElement.value || "")).trim()`
	announced := `document.querySelector("#leanwicket-notice .leanwicket-first").textContent`
	press := func(selector string) {
		t.Helper()
		b.js(`document.querySelector(` + "`" + selector + "`" + `).focus()`)
		b.do(chromedp.KeyEvent("\r"))
	}
	for row := range 3 {
		press(`[name=leanwicket-add]`)
		b.becomes("crew/"+string(rune('0'+row))+"/name", focused)
		b.becomes("Crew: a row has been added.", announced)
		b.do(chromedp.KeyEvent("Ada" + string(rune('0'+row))))
	}
	press(`[name=leanwicket-move][value="crew/2"]`)
	b.becomes("Crew: the row is number 2 now.", announced)
	b.becomes("leanwicket-move crew/1", focused)
	b.becomes("Ada2", value("crew/1/name"))
	press(`[name=leanwicket-remove][value="crew/1"]`)
	b.becomes("leanwicket-remove crew/1", focused)
	b.becomes("Crew: row 2 has been removed.", announced)
	require.Equal(t, "Ada0 Ada1", b.js(`[...document.querySelectorAll("[name$='/name']")].map(c => c.value).join(" ")`))
	press(`[name=leanwicket-remove][value="crew/1"]`)
	b.becomes("leanwicket-remove crew/0", focused)
	press(`[name=leanwicket-remove][value="crew/0"]`)
	b.becomes("leanwicket-add crew", focused)
}

// A date that is chosen in the browser's calendar is an edit, and the field is left.
func TestCalendar(t *testing.T) {
	b := openTab(t)
	b.open("/forms/mooring")
	b.becomes("9.4", value("vessel/length"))
	b.js(`(() => { const date = document.querySelector("[name=arrival] ~ input[type=date]"); date.value = "2031-05-02"; date.dispatchEvent(new Event("change")) })()`)
	b.becomes("2031-05-02", value("arrival"))
	require.Equal(t, "true", b.js(`leanwicket.trace(document.forms[0]).includes('"path":"arrival","raw":"2031-05-02"')`))
	require.Equal(t, "arrival", b.js(`document.activeElement.name`))
}
