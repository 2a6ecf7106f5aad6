package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/harbour"
)

// The types of a package know the paths of each form, rows with any number, its buttons, and what it sends.
func TestPackagesHaveTypes(t *testing.T) {
	checker, err := filepath.Abs(filepath.Join("..", "..", "tools", "npm", "node_modules", "typescript", "bin", "tsc"))
	require.NoError(t, err)
	if _, err := os.Stat(checker); err != nil {
		t.Skip("no typescript: ./test installs it")
	}
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, harbour.Files()))
	command := command()
	command.SetArgs([]string{"bundle", filepath.Join(dir, "node_modules", "saltmarsh-forms"), filepath.Join(dir, "pilot.form.yaml"), filepath.Join(dir, "mooring.form.yaml"), "--package", "saltmarsh-forms"})
	require.NoError(t, command.Execute())
	for name, text := range map[string]string{
		"tsconfig.json": `{"compilerOptions": {"strict": true, "noEmit": true, "target": "es2022", "module": "esnext", "moduleResolution": "bundler", "lib": ["es2023", "dom", "dom.iterable"], "types": []}, "files": ["use.ts"]}`,
		"use.ts": `import { openForm, pilotForm, mooringForm, type Field } from "saltmarsh-forms"
const session = await openForm(pilotForm, { account: "a", headers: () => ({ "X-Token": "1" }) })
session.edit("crew/11/name", "Bo")
session.addEventListener("outcome", e => e.detail.submission === "accepted")
const field: Field | undefined = session.field("crew")
field?.rows?.[0].fields[0].issues.map(i => i.text)
await session.leave("/") === true
// @ts-expect-error: the form has no such field
session.edit("crew/11/nmae", "Bo")
const mooring = await openForm(mooringForm)
mooring.edit("vessel/length", "9.4")
// @ts-expect-error: nobody writes into a snapshot
mooring.snapshot.submission = "accepted"
session.submit("book")
// @ts-expect-error: the form has no such button
session.submit("save")
const name: string | undefined = session.values.crew?.[10]?.name
const night: boolean | undefined = session.values.night
// @ts-expect-error: it is sent as true or false
const text: string | undefined = session.values.night
// @ts-expect-error: no such answer is sent
session.values.nigth
const length: number | undefined = mooring.values.vessel?.length
await openForm(pilotForm, {
  prepare: values => ({ ...values, notes: values.notes?.trim() }),
  send: ({ values: { service }, body }) => ({ status: service === "outbound" ? 201 : 422, body }),
})
import { openForm as openAttached } from "saltmarsh-forms/attach"
const attached = await openAttached(mooringForm)
attached.attributesOf("vessel/length").inputMode === "decimal"
// @ts-expect-error: the form has no such field
attached.attributesOf("vessel/lenght")
const form: HTMLFormElement = document.forms[0]
attached.attach(form)?.()
attached.attach(null)
`,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	said, err := exec.Command("node", checker, "-p", dir).CombinedOutput()
	require.NoError(t, err, string(said))
}
