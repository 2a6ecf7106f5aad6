// Package database starts real servers for tests, without a service manager, and
// stops them afterwards. A test whose server is not installed is skipped, and
// says so.
package database

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Postgres starts a PostgreSQL of its own and gives its URL.
func Postgres(t testing.TB) string {
	t.Helper()
	bin := postgresPrograms()
	if bin == "" {
		t.Skip("no PostgreSQL server is installed: apt-get install postgresql, or run ./test")
	}
	dir, err := os.MkdirTemp("", "leanwicket-postgres-") // its socket's path must be short
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	as := func(program string, args ...string) *exec.Cmd {
		args = append([]string{filepath.Join(bin, program)}, args...)
		if os.Getuid() == 0 { // PostgreSQL refuses root
			args = append([]string{"runuser", "-u", "postgres", "--"}, args...)
		}
		c := exec.Command(args[0], args[1:]...)
		c.Dir = dir
		return c
	}
	if os.Getuid() == 0 {
		run(t, exec.Command("chown", "postgres", dir))
	}
	data, port := filepath.Join(dir, "data"), freePort(t)
	run(t, as("initdb", "-D", data, "-A", "trust", "-U", "postgres", "--no-locale", "-E", "UTF8"))
	run(t, as("pg_ctl", "-D", data, "-l", filepath.Join(dir, "log"), "-w", "-o",
		"-p "+port+" -c listen_addresses=127.0.0.1 -c unix_socket_directories="+dir+" -c max_connections=200", "start"))
	t.Cleanup(func() { _ = as("pg_ctl", "-D", data, "-m", "immediate", "stop").Run() })
	return "postgres://postgres@127.0.0.1:" + port + "/postgres"
}

// postgresPrograms is the folder of initdb and pg_ctl: Debian keeps it off the
// PATH.
func postgresPrograms() string {
	if path, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(path)
	}
	if found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb"); len(found) > 0 {
		return filepath.Dir(found[len(found)-1])
	}
	return ""
}

// Redis starts a Redis of its own and gives its address.
func Redis(t testing.TB) string {
	t.Helper()
	program, err := exec.LookPath("redis-server")
	if err != nil {
		t.Skip("no Redis server is installed: apt-get install redis-server, or run ./test")
	}
	port := freePort(t)
	server := exec.Command(program, "--bind", "127.0.0.1", "--port", port, "--dir", t.TempDir(), "--appendonly", "yes", "--save", "")
	require.NoError(t, server.Start())
	t.Cleanup(func() { _ = server.Process.Kill(); _ = server.Wait() })
	address := "127.0.0.1:" + port
	require.Eventually(t, func() bool {
		connection, err := net.Dial("tcp", address)
		if err != nil {
			return false
		}
		defer connection.Close()
		_, _ = connection.Write([]byte("PING\r\n"))
		reply := make([]byte, 16)
		n, _ := connection.Read(reply)
		return strings.HasPrefix(string(reply[:n]), "+PONG")
	}, 10*time.Second, 20*time.Millisecond)
	return address
}

func freePort(t testing.TB) string {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	return strconv.Itoa(listener.Addr().(*net.TCPAddr).Port)
}

func run(t testing.TB, c *exec.Cmd) {
	output, err := c.CombinedOutput()
	require.NoError(t, err, string(output))
}
