// Command leanwicket plays, checks and explains the submission lifecycle of a
// form.
//
//	leanwicket demo                  the harbour office's scenarios
//	leanwicket new permit            a first form and scenario, which play at once
//	leanwicket play permit           play every scenario in a folder
//	leanwicket check permit          read the forms and say what is wrong or unwise
package main

import (
	"errors"
	"fmt"
	"os"
	"runtime/debug"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"leanwicket.dev/scenario"
)

// errNo is the error of a good question whose answer is no, which exits with status 1. The command
// has written already what the answer is about.
var errNo = errors.New("no")

func main() { os.Exit(run(os.Args[1:])) }

// run returns the exit status: 0 good, 1 the answer is no, 2 the question is
// wrong.
func run(args []string) int {
	root := command()
	root.SetArgs(args)
	err := root.Execute()
	switch {
	case err == nil:
		return 0
	case errors.Is(err, errNo):
		return 1
	default:
		fmt.Fprintln(os.Stderr, err)
		return 2
	}
}

func command() *cobra.Command {
	root := &cobra.Command{
		Use:   "leanwicket",
		Short: "The submission lifecycle of an application form: play it and get it right",
		Long: `Lean Wicket models what happens to an application form from the moment it opens
until it is left: loading over typing, issues at the right moment, the second
click, pending, what the server refuses, a lost reply, success, reset, leaving.

Exit status: 0 good, 1 the answer is no (something failed), 2 the question is
wrong (a file, a path, a flag).`,
		Example: `  leanwicket demo
  leanwicket new permit && leanwicket play permit`,
		Version:       version(),
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.SetVersionTemplate("leanwicket {{.Version}}\n")
	root.AddCommand(playCommand(), replayCommand(), verifyCommand(), drawCommand(), serveCommand(), bundleCommand(), auditCommand(), tryCommand(), checkCommand(), replyCommand(), explainCommand(), schemaCommand(), newCommand(), demoCommand())
	return root
}

func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok || info.Main.Version == "" {
		return "(unknown version)"
	}
	return info.Main.Version
}

// style is how a table is written to this command's output.
func style() scenario.Style {
	s := scenario.Style{}
	fd := int(os.Stdout.Fd())
	if !term.IsTerminal(fd) {
		return s
	}
	s.Color = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	if width, _, err := term.GetSize(fd); err == nil {
		s.Width = width
	}
	return s
}
