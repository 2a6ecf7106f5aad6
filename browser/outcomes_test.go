//go:build !js

package browser_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// seen says where the words about an outcome are: in the window, or how many pixels
// outside of it; and whether they cover what has the focus.
const seen = `(() => {
	const words = [...document.querySelectorAll("#leanwicket-notice p, #leanwicket-summary p")].find(p => p.checkVisibility() && p.textContent.trim() && !p.classList.contains("leanwicket-first"))
	if (!words) return "no words"
	const box = words.getBoundingClientRect()
	if (box.top < 0 || box.bottom > innerHeight || box.left < 0 || box.right > innerWidth) return "outside: " + JSON.stringify(box)
	const focused = document.activeElement, at = focused.getBoundingClientRect()
	if (document.forms[0].contains(focused) && at.bottom > box.top && at.top < box.bottom) return "over the focus"
	return "seen"
})()`

// What came of a submission is seen without scrolling, where the applicant is: at
// the end of a long form, on a wide window and on a phone, with script and without.
func TestOutcomesAreSeen(t *testing.T) {
	for _, size := range [...][2]int64{{1280, 800}, {360, 740}} {
		for _, path := range []string{"/forms/mooring", "/plain/mooring"} {
			b := openTab(t)
			b.broken.Store(true) // what goes wrong on the way is in the console, too
			b.do(chromedp.EmulateViewport(size[0], size[1]))
			b.accept.Store(true)
			for _, c := range []struct{ does, submission, words string }{
				{"refuse", "refused", "refuses everything"}, {"signed out", "denied", "sign-in"}, {"outage", "waiting", "again in"}, {"lost reply", "unsettled", "not known"}, {"as usual", "accepted", "received"},
			} {
				if c.does == "lost reply" && path != "/forms/mooring" {
					continue // without script the browser tells it, in a page of its own
				}
				b.do(chromedp.Navigate(b.site + "/panel"))
				b.forget() // each begins anew
				b.panel("submit-does", c.does)
				if path == "/forms/mooring" {
					b.open(path)
				} else {
					b.do(chromedp.Navigate(b.site + path))
				}
				b.becomes("9.4", value("vessel/length"))
				b.typeIn("arrival", "2031-05-02")
				b.typeIn("departure", "2031-05-09")
				b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)))
				b.apply()
				if path == "/forms/mooring" {
					b.becomes(c.submission, state)
				}
				b.becomes("seen", seen)
				require.Contains(t, b.js(`[...document.querySelectorAll("#leanwicket-notice, #leanwicket-summary")].map(e => e.textContent).join(" ")`), c.words, c.does)
			}
		}
	}
}

// Two forms of one page, with no style of ours: each says its own.
func TestTwoFormsSayTheirOwn(t *testing.T) {
	b := openTab(t)
	b.static(map[string]string{"index.html": twoForms}, "visit", "pilot")
	b.open("/")
	texts := `[...document.querySelectorAll(".leanwicket-summary")].map(s => s.hidden ? "-" : s.querySelectorAll("li").length).join(" ")`
	b.do(chromedp.Click(chromedp.CSS(`form[data-leanwicket-form*=visit] button`)))
	b.becomes("2 -", texts)
	b.do(chromedp.Click(chromedp.CSS(`form[data-leanwicket-form*=pilot] button`)))
	b.becomes("2 1", texts)
	b.typeIn("slot", "09:30")
	b.becomes("2 -", texts)
	require.Equal(t, "sticky", b.js(`getComputedStyle(document.querySelector(".leanwicket-notice")).position`))
}
