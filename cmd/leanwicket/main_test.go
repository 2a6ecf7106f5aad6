package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/require"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){
		"leanwicket": func() { os.Exit(run(os.Args[1:])) },
	})
}

func TestCommand(t *testing.T) {
	testscript.Run(t, testscript.Params{Dir: "testdata", UpdateScripts: os.Getenv("UPDATE") != ""})
}

// A program's own tests walk its forms and play its scenarios, and fail as the command does.
func TestOwnTests(t *testing.T) {
	if testing.Short() {
		t.Skip("builds a test")
	}
	test := exec.Command("go", "test", "-v", ".")
	test.Dir = filepath.Join("testdata", "own")
	output, err := test.CombinedOutput()
	require.Error(t, err, string(output))
	for _, want := range []string{
		"--- PASS: TestForms/laundry.form.yaml", "--- FAIL: TestForms/hopeless.form.yaml", "way-forward broken", "scenario: \"The shortest session",
		"--- PASS: TestScenarios/sent.scenario.yaml", "--- FAIL: TestScenarios/twice.scenario.yaml", "expected  sendCount 2", "scenarios/twice.scenario.yaml:7",
	} {
		require.Contains(t, string(output), want)
	}
}
