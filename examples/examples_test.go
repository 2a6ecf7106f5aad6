package examples_test

import (
	"net/http"
	"net/url"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// The program runs as it stands, and books once.
func TestStay(t *testing.T) {
	if testing.Short() {
		t.Skip("builds and runs a program")
	}
	dir := t.TempDir()
	program := filepath.Join(dir, "stay")
	output, err := exec.Command("go", "build", "-o", program, "./stay").CombinedOutput()
	require.NoError(t, err, string(output))
	running := exec.Command(program)
	running.Dir = dir
	require.NoError(t, running.Start())
	defer func() { _ = running.Process.Kill(); _ = running.Wait() }()
	const site = "http://127.0.0.1:8720/"
	require.Eventually(t, func() bool {
		response, err := http.Get(site)
		if err == nil {
			response.Body.Close()
		}
		return err == nil && response.StatusCode == 200
	}, 10*time.Second, 50*time.Millisecond)
	for range 2 {
		response, err := http.PostForm(site, url.Values{"vessel": {"Egret"}, "nights": {"3"}, "leanwicket-key": {"one"}})
		require.NoError(t, err)
		response.Body.Close()
		require.Equal(t, "leanwicket-received=one", response.Request.URL.RawQuery)
	}
	response, err := http.PostForm(site, url.Values{"vessel": {"Egret"}, "nights": {"3"}, "leanwicket-key": {"two"}})
	require.NoError(t, err)
	response.Body.Close()
	require.Equal(t, 422, response.StatusCode)
}
