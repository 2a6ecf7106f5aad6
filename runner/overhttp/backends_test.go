package overhttp_test

import (
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
	"leanwicket.dev/runner/overhttp"
)

// python is Debian's, which has the servers' packages.
const python = "/usr/bin/python3"

// Servers that know nothing of the form refuse a submission of it in their own words, and
// each word is shown: at its field where they name one.
func TestBackendsOfOthers(t *testing.T) {
	taken := map[string]string{"vessel/name": "Black-tailed godwit", "vessel/length": "20.5"}
	tooMuch := map[string]string{"vessel/name": "Heron", "vessel/length": "9.4", "berth": "A3"}
	for script, c := range map[string]struct {
		module  string
		refused []map[string]string // by path; empty means the form
	}{
		"declared_types.py": {"fastapi", []map[string]string{{
			"vessel/name":   "ensure this value has at most 5 characters",
			"vessel/length": "ensure this value is less than or equal to 12",
			"berth":         "field required",
		}, {}}},
		"serializers.py": {"rest_framework", []map[string]string{{
			"vessel/name":   "Ensure this field has no more than 5 characters.",
			"vessel/length": "Ensure this value is less than or equal to 12.",
			"berth":         "This field is required.",
		}, {"": "Two permits are the most."}}},
	} {
		t.Run(script, func(t *testing.T) {
			address := serve(t, script, c.module)
			for k, typed := range []map[string]string{taken, tooMuch} {
				require.Equal(t, c.refused[k], refusals(t, address, typed), "%v", typed)
			}
		})
	}
}

// refusals fills in a mooring permit, sends it, and is what is shown of the server's, by
// path.
func refusals(t *testing.T, address string, typed map[string]string) map[string]string {
	source, err := declare.OpenFS(harbour.Files(), "mooring.form.yaml")
	require.NoError(t, err)
	settled := make(chan lifecycle.ReplyKind, 1)
	r := runner.New(source.Form, runner.Options{
		Transport: overhttp.New(http.DefaultClient, address),
		Observe: func(step lifecycle.Step) {
			if step.Event.Kind == lifecycle.EventReplied {
				settled <- step.Event.Reply.Kind
			}
		},
	})
	defer r.Close()
	all := map[string]string{"arrival": "2031-05-02", "departure": "2031-05-04", "terms": "true"}
	for path, raw := range typed {
		all[path] = raw
	}
	for path, raw := range all {
		require.NoError(t, r.Apply(lifecycle.Edit(path, raw)))
	}
	require.NoError(t, r.Apply(lifecycle.Submit("")))
	shown := map[string]string{}
	kind := <-settled
	r.Read(func(s *lifecycle.Session) {
		for _, issue := range s.FormIssues() {
			shown[""] = issue.Text
		}
		for f := range s.Fields() {
			for _, issue := range f.Issues() {
				if issue.Source == lifecycle.SourceServer {
					assert.True(t, issue.Shown, issue.Text)
					shown[issue.Path] = issue.Text
				}
			}
		}
	})
	if len(shown) == 0 {
		require.Equal(t, lifecycle.ReplyAccepted, kind)
	}
	return shown
}

// serve starts a server of testdata, or skips the test where its packages are missing.
func serve(t *testing.T, script, module string) (address string) {
	if testing.Short() {
		t.Skip("-short: no server is started")
	}
	if exec.Command(python, "-c", "import "+module).Run() != nil {
		t.Skip("no " + module + " in " + python)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	host := listener.Addr().String()
	require.NoError(t, listener.Close())
	_, port, err := net.SplitHostPort(host)
	require.NoError(t, err)
	command := exec.Command(python, filepath.Join("testdata", script), port)
	command.Stderr = os.Stderr
	require.NoError(t, command.Start())
	t.Cleanup(func() {
		_ = command.Process.Kill()
		_ = command.Wait()
	})
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", host)
		if err == nil {
			err = c.Close()
		}
		return err == nil
	}, time.Minute, 20*time.Millisecond, "%s does not start", script)
	return "http://" + host
}
