package harbour

import (
	"embed"
	"io/fs"
	"strings"
)

//go:embed demo first
var embedded embed.FS

// Files is the demo as a file system: forms, schemas and scenarios.
func Files() fs.FS { return folder("demo") }

// First is a first form with its schema and a scenario, to begin from.
func First() fs.FS { return folder("first") }

func folder(name string) fs.FS {
	files, err := fs.Sub(embedded, name)
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return files
}

// Names lists every file of the demo.
func Names() []string { return list("") }

// Scenarios lists the scenario files in the order in which they are told.
func Scenarios() []string { return list(".scenario.yaml") }

// Forms lists the form files.
func Forms() []string { return list(".form.yaml") }

func list(suffix string) []string {
	var names []string
	entries, _ := fs.ReadDir(Files(), ".") // an embedded folder can be read
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), suffix) {
			names = append(names, e.Name())
		}
	}
	return names
}
