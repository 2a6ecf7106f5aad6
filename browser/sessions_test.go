//go:build !js

package browser_test

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	cdpnetwork "github.com/chromedp/cdproto/network"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// What goes wrong in twenty sessions: a hundred and fifty of a thousand lose a
// request or reply, and so on.
var troubles = []string{
	"", "two clicks", "refuse", "lost reply", "two clicks; delay=300ms", "reload; delay=600ms", "two clicks", "time-out", "lost request", "refuse; two clicks",
	"", "two clicks", "refuse", "lost reply; two clicks", "outage", "reload; lost reply; delay=600ms", "two clicks", "time-out; two clicks", "", "delay=1s",
}

// told is what an applicant knows at the end: whether there is a permit.
type told struct {
	vessel   string
	accepted bool
}

// Applicants in a real browser, with trouble on the way, know at the end what the
// office has. SESSIONS says how many; ./test --long makes a thousand.
func TestSessionsInTheBrowser(t *testing.T) {
	count := 20
	if n, err := strconv.Atoi(os.Getenv("SESSIONS")); err == nil {
		count = n
	}
	b := openTab(t)
	const tabs = 4
	var mu sync.Mutex
	var all []told
	happened := map[string]int{}
	var work sync.WaitGroup
	for tab := range tabs {
		other := b.another()
		work.Go(func() {
			for n := tab; n < count; n += tabs {
				trouble := troubles[n%len(troubles)]
				outcome, saw := other.session(n, trouble)
				mu.Lock()
				all = append(all, outcome)
				for part := range strings.SplitSeq(trouble, "; ") {
					happened[part]++
				}
				for _, s := range saw {
					happened["told "+s]++
				}
				mu.Unlock()
			}
		})
	}
	work.Wait()
	if t.Failed() {
		return
	}
	db, err := sql.Open("sqlite", b.file)
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.Query("SELECT vessel, count(*) FROM permits GROUP BY vessel")
	require.NoError(t, err)
	defer rows.Close()
	permits, total := map[string]int{}, 0
	for rows.Next() {
		var vessel string
		var number int
		require.NoError(t, rows.Scan(&vessel, &number))
		permits[vessel], total = number, total+number
	}
	require.NoError(t, rows.Err())
	require.Len(t, all, count)
	accepted := 0
	for _, a := range all {
		want := 0
		if a.accepted {
			want = 1
			accepted++
		}
		require.Equal(t, want, permits[a.vessel], a.vessel)
	}
	require.Equal(t, accepted, total)
	t.Logf("%d sessions, %d permits, %d told of one; %v", count, total, accepted, happened)
}

// session is one applicant: fills in the form, sends it with some trouble, and goes
// on until it is known what came of it. Saw is what was shown on the way.
func (b *tab) session(n int, trouble string) (outcome told, saw []string) {
	has := func(what string) bool { return slices.Contains(strings.Split(trouble, "; "), what) }
	random := rand.New(rand.NewPCG(uint64(n), 0))
	b.accept.Store(true)
	outcome.vessel = fmt.Sprintf("S%04d", n)
	defer func() {
		if b.t.Failed() {
			trace, _ := b.ask(`leanwicket.trace(document.forms[0])`)
			b.t.Log(n, trouble, saw, trace)
		}
	}()
	b.fault("")
	b.open("/forms/mooring")
	b.becomes("9.4", value("vessel/length"))
	day := time.Date(2031, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, 2*n)
	b.js(`document.forms[0].elements["vessel/name"].select()`)
	b.typeIn("vessel/name", outcome.vessel)
	b.typeIn("arrival", day.Format(time.DateOnly))
	b.typeIn("departure", day.AddDate(0, 0, 1).Format(time.DateOnly))
	b.do(chromedp.Click(chromedp.CSS(`[name="terms"]`)))
	b.becomes("", `document.querySelector(".leanwicket-form > .leanwicket-buttons button").dataset.leanwicketHolds || ""`)
	b.fault(trouble)
	b.apply()
	if has("two clicks") {
		b.apply()
	}
	if has("reload") {
		b.becomes("sending", state)
		b.js(`document.marked = true`)
		b.fault("")
		_, err := chromedp.Call(b.ctx, cdppage.Reload, cdppage.ReloadParams{})
		require.NoError(b.t, err)
		b.becomes("true", `document.marked === undefined && document.forms[0].dataset.leanwicketReady !== undefined`)
	}
	for range 10 {
		now := b.settles()
		saw = append(saw, now)
		switch now {
		case "accepted":
			outcome.accepted = true
			b.becomes("0", `localStorage.length`) // it was shown for a moment
			return outcome, saw
		case "refused":
			if random.IntN(2) == 0 { // the applicant lets it be
				b.js(`leanwicket.tell(document.forms[0], "reset")`)
				return outcome, saw
			}
			b.js(`document.forms[0].elements["vessel/length"].select()`)
			b.typeIn("vessel/length", "9.5")
		}
		b.fault("")
		b.becomes("", `document.querySelector(".leanwicket-form > .leanwicket-buttons button").dataset.leanwicketHolds || ""`)
		b.apply()
	}
	b.t.Errorf("session %d (%s) does not end: %v", n, trouble, saw)
	return outcome, saw
}

// settles waits until nothing is on its way any more.
func (b *tab) settles() string {
	for end := time.Now().Add(chromiumtest.Patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if now, err := b.ask(state); err == nil && slices.Contains([]string{"accepted", "refused", "unsettled", "denied", "outdated"}, now) {
			return now
		}
	}
	return "pending for ever"
}

// fault makes the office treat the next submissions of this tab so.
func (b *tab) fault(trouble string) {
	var parts []string
	for part := range strings.SplitSeq(trouble, "; ") {
		switch part {
		case "two clicks", "reload":
		case "time-out":
			parts = append(parts, "delay=6s")
		default:
			parts = append(parts, part)
		}
	}
	_, err := chromedp.Call(b.ctx, cdpnetwork.SetExtraHTTPHeaders, cdpnetwork.SetExtraHTTPHeadersParams{Headers: cdpnetwork.Headers{"Harbour-Fault": strings.Join(parts, "; ")}})
	require.NoError(b.t, err)
}
