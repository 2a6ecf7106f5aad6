//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
)

// inNode runs a program beside the module, the compiled form f.form and testdata/drawn.js, and is what it prints.
func inNode(t *testing.T, program string) string {
	node, err := exec.LookPath("node")
	if err != nil {
		t.Skip("node is not installed: apt-get install nodejs, or run ./test")
	}
	dir := t.TempDir()
	files := map[string][]byte{"f.form": compiled(t, attachedForm), "program.mjs": []byte(program)}
	for _, name := range browser.Names() {
		files[name], err = browser.File(name)
		require.NoError(t, err)
	}
	files["drawn.mjs"], err = os.ReadFile(filepath.Join("testdata", "drawn.js"))
	require.NoError(t, err)
	for name, data := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
	}
	out, err := exec.Command(node, filepath.Join(dir, "program.mjs")).CombinedOutput()
	require.NoError(t, err, string(out))
	return string(out)
}

// The module runs in a program without a page and in a worker, reads its own files there, keeps nothing, and holds up no end.
func TestWithoutAPage(t *testing.T) {
	out := inNode(t, `
import { Worker, isMainThread } from "node:worker_threads"
import { openForm } from "./leanwicket.attach.mjs"
const options = {
	load: () => ({ status: 200, body: { keeper: "Ada", id: 7 }, headers: { ETag: '"1"' } }),
	check: () => ({ status: 204 }),
	send: ({ body, version }) => (console.log(body, version), { status: 200, headers: { ETag: '"2"' } }),
}
const open = () => openForm(new URL("f.form", import.meta.url), options)
const s = await open()
const until = is => new Promise(done => { const look = () => is(s.snapshot) && (stop(), done()); const stop = s.observe(look); look() })
await until(now => now.prefill === "ready")
s.edit("keeper", "Grace")
s.submit()
await until(now => now.submission === "accepted")
console.log(s.snapshot.said.text, s.snapshot.keeps, s.attributesOf("keeper").name)
s.close()
const others = await Promise.all(Array.from({ length: 11 }, open))
for (const other of others) other.close()
if (isMainThread) new Worker(new URL(import.meta.url))
`)
	const once = `{"keeper":"Grace","id":7} "1"` + "\nYour answers have been received. false keeper\n"
	require.Equal(t, once+once, out)
}

// A form that is drawn at a server is taken over in the browser as it is: nothing of the page changes, ids included, and what was typed
// before the script came stays.
func TestDrawnAtAServer(t *testing.T) {
	const record = `{ keeper: 'Ada & "Bea"', keys: 2, side: "east", days: ["mon", "wed"], lit: true, tools: [{ name: "<hook>", count: 1 }, { name: "b" }, {}] }`
	const open = `{ keep: { hours: 0 }, record: { values: ` + record + `, version: '"7"' } }`
	page := inNode(t, `
import { openForm } from "./leanwicket.attach.mjs"
import { drawn } from "./drawn.mjs"
const session = await openForm(new URL("f.form", import.meta.url), `+open+`)
console.log(drawn(session))
session.close()
`)
	b := scriptPage(t, attachedForm, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/drawn" {
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, `<!doctype html><title>Locker</title><form>`+strings.TrimSuffix(page, "\n")+`</form>`)
			return
		}
		locker(w, r)
	})
	b.do(chromedp.Navigate(b.site + "/drawn"))
	b.js(`(c => (c.focus(), c.setSelectionRange(3, 3)))(document.forms[0].elements.keeper)`)
	b.do(chromedp.KeyEvent(" Lovelace"))
	b.js(`import("/testdata/drawn.js").then(async ({ drawn }) => {
		const { openForm } = await import("/leanwicket/leanwicket.attach.mjs"), form = document.forms[0]
		globalThis.served = form.innerHTML
		globalThis.s = await openForm("/f.form", ` + open + `)
		globalThis.changes = []
		new MutationObserver(all => changes.push(...all.map(m => m.type + m.attributeName))).observe(form, { subtree: true, childList: true, attributes: true, characterData: true })
		globalThis.first = drawn(s)
		s.attach(form)
	})`)
	b.becomes("attributesnovalidate", `changes.join()`)
	same := b.js(`Object.assign(document.createElement("form"), { innerHTML: first }).innerHTML === served ? "" : first + "\n" + served`)
	require.Empty(t, same)
	require.Equal(t, `Ada Lovelace & "Bea"`, b.js(`s.field("keeper").raw`))
	require.Equal(t, "keeper 12", b.js(`document.activeElement.name + " " + document.activeElement.selectionStart`))
	b.do(chromedp.KeyEvent("!"))
	require.Equal(t, `Ada Lovelace! & "Bea"`, b.js(`s.field("keeper").raw`))
	require.Equal(t, "east mon,wed <hook> b ", b.js(`[s.field("side").raw, s.values.days, ...s.snapshot.fields.at(-1).rows.map(row => row.fields[0].raw)].join(" ")`))
}
