package main

import (
	"os"
	"testing"

	"github.com/rogpeppe/go-internal/testscript"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){
		"leanwicket": func() { os.Exit(run(os.Args[1:])) },
	})
}

func TestCommand(t *testing.T) {
	testscript.Run(t, testscript.Params{Dir: "testdata", UpdateScripts: os.Getenv("UPDATE") != ""})
}
