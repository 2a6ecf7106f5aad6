//go:build !js

package browser_test

import (
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// The application has the last word on the body, once for a submission: a repeat carries the same bytes, after a reload
// too. What it throws is read at the form, and nothing is sent.
func TestTheLastWordOnTheBody(t *testing.T) {
	for as, want := range map[string]string{
		"json": `{"keeper":"Bo","tools":[{"name":"a b"},{"name":"c"}],"marks":["x","y"],"stamp":`,
		"form": `keeper=Bo&tools%2F0%2Fname=a+b&tools%2F1%2Fname=c&marks=x&marks=y&stamp=`,
	} {
		t.Run(as, func(t *testing.T) {
			var mu sync.Mutex
			var bodies []string
			b := scriptPage(t, "form: plot\nschema: {properties: {keeper: {type: string}, tools: {type: array, items: {properties: {name: {type: string}}}}}}\nsubmit: {url: /plot, timeout: 2s, as: "+as+", resend: {times: 0}}\n", func(w http.ResponseWriter, r *http.Request) {
				if r.URL.Path != "/plot" {
					http.NotFound(w, r)
					return
				}
				body, _ := io.ReadAll(r.Body)
				mu.Lock()
				defer mu.Unlock()
				if bodies = append(bodies, string(body)); len(bodies) < 4 {
					w.WriteHeader(http.StatusInternalServerError)
					return
				}
				w.WriteHeader(http.StatusNoContent)
			})
			const open = `
				let stamps = 0, refuses = ""
				const prepare = values => { if (refuses) throw new Error(refuses); return { ...values, marks: ["x", "y"], stamp: ++stamps, none: null } }
				const s = globalThis.s = await openForm("/f.form", { keep: { name: "body" }, prepare })
				` + untilInPage + "\n"
			require.Equal(t, "refused The moon is wrong. 0", b.js(`(async () => {`+open+`
				s.edit("keeper", "Bo"); s.addRow("tools"); s.edit("tools/0/name", "a b"); s.addRow("tools"); s.edit("tools/1/name", "c")
				refuses = "The moon is wrong."
				s.submit()
				await until(s => s.submission === "refused")
				const said = s.snapshot.issues[0].text + " " + stamps
				refuses = ""
				s.submit()
				await until(s => s.submission === "unsettled")
				s.retry()
				await until(s => s.busy)
				await until(s => s.submission === "unsettled")
				return "refused " + said
			})()`))
			b.do(chromedp.Reload())
			require.Equal(t, "unsettled accepted 0", b.js(`(async () => {`+open+`
				const was = s.snapshot.submission
				stamps = 0
				s.retry()
				await until(s => s.busy)
				await until(s => s.submission === "unsettled")
				s.retry()
				await until(s => s.submission === "accepted")
				return was + " accepted " + stamps
			})()`))
			mu.Lock()
			defer mu.Unlock()
			require.Len(t, bodies, 4)
			require.True(t, strings.HasPrefix(bodies[0], want+"1"), bodies[0])
			for _, body := range bodies {
				require.Equal(t, bodies[0], body)
			}
		})
	}
}

// What the record has beyond the form goes back, after a reload in the middle of a save too; what an application reads as
// values has declared answers alone.
func TestWhatTheFormDoesNotKnow(t *testing.T) {
	var mu sync.Mutex
	var bodies []string
	b := scriptPage(t, strings.NewReplacer("fields:", "# fields:", "method: PUT", "method: PUT, undeclared: send").Replace(plotForm), func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path != "/plot":
			http.NotFound(w, r)
		case r.Method == http.MethodGet:
			w.Header().Set("Content-Type", "application/json")
			w.Header().Set("ETag", `"1"`)
			_, _ = io.WriteString(w, `{"keeper":"Ada","soil":{"ph":6.50},"id":90071992547409931,"tools":[{"name":"spade","id":1},{"name":"rake","id":2}]}`)
		default:
			body, _ := io.ReadAll(r.Body)
			mu.Lock()
			bodies = append(bodies, string(body))
			first := len(bodies) == 1
			mu.Unlock()
			if first {
				w.WriteHeader(http.StatusInternalServerError)
			}
		}
	})
	const open = `const s = await openForm("/f.form", { keep: { name: "known" } }); ` + untilInPage + "\n"
	require.Equal(t, `{"keeper":"Bo","tools":[{"name":"rake"},{"name":"hoe"}]} true`, b.js(`(async () => {`+open+`
		await until(s => s.prefill === "ready")
		s.edit("keeper", "Bo"); s.moveRow("tools/1", "tools/0"); s.removeRow("tools/1"); s.addRow("tools"); s.edit("tools/1/name", "hoe")
		const values = JSON.stringify(s.values)
		s.submit()
		await until(s => s.submission === "unsettled")
		return values + " " + (JSON.stringify(s.snapshot.sent) === values)
	})()`))
	b.do(chromedp.Reload())
	require.Equal(t, "accepted", b.js(`(async () => {`+open+`
		s.retry()
		await until(s => s.submission === "accepted")
		return s.snapshot.submission
	})()`))
	mu.Lock()
	defer mu.Unlock()
	const want = `{"keeper":"Bo","tools":[{"name":"rake","id":2},{"name":"hoe"}],"id":90071992547409931,"soil":{"ph":6.50}}`
	require.Equal(t, []string{want, want}, bodies)
}
