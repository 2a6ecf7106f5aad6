//go:build !js

package browser_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
)

// The module runs in a program without a page and in a worker, reads its own files there, keeps nothing, and holds up no end.
func TestWithoutAPage(t *testing.T) {
	node, err := exec.LookPath("node")
	if err != nil {
		t.Skip("node is not installed")
	}
	dir := t.TempDir()
	for _, name := range browser.Names() {
		data, err := browser.File(name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "f.form"), compiled(t, attachedForm), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "program.mjs"), []byte(`
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
`), 0o644))
	out, err := exec.Command(node, filepath.Join(dir, "program.mjs")).CombinedOutput()
	require.NoError(t, err, string(out))
	const once = `{"keeper":"Grace","id":7} "1"` + "\nYour answers have been received. false keeper\n"
	require.Equal(t, once+once, string(out))
}
