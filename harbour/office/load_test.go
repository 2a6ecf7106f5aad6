package office_test

import (
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/harbour/office"
)

// Eight applicants apply without a pause, repeat what they have sent, and send what is refused.
// What the office takes of memory, files and goroutines does not grow meanwhile. LOAD says for
// how long, ./test --long for 30 minutes.
func TestALoadStaysFlat(t *testing.T) {
	if testing.Short() {
		t.Skip("takes seconds")
	}
	lasts, err := time.ParseDuration(os.Getenv("LOAD"))
	if err != nil {
		lasts = 3 * time.Second
	}
	o, err := office.Open(filepath.Join(t.TempDir(), "office.db"), office.Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	server := httptest.NewServer(o)
	var accepted, refused atomic.Int64
	client := server.Client()
	send := func(key, nights string) int {
		request, err := http.NewRequest(http.MethodPost, server.URL+"/visits", strings.NewReader(`{"vessel": "Egret", "nights": `+nights+`}`))
		if err != nil {
			t.Error(err)
			return 0
		}
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Idempotency-Key", key)
		response, err := client.Do(request)
		if err != nil {
			t.Error(err)
			return 0
		}
		defer response.Body.Close()
		_, _ = io.Copy(io.Discard, response.Body)
		return response.StatusCode
	}
	load := func(part int, until time.Time) {
		var all sync.WaitGroup
		for applicant := range 8 {
			all.Go(func() {
				for k := 0; time.Now().Before(until); k++ {
					key := fmt.Sprint(part, "-", applicant, "-", k)
					for range 2 { // the second is a repeat
						if status := send(key, "3"); status != http.StatusCreated {
							t.Error(status)
							return
						}
						accepted.Add(1)
					}
					if status := send(key+"-none", "0"); status != http.StatusUnprocessableEntity {
						t.Error(status)
						return
					}
					refused.Add(1)
				}
			})
		}
		all.Wait()
		client.CloseIdleConnections()
	}
	taken := func() (memory uint64, files, goroutines int) {
		time.Sleep(200 * time.Millisecond) // the connections that were closed end
		runtime.GC()
		var stats runtime.MemStats
		runtime.ReadMemStats(&stats)
		open, _ := os.ReadDir("/proc/self/fd") // none where there is no such folder
		return stats.HeapAlloc, len(open), runtime.NumGoroutine()
	}
	load(1, time.Now().Add(lasts/3))
	memory, files, goroutines := taken()
	load(2, time.Now().Add(lasts*2/3))
	memoryThen, filesThen, goroutinesThen := taken()
	t.Logf("%d accepted, %d refused; memory %d KiB, then %d KiB; files %d, then %d; goroutines %d, then %d",
		accepted.Load(), refused.Load(), memory>>10, memoryThen>>10, files, filesThen, goroutines, goroutinesThen)
	require.Less(t, memoryThen, memory+memory/2+8<<20)
	require.LessOrEqual(t, filesThen, files+8)
	require.LessOrEqual(t, goroutinesThen, goroutines+8)
	server.Close()
	require.NoError(t, o.Close())
}
