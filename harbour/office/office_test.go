package office_test

import (
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/harbour/office"
)

// desk is the office, and one who writes to it.
type desk struct {
	t    *testing.T
	site string
	file string // the office's database
}

func open(t *testing.T) desk {
	file := filepath.Join(t.TempDir(), "office.db")
	o, err := office.Open(file, office.Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	server := httptest.NewUnstartedServer(o)
	server.Config.ErrorLog = slog.NewLogLogger(slog.DiscardHandler, 0)
	server.Start()
	t.Cleanup(func() { server.Close(); require.NoError(t, o.Close()) })
	return desk{t, server.URL, file}
}

// ask sends a request: method and path, headers as "Name: value", a body. The
// status is 0 where the connection broke.
func (d desk) ask(request, body string, headers ...string) (status int, header http.Header, text string) {
	method, path, _ := strings.Cut(request, " ")
	r, err := http.NewRequest(method, d.site+path, strings.NewReader(body))
	require.NoError(d.t, err)
	if body != "" {
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Idempotency-Key", rand.Text())
	}
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		r.Header.Set(name, value)
	}
	client := http.Client{Transport: &http.Transport{DisableKeepAlives: true}} // else a broken connection is tried anew
	response, err := client.Do(r)
	if err != nil {
		return 0, nil, ""
	}
	defer response.Body.Close()
	read, err := io.ReadAll(response.Body)
	require.NoError(d.t, err)
	return response.StatusCode, response.Header, string(read)
}

func (d desk) permits() string {
	_, _, text := d.ask("GET /panel", "")
	_, after, _ := strings.Cut(text, "Permits in the database: <strong>")
	n, _, _ := strings.Cut(after, "<")
	return n
}

const application = `{"vessel": {"name": "Egret", "length": 9.4}, "arrival": "2031-05-02", "departure": "2031-05-09", "terms": true}`

// Whatever goes wrong on the way, a retry with the same key ends with one permit,
// and what settles nothing is not kept as its answer.
func TestTroubles(t *testing.T) {
	for _, c := range []struct {
		fault string
		first int
		kept  bool
	}{
		{"as usual", 201, true},
		{"lost reply; delay=10ms", 0, true},
		{"lost request", 0, false},
		{"outage", 503, false},
		{"signed out", 401, false},
	} {
		t.Run(c.fault, func(t *testing.T) {
			d := open(t)
			status, header, text := d.ask("POST /permits?button=apply", application, "Idempotency-Key: k1", "Harbour-Fault: "+c.fault)
			require.Equal(t, c.first, status, text)
			if status == 503 {
				require.Equal(t, "2", header.Get("Retry-After"))
			}
			status, header, text = d.ask("POST /permits?button=apply", application, "Idempotency-Key: k1")
			require.Equal(t, 201, status, text)
			require.JSONEq(t, `{"id": "P-0001"}`, text)
			require.Equal(t, c.kept, header.Get("Leanwicket-Repeat") == "true")
			require.Equal(t, "1", d.permits())
		})
	}
	d := open(t)
	for _, c := range []struct {
		fault string
		want  int
	}{{"lost reply", 0}, {"signed out", 401}, {"outage", 503}, {"refuse", 201}} { // the first was applied: nothing else is ever said of it
		status, _, text := d.ask("POST /permits?button=apply", application, "Idempotency-Key: k1", "Harbour-Fault: "+c.fault)
		require.Equal(t, c.want, status, text)
	}
	status, _, text := d.ask("POST /permits", application, "Harbour-Fault: storm")
	require.Equal(t, 400, status)
	require.Contains(t, text, "right would be one of: as usual, refuse")
	status, _, text = d.ask("GET /registry/vessel", "", "Harbour-Fault: refuse")
	require.Equal(t, 422, status, text)
	status, _, text = d.ask("GET /plain/vessel", "", "Harbour-Fault: outage")
	require.Equal(t, 200, status)
	require.NotContains(t, text, "Egret")
}

func TestBerths(t *testing.T) {
	d := open(t)
	apply := func(key, berth string) (int, string) {
		status, _, text := d.ask("POST /permits?button=apply", strings.Replace(application, `"arrival"`, `"berth": "`+berth+`", "arrival"`, 1), "Idempotency-Key: "+key)
		return status, text
	}
	status, text := apply("a", "A3")
	require.Equal(t, 201, status, text)
	for key, want := range map[string][2]string{
		"b": {"A3", "Berth A3 is taken at that time."}, "c": {"A1", "Berth A1 takes vessels of up to 8 m."}, "d": {"D9", "There is no berth D9."},
	} {
		status, text = apply(key, want[0])
		require.Equal(t, 422, status)
		require.Contains(t, text, `"pointer":"#/berth"`)
		require.Contains(t, text, want[1])
	}
	// Six berths beside A3 take 9.4 m, and only so many of ten at once get one.
	var all sync.WaitGroup
	var mu sync.Mutex
	got := map[int]int{}
	for k := range 10 {
		all.Go(func() {
			status, _, _ := d.ask("POST /permits?button=apply", application, "Idempotency-Key: many-"+string(rune('a'+k)))
			mu.Lock()
			defer mu.Unlock()
			got[status]++
		})
	}
	all.Wait()
	require.Equal(t, map[int]int{201: 6, 422: 4}, got)
	for path, want := range map[string]int{"/berths/A1": 204, "/berths/Z9": 422, "/vessels/Egret": 204, "/vessels/Nobody": 422, "/slots/09:30": 204} {
		status, _, text := d.ask("GET "+path, "")
		require.Equal(t, want, status, path+text)
	}
	status, _, _ = d.ask("POST /pilots", `{"slot": "09:30"}`, "Idempotency-Key: p1")
	require.Equal(t, 201, status)
	status, _, text = d.ask("GET /slots/09:30", "")
	require.Equal(t, 422, status, text)
	status, _, text = d.ask("POST /pilots", `{"slot": "09:30"}`, "Idempotency-Key: p2")
	require.Equal(t, 422, status, text)
	status, _, text = d.ask("GET /permits/P-0001", "")
	require.Equal(t, 200, status)
	require.Contains(t, text, "2031-05-02")
	status, _, _ = d.ask("GET /permits/P-0001", "", "Cookie: harbour-account=bo")
	require.Equal(t, 404, status)
}

// Rows of any number are as many rows in the database, sent as JSON or by a page
// without script.
func TestRowsOfAnyNumber(t *testing.T) {
	d := open(t)
	db, err := sql.Open("sqlite", d.file)
	require.NoError(t, err)
	defer db.Close()
	stored := func(number string) (names []string) {
		var body string
		require.NoError(t, db.QueryRow("SELECT body FROM bookings ORDER BY rowid DESC LIMIT 1").Scan(&body), number)
		var entry struct{ Boats []struct{ Name string } }
		require.NoError(t, json.Unmarshal([]byte(body), &entry))
		for _, boat := range entry.Boats {
			names = append(names, boat.Name)
		}
		return names
	}
	for _, number := range []int{1, 9, 10, 11, 20, 100} {
		var sent []string
		var list []any
		page := url.Values{"boats": {strconv.Itoa(number)}, "leanwicket-button": {"enter"}, "leanwicket-key": {"page-" + strconv.Itoa(number)}}
		for k := range number {
			sent = append(sent, "Gull "+strconv.Itoa(k))
			list = append(list, map[string]any{"name": sent[k]})
			page.Set("boats/"+strconv.Itoa(k)+"/name", sent[k])
		}
		body, err := json.Marshal(map[string]any{"boats": list})
		require.NoError(t, err)
		status, _, text := d.ask("POST /regatta", string(body), "Idempotency-Key: json-"+strconv.Itoa(number))
		require.Equal(t, 201, status, text)
		require.Equal(t, sent, stored("json"))
		status, _, text = d.ask("POST /plain/regatta", page.Encode(), "Content-Type: application/x-www-form-urlencoded")
		require.Equal(t, 200, status, text)
		require.Equal(t, sent, stored("page"))
	}
}

// A record is replaced over the version that it is based on, and a repeat gets
// its answer although that version is no longer the newest.
func TestRecords(t *testing.T) {
	d := open(t)
	_, header, _ := d.ask("GET /registry/contact", "")
	require.Equal(t, `"1"`, header.Get("ETag"))
	patch := func(key, version, body string) (int, http.Header, string) {
		return d.ask("PATCH /registry/contact?button=save", body, "Idempotency-Key: "+key, "If-Match: "+version)
	}
	for range 2 {
		status, header, text := patch("k1", `"1"`, `{"phone": null, "channel": "radio"}`)
		require.Equal(t, 200, status, text)
		require.Equal(t, `"2"`, header.Get("ETag"))
		require.JSONEq(t, `{"name": "Ada Fenwick", "channel": "radio", "notices": ["tides"]}`, text)
	}
	status, _, text := patch("k2", `"1"`, `{"name": "A. Fenwick"}`)
	require.Equal(t, 412, status, text)
	status, _, text = patch("k1", `"1"`, `{"name": "A. Fenwick"}`)
	require.Equal(t, 422, status, text)
	require.Contains(t, text, "with other answers")
	_, _, text = d.ask("GET /registry/contact", "", "Cookie: harbour-account=bo")
	require.Contains(t, text, "0100 200", "another account's record is its own")
}

func TestPanel(t *testing.T) {
	d := open(t)
	set := func(values url.Values) (int, string) {
		response, err := http.PostForm(d.site+"/panel", values)
		require.NoError(t, err)
		defer response.Body.Close()
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return response.StatusCode, string(text)
	}
	status, text := set(url.Values{"check-does": {"outage"}, "check-times": {"1"}, "load-does": {"as usual"}, "submit-does": {"refuse"}})
	require.Equal(t, 200, status, text)
	require.Contains(t, text, "<option selected>outage</option>")
	status, _, _ = d.ask("GET /slots/09:30", "")
	require.Equal(t, 503, status)
	status, _, _ = d.ask("GET /slots/09:30", "")
	require.Equal(t, 204, status, "once was asked for")
	status, _, _ = d.ask("POST /permits", application)
	require.Equal(t, 422, status)
	status, text = set(url.Values{"load-does": {"as usual"}, "load-delay": {"for ever"}})
	require.Equal(t, 422, status)
	require.Contains(t, text, "right would be one such as 2s")
	status, _ = set(url.Values{"usual": {""}})
	require.Equal(t, 200, status)
	status, _, _ = d.ask("POST /permits", application)
	require.Equal(t, 201, status)
	_, _, text = d.ask("GET /panel", "")
	require.Contains(t, text, "<td>POST /permits</td>")
}

// A browser for text terminals completes an application: what is said in the
// docs of pages without script.
func TestTextBrowser(t *testing.T) {
	lynx, err := exec.LookPath("lynx")
	if err != nil {
		t.Skip("lynx is not installed: apt-get install lynx, or run ./test")
	}
	d := open(t)
	var keys strings.Builder
	press := func(names ...string) {
		for _, name := range names {
			keys.WriteString("key " + name + "\n")
		}
	}
	down := func(times int) { press(slices.Repeat([]string{"Down Arrow"}, times)...) }
	down(2) // past the vessel, which is filled in
	press(strings.Split("2031-05-02", "")...)
	down(1)
	press(strings.Split("2031-05-09", "")...)
	down(8)
	press("^J") // ticks the terms
	down(1)
	press("^J", "q", "y") // applies
	script := filepath.Join(t.TempDir(), "keys")
	require.NoError(t, os.WriteFile(script, []byte(keys.String()), 0o644))
	c := exec.Command(lynx, "-accept_all_cookies", "-cmd_script="+script, d.site+"/plain/mooring")
	c.Env = append(os.Environ(), "TERM=xterm", "LINES=40", "COLUMNS=100")
	output, err := c.CombinedOutput()
	require.NoError(t, err, string(output))
	require.Equal(t, "1", d.permits(), string(output))
}
