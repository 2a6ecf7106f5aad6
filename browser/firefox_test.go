//go:build !js

package browser_test

import (
	"bufio"
	"encoding/json"
	"net/http"
	"os/exec"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// firefox is a page in Firefox that is told by WebDriver BiDi (W3C) what an applicant does.
type firefox struct {
	t       *testing.T
	socket  *websocket.Conn
	context string
	calls   int
}

func openFirefox(t *testing.T) *firefox {
	program, err := exec.LookPath("firefox-esr")
	if err != nil {
		t.Skip("no firefox-esr is installed: apt-get install firefox-esr, or run ./test")
	}
	running := exec.Command(program, "--headless", "--no-remote", "--remote-debugging-port", "0", "--profile", chromiumtest.Profile(t))
	said, err := running.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, running.Start())
	t.Cleanup(func() { _ = running.Process.Kill(); _ = running.Wait() })
	lines, address := bufio.NewScanner(said), ""
	for address == "" && lines.Scan() {
		address = regexp.MustCompile(`ws://\S+`).FindString(lines.Text())
	}
	require.NotEmpty(t, address)
	go func() {
		for lines.Scan() { // what it says must be read
		}
	}()
	f := &firefox{t: t}
	f.socket, _, err = websocket.Dial(t.Context(), address+"/session", nil)
	require.NoError(t, err)
	f.socket.SetReadLimit(-1)
	t.Cleanup(func() { _ = f.socket.CloseNow() })
	f.call("session.new", `{"capabilities": {}}`, nil)
	var tree struct {
		Contexts []struct{ Context string }
	}
	f.call("browsingContext.getTree", `{}`, &tree)
	f.context = tree.Contexts[0].Context
	return f
}

// call makes a call with parameters in JSON, in which PAGE stands for the page.
func (f *firefox) call(method, parameters string, result any) {
	f.calls++
	parameters = strings.ReplaceAll(parameters, `"PAGE"`, `"`+f.context+`"`)
	require.NoError(f.t, wsjson.Write(f.t.Context(), f.socket, map[string]any{"id": f.calls, "method": method, "params": json.RawMessage(parameters)}))
	for {
		var answer struct {
			ID      int
			Error   string
			Message string
			Result  json.RawMessage
		}
		require.NoError(f.t, wsjson.Read(f.t.Context(), f.socket, &answer))
		if answer.ID != f.calls {
			continue
		}
		require.Empty(f.t, answer.Error, answer.Message)
		if result != nil {
			require.NoError(f.t, json.Unmarshal(answer.Result, result))
		}
		return
	}
}

// js is what an expression gives, as a text.
func (f *firefox) js(expression string) string {
	text, err := json.Marshal("(async () => String(await (" + expression + ")))()")
	require.NoError(f.t, err)
	var got struct {
		Result           struct{ Value string }
		ExceptionDetails json.RawMessage
	}
	f.call("script.evaluate", `{"expression": `+string(text)+`, "target": {"context": "PAGE"}, "awaitPromise": true}`, &got)
	require.Empty(f.t, string(got.ExceptionDetails))
	return got.Result.Value
}

func (f *firefox) becomes(want, expression string) {
	require.Eventually(f.t, func() bool { return f.js(expression) == want }, chromiumtest.Patience, 50*time.Millisecond, "%s becomes %s", expression, want)
}

func (f *firefox) types(text string) {
	var keys []string
	for _, c := range text {
		keys = append(keys, `{"type": "keyDown", "value": "`+string(c)+`"}, {"type": "keyUp", "value": "`+string(c)+`"}`)
	}
	f.call("input.performActions", `{"context": "PAGE", "actions": [{"type": "key", "id": "k", "actions": [`+strings.Join(keys, ",")+`]}]}`, nil)
}

// press presses a pointer on an element, waits, lets go, and does so again for each further press.
func (f *firefox) press(kind, element, wait string, times int) {
	at := f.js(`(() => { const r = ` + element + `.getBoundingClientRect(); return Math.round(r.x + r.width / 2) + ', "y": ' + Math.round(r.y + r.height / 2) })()`)
	actions := `{"type": "pointerMove", "x": ` + at + `}` + strings.Repeat(`, {"type": "pointerDown", "button": 0}, {"type": "pause", "duration": `+wait+`}, {"type": "pointerUp", "button": 0}`, times)
	f.call("input.performActions", `{"context": "PAGE", "actions": [{"type": "pointer", "id": "`+kind+`", "parameters": {"pointerType": "`+kind+`"}, "actions": [`+actions+`]}]}`, nil)
}

// What differs between the engines when a form is attached: what they tell of a press, of what was typed before the script, and of
// where the focus is.
func TestAttachedInFirefox(t *testing.T) {
	f := openFirefox(t)
	data := compiled(t, attachedForm)
	address := site(t, func() []byte { return data }, func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/":
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte(`<!doctype html><title>Locker</title><form id="before"><input name="keeper" value="Ada"><input name="keys" value="1"></form>`))
		case strings.HasPrefix(r.URL.Path, "/testdata/"):
			http.ServeFile(w, r, "."+r.URL.Path)
		default:
			locker(w, r)
		}
	})
	f.call("browsingContext.navigate", `{"context": "PAGE", "wait": "complete", "url": "`+address+`/"}`, nil)

	f.js(`(c => (c.focus(), c.setSelectionRange(3, 3)))(document.forms[0].elements.keeper)`)
	f.types(" Lovelace")
	f.js(`document.activeElement.blur()`)
	f.js(`import("/leanwicket/leanwicket.attach.mjs").then(async ({ openForm }) => {
		globalThis.s = await openForm("/f.form", { keep: { hours: 0 }, record: { values: { keeper: "Ada", keys: 2 } } })
		s.attach(document.forms[0])
	})`)
	f.becomes("Ada Lovelace 2", `[...document.forms[0].elements].map(c => c.value).join(" ")`)
	require.Equal(t, "Ada Lovelace", f.js(`s.field("keeper").raw`))
	f.js(`(s.close(), document.forms[0].remove())`)

	for _, kind := range []string{"mouse", "touch"} {
		f.js(`import("/testdata/attached.js").then(async ({ draw }) => { globalThis.d = await draw({ keep: { hours: 0 } }, { wait: -1 }); globalThis.s = d.session; globalThis.q = name => d.root.querySelector('[name="' + name + '"]') })`)
		f.becomes("Ada", `q("keeper").value`)
		f.js(`(globalThis.clicks = 0, d.form.addEventListener("click", e => { if (e.target.textContent === "Send") clicks++ }), globalThis.drawnAt = [], q("keeper").focus(), q("keeper").select())`)
		f.types("B")
		f.js(`(s.observe(() => drawnAt.push(clicks)), 0)`)
		f.press(kind, `[...d.form.querySelectorAll("button")].at(-1)`, "150", 1)
		f.becomes("1", "clicks")
		f.becomes("true", `drawnAt.length > 0 && drawnAt.every(n => n === 1)`)
		f.becomes("keeper", `document.activeElement.name`) // it is held, and the focus goes to what is wrong
		f.press(kind, `d.root.querySelector("[name=leanwicket-remove]")`, "5", 2)
		f.becomes(`[{"name":"b","count":2},{"name":"c"}]`, `JSON.stringify(s.values.tools)`)
		f.js(`d.end()`)
	}
}
