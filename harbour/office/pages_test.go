package office_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	cdpemulation "github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// pageStates are the pages of the office: a path, and what is sent to it.
var pageStates = []struct {
	name, path string
	sent       url.Values
}{
	{name: "index", path: "/"},
	{name: "panel", path: "/panel?said=set"},
	{name: "mooring", path: "/plain/mooring"},
	{name: "mooring refused", path: "/plain/mooring", sent: url.Values{"vessel/name": {`"><script>alert(1)</script>`}, "vessel/length": {"long"}, "arrival": {"2031-05-09"}, "departure": {"2031-05-02"}, "amperage": {"x"}}},
	{name: "mooring received", path: "/plain/mooring?leanwicket-received=first"},
	{name: "record", path: "/permits/P-0001"},
	{name: "pilot", path: "/plain/pilot"},
	{name: "pilot refused", path: "/plain/pilot", sent: url.Values{"slot": {"25"}, "crew": {"2"}, "crew/1/licence": {"7"}}},
	{name: "contact", path: "/plain/contact"},
	{name: "vessel", path: "/plain/vessel"},
	{name: "vessel refused", path: "/plain/vessel", sent: url.Values{"name": {""}, "draught": {"9"}}},
	{name: "plan", path: "/plain/plan"},
	{name: "plan refused", path: "/plain/plan", sent: url.Values{"stays": {"2"}, "stays/0/from": {"tomorrow"}}},
	{name: "regatta", path: "/plain/regatta"},
	{name: "visit", path: "/plain/visit"},
}

// The pages are correct HTML in the eyes of the Nu HTML checker.
func TestPagesAreCorrect(t *testing.T) {
	checker := chromiumtest.Package("vnu-jar")
	if _, err := exec.LookPath("java"); err != nil || checker == "" {
		t.Skip("the HTML checker or java is not installed: run ./test")
	}
	d := openWithPermit(t)
	args := []string{"-jar", filepath.Join(checker, "build", "dist", "vnu.jar"), "--stdout", "--format", "json"}
	for _, state := range pageStates {
		response, err := http.Get(d.site + state.path)
		if state.sent != nil {
			response, err = http.PostForm(d.site+state.path, state.sent)
		}
		require.NoError(t, err)
		file, err := os.Create(filepath.Join(t.TempDir(), "page.html"))
		require.NoError(t, err)
		_, err = file.ReadFrom(response.Body)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		require.NoError(t, file.Close())
		args = append(args, file.Name())
	}
	output, _ := exec.Command("java", args...).Output() // its status tells what the messages tell
	var checked struct {
		Messages []struct {
			URL, Type, Message, Extract string
			LastLine                    int
		}
	}
	require.NoError(t, json.Unmarshal(output, &checked), string(output))
	for _, m := range checked.Messages {
		t.Errorf("%s:%d: %s: %s\n%s", m.URL, m.LastLine, m.Type, m.Message, m.Extract)
	}
}

func openWithPermit(t *testing.T) desk {
	d := open(t)
	response, err := http.PostForm(d.site+"/plain/mooring", url.Values{
		"vessel/name": {"Heron"}, "vessel/length": {"9.4"}, "arrival": {"2031-05-02"}, "departure": {"2031-05-09"}, "terms": {"true"}, "leanwicket-key": {"first"},
	})
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	require.Contains(t, string(text), `<a href="/permits/P-0001">`)
	return d
}

// No page, in any state, has what axe-core calls a violation: light, dark, and in
// forced colors.
func TestPagesAreAccessible(t *testing.T) {
	page := chromiumtest.Open(t)
	d := openWithPermit(t)
	for _, media := range []cdpemulation.MediaFeature{{}, {Name: "prefers-color-scheme", Value: "dark"}, {Name: "forced-colors", Value: "active"}} {
		features := []*cdpemulation.MediaFeature{&media}
		if media.Name == "" {
			features = nil
		}
		_, err := chromedp.Call(page, cdpemulation.SetEmulatedMedia, cdpemulation.SetEmulatedMediaParams{Features: features})
		require.NoError(t, err)
		accessible(t, page, d, media.Value)
	}
}

func accessible(t *testing.T, page context.Context, d desk, media string) {
	for _, state := range pageStates {
		ctx, cancel := context.WithTimeout(page, time.Minute)
		require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(d.site+state.path)), state.name)
		if state.sent != nil {
			fillAndSubmit(t, ctx, state.sent)
		}
		violations := chromiumtest.Violations(t, ctx)
		cancel()
		require.Equal(t, "[]", violations, state.name+" "+media)
	}
}

// fillAndSubmit types the values that have a control, and submits with the first
// button.
func fillAndSubmit(t *testing.T, ctx context.Context, values url.Values) {
	text, err := json.Marshal(values)
	require.NoError(t, err)
	_, err = chromedp.Run(ctx, chromedp.Evaluate[bool](fmt.Sprintf(`Object.entries(%s).forEach(([name, [value]]) => {
		const control = document.querySelector("[name='" + name + "']:not([type=hidden])")
		if (control) control.value = value
	}), true`, text)))
	require.NoError(t, err)
	response, err := chromedp.RunResponse(ctx, chromedp.Click(chromedp.CSS("button[name=leanwicket-button]:not([tabindex])")))
	require.NoError(t, err)
	require.EqualValues(t, http.StatusUnprocessableEntity, response.Status, response.URL)
}

// Every page of the office, with script and without, opens with an empty console: nothing fails or is
// blocked, and no picture is empty.
func TestPagesOpenCleanly(t *testing.T) {
	page := chromiumtest.Start(t, chromiumtest.FindWhole(t)) // it asks for the icon, too
	d := openWithPermit(t)
	paths := []string{"/favicon.ico"}
	for _, state := range pageStates {
		if paths = append(paths, state.path); state.sent == nil && strings.HasPrefix(state.path, "/plain/") {
			paths = append(paths, "/forms/"+strings.TrimPrefix(state.path, "/plain/"), "/live/"+strings.TrimPrefix(state.path, "/plain/"))
		}
	}
	troubles := chromiumtest.Troubles(t, page)
	for _, path := range paths {
		require.NoError(t, chromedp.Do(page, chromedp.Navigate(d.site+path)), path)
		scripted := strings.HasPrefix(path, "/live/") || strings.HasPrefix(path, "/forms/")
		if scripted {
			require.Eventually(t, func() bool { return evaluate(t, page, `Boolean(document.querySelector("[data-leanwicket-state]"))`) }, chromiumtest.Patience, 50*time.Millisecond, path)
		}
		require.Eventually(t, func() bool {
			return evaluate(t, page, `[...document.images].every(i => i.complete && i.naturalWidth > 0 && i.width > 0)`)
		}, chromiumtest.Patience, 50*time.Millisecond, "a picture of %s is empty", path)
		require.Empty(t, troubles(), path)
	}
}

func evaluate(t *testing.T, page context.Context, expression string) bool {
	is, err := chromedp.Run(page, chromedp.Evaluate[bool](expression))
	require.NoError(t, err)
	return is
}

// UPDATE=1 takes the pictures of the pages anew; without it nothing is compared,
// for fonts differ between machines.
func TestScreens(t *testing.T) {
	if os.Getenv("UPDATE") == "" {
		t.Skip("UPDATE=1 takes docs/screenshots anew")
	}
	page := chromiumtest.Open(t)
	d := openWithPermit(t)
	take := func(name string) {
		png, err := chromedp.Run(page, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join("..", "..", "docs", "screenshots", name+".png"), png, 0o644))
	}
	visit := func(path string) { require.NoError(t, chromedp.Do(page, chromedp.Navigate(d.site+path))) }
	visit("/plain/mooring")
	take("page-empty")
	fillAndSubmit(t, page, url.Values{"vessel/name": {"Egret"}, "vessel/length": {"240"}, "arrival": {"2031-05-09"}, "departure": {"2031-05-02"}})
	take("page-refused")
	visit("/plain/mooring?leanwicket-received=first#leanwicket-notice")
	take("page-received")
	for _, request := range []struct{ body, fault string }{
		{application, "lost reply; delay=1s"}, {application, "as usual"}, {application, "outage"}, {application, "signed out"},
	} {
		d.ask("POST /permits?button=apply", request.body, "Idempotency-Key: 7f3a09c2d1", "Harbour-Fault: "+request.fault)
	}
	d.ask("GET /slots/09:30", "")
	d.ask("GET /registry/vessel", "", "Harbour-Fault: as usual; delay=400ms")
	_, err := http.PostForm(d.site+"/panel", url.Values{"load-delay": {"2s"}, "submit-does": {"lost reply"}, "submit-times": {"1"}})
	require.NoError(t, err)
	visit("/panel")
	take("panel")
}
