package try

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/chromedp"
	"golang.org/x/sync/errgroup"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromium"
)

// Verdict is what a trial found.
type Verdict string

// The verdicts.
const (
	Kept          Verdict = "kept"
	Broken        Verdict = "broken"
	NotApplicable Verdict = "not applicable"
	CannotTell    Verdict = "cannot tell"
	Excused       Verdict = "excused"
)

// Options of a run.
type Options struct {
	Page     string        // a URL, or a folder of static files, which is served; empty means the declared one
	Declared *Declarations // nil declares nothing
	Only     []string      // names of trials; empty means all
	// Chromium is the program; where it is empty one is looked for on the path.
	Chromium string
	Visible  bool // with a window
	Tabs     int  // trials at the same time; 0 means eight, for they wait most of the time
	// Progress is called with each result as it comes, one at a time. It may be nil.
	Progress func(Result)
}

// Time is what has passed since the page was opened, in milliseconds.
type Time int64

func (t Time) String() string { return fmt.Sprintf("%.2f s", float64(t)/1000) }

// Request is one that the page made to a declared address.
type Request struct {
	At     Time   `json:"ms"`
	Kind   string `json:"kind"`
	Method string `json:"method"`
	URL    string `json:"url"`
	Key    string `json:"key,omitempty"`
	Body   string `json:"body,omitempty"`
	Answer string `json:"answer"` // a status, or what happened instead
	Reply  string `json:"reply,omitempty"`
}

// Moment is something that was done or seen in a trial.
type Moment struct {
	At   Time   `json:"ms"`
	Who  string `json:"who"` // applicant, page, screen (what the applicant reads), backend, or the verdict
	What string `json:"what"`
}

// Result is what one trial found.
type Result struct {
	Trial      string    `json:"trial"`
	Asks       string    `json:"asks"`
	Verdict    Verdict   `json:"verdict"`
	Why        string    `json:"why"`
	Requests   []Request `json:"requests,omitempty"`
	Timeline   []Moment  `json:"timeline,omitempty"`
	Screenshot []byte    `json:"-"` // PNG, of a broken one
}

// Report is what all trials of a page found.
type Report struct {
	Page    string   `json:"page"`
	Form    string   `json:"form"`
	Missing []string `json:"missing,omitempty"` // fields that are not on the page as it opens; those in rows are not meant
	Moving  []string `json:"moving,omitempty"`  // selectors of what changes by itself on the page, and counts for nothing
	Results []Result `json:"results"`
	Stopped []string `json:"stopped,omitempty"` // what the page sent that could change something, and nothing declares: it was answered here
}

// Count is how many trials had a verdict.
func (report *Report) Count(v Verdict) int {
	n := 0
	for _, r := range report.Results {
		if r.Verdict == v {
			n++
		}
	}
	return n
}

// Untold is the most frequent reason of the trials that cannot tell.
func (report *Report) Untold() (why string) {
	count := map[string]int{}
	for _, r := range report.Results {
		if r.Verdict == CannotTell {
			if count[r.Why]++; count[r.Why] > count[why] {
				why = r.Why
			}
		}
	}
	return why
}

// ErrNoChromium is the error where no browser is found.
var ErrNoChromium = errors.New("found no Chromium; right would be: apt-get install chromium-headless-shell (for --visible: chromium), or --chromium PATH")

// Run makes the trials, each on a page that was opened for it. An error is one of
// the question or of the browser; what the page does wrong is in the report.
func Run(ctx context.Context, source *declare.Source, o Options) (*Report, error) {
	for _, name := range o.Only {
		if !slices.ContainsFunc(trials, func(t trial) bool { return t.name == name }) {
			return nil, fmt.Errorf("found no trial %q; right would be one of: %s", name, strings.Join(names(), ", "))
		}
	}
	chosen := slices.DeleteFunc(slices.Clone(trials), func(t trial) bool { return len(o.Only) > 0 && !slices.Contains(o.Only, t.name) })
	report := &Report{Form: source.Form.Name, Results: make([]Result, len(chosen))}
	stopped, err := withBrowser(ctx, source, o, func(browser context.Context, page string, p *plan) (err error) {
		if report.Missing, report.Moving, err = meet(browser, page, p); err != nil {
			return err
		}
		p.ignored = append(p.ignored, report.Moving...)
		report.Page = cmp.Or(o.Page, p.declared.Page)
		var work errgroup.Group
		work.SetLimit(cmp.Or(o.Tabs, 8))
		var telling sync.Mutex
		for _, k := range longestFirst(chosen) {
			work.Go(func() (err error) {
				t := chosen[k]
				if why := p.declared.Excused[t.name]; why != "" {
					report.Results[k] = Result{Trial: t.name, Asks: t.asks, Verdict: Excused, Why: why}
				} else if report.Results[k], err = t.make(browser, page, p); err != nil {
					return err
				}
				if o.Progress != nil {
					telling.Lock()
					defer telling.Unlock()
					o.Progress(report.Results[k])
				}
				return nil
			})
		}
		return work.Wait()
	})
	report.Stopped = stopped
	return report, err
}

// longestFirst are the places of trials in the order in which they begin: those that wait for
// long begin first, so that the others are made meanwhile.
func longestFirst(list []trial) []int {
	order := make([]int, len(list))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(lasting[list[b].name], lasting[list[a].name]) })
	return order
}

// withBrowser starts a browser behind a proxy, signs in, and does something with the page. It
// returns what was stopped, what the browser sends when it goes too.
func withBrowser(ctx context.Context, source *declare.Source, o Options, do func(browser context.Context, page string, p *plan) error) (stopped []string, err error) {
	program := cmp.Or(o.Chromium, chromium.Find(o.Visible))
	if program == "" {
		return nil, ErrNoChromium
	}
	p, err := newPlan(source, o)
	if err != nil {
		return nil, err
	}
	page, end, err := address(cmp.Or(o.Page, p.declared.Page), p.declared)
	if err != nil {
		return nil, err
	}
	defer end()
	proxy, err := newProxy(page, p.declared)
	if err != nil {
		return nil, fmt.Errorf("the proxy that the browser goes through does not start: %w", err)
	}
	defer proxy.close()
	profile, err := os.MkdirTemp("", "leanwicket-try-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(profile) }()
	allocated, stop := chromedp.NewExecAllocator(ctx, append(chromium.Options(program, profile, o.Visible), proxy.options()...)...)
	defer stop()
	browser, closeBrowser := chromedp.NewContext(allocated)
	defer closeBrowser()
	// The first use is one without a deadline: a browser whose first use has one is
	// lost when that is over.
	if err := chromedp.Do(browser, chromedp.EmulateViewport(1280, 800)); err != nil {
		return nil, fmt.Errorf("the browser %s does not start: %w", program, err)
	}
	if err = p.signIn(browser, page, proxy); err == nil {
		err = do(browser, page, p)
	}
	closeBrowser()
	if trouble := proxy.trouble(page); err != nil && trouble != nil {
		err = fmt.Errorf("%s cannot be opened: %w; right would be a page that is served, and certificate: in the try file where that is one of your own", page, trouble)
	}
	return slices.DeleteFunc(proxy.list(), p.declares), err
}

// meet opens the page once. An error says that it is not the form's, or is not there.
func meet(browser context.Context, page string, p *plan) (missing, moving []string, err error) {
	err = p.once(browser, page, func(t *tab) {
		l := t.open()
		for _, path := range p.paths {
			group, _ := p.inRows(path)
			if _, there := l.Fields[path]; !there && group == "" {
				missing = append(missing, path)
			}
		}
		text, err := t.js(fmt.Sprintf("talks(%d)", settles.Milliseconds()))
		t.need(err)
		t.need(json.Unmarshal([]byte(text), &moving))
	})
	return missing, moving, err
}

// once does something on a page that is opened for it, outside of any trial. It returns an error where
// a trial would end.
func (p *plan) once(browser context.Context, page string, do func(*tab)) error {
	made, err := trial{run: func(t *tab) (Verdict, string) {
		do(t)
		return Kept, "it is done"
	}}.make(browser, page, p)
	if err == nil && made.Verdict != Kept {
		err = errors.New(made.Why)
	}
	return err
}

func names() []string {
	var list []string
	for _, t := range trials {
		list = append(list, t.name)
	}
	return list
}

// address returns the page's address, and a function that ends the server of a folder.
func address(page string, d *Declarations) (string, func(), error) {
	if IsAddress(page) {
		return page, func() {}, nil
	}
	info, err := os.Stat(page)
	if page == "" || err != nil {
		return "", nil, fmt.Errorf("found no page %s; right would be an address such as http://127.0.0.1:8000/ or a folder with an index.html", page)
	}
	dir, start := page, strings.TrimPrefix(d.Start, "/")
	if !info.IsDir() {
		dir, start = filepath.Split(page)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, err
	}
	server := &http.Server{Handler: folder(cmp.Or(dir, "."), d.Fallback), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = server.Serve(listener) }()
	return "http://" + listener.Addr().String() + "/" + start, func() { _ = server.Close() }, nil
}

// folder serves files. For the address of a page that is no file it serves the fallback, as a
// single-page application wants it.
func folder(dir, fallback string) http.Handler {
	files := http.FileServer(http.Dir(dir))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := filepath.Join(dir, filepath.FromSlash(path.Clean("/"+r.URL.Path)))
		if _, err := os.Stat(name); err != nil && fallback != "" && strings.Contains(r.Header.Get("Accept"), "text/html") {
			http.ServeFile(w, r, filepath.Join(dir, fallback))
			return
		}
		files.ServeHTTP(w, r)
	})
}
