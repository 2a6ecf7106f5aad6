package try

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
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
)

// Options of a run.
type Options struct {
	Page    string   // a URL, or a folder of static files, which is served
	Record  []byte   // JSON that a load is answered with; nil: a sample
	Refusal []byte   // JSON that refuses a field, as the form's server writes it; nil: problem details
	Only    []string // names of trials; none: all
	// Chromium is the program; empty: found on the path.
	Chromium string
	Visible  bool // with a window
	Tabs     int  // trials at the same time; 0: three
	// Progress is told each result as it comes, one at a time; nil: nobody.
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

// Answer is what all trials of a page found.
type Answer struct {
	Page    string   `json:"page"`
	Form    string   `json:"form"`
	Missing []string `json:"missing,omitempty"` // fields that are not on the page as it opens; those in rows are not meant
	Results []Result `json:"results"`
	Stopped []string `json:"stopped,omitempty"` // what the page sent that could change something, and nothing declares: it was answered here
}

// Count is how many trials had a verdict.
func (a *Answer) Count(v Verdict) int {
	n := 0
	for _, r := range a.Results {
		if r.Verdict == v {
			n++
		}
	}
	return n
}

// Untold is the reason that most of the trials have which cannot tell.
func (a *Answer) Untold() (why string) {
	count := map[string]int{}
	for _, r := range a.Results {
		if r.Verdict == CannotTell {
			if count[r.Why]++; count[r.Why] > count[why] {
				why = r.Why
			}
		}
	}
	return why
}

// ErrNoChromium is the error where no browser is found.
var ErrNoChromium = errors.New("found no Chromium; right would be: apt-get install chromium, or --chromium PATH")

// Run makes the trials, each on a page that was opened for it. An error is one of
// the question or of the browser; what the page does wrong is in the answer.
func Run(ctx context.Context, source *declare.Source, o Options) (*Answer, error) {
	program := o.Chromium
	if program == "" {
		program = chromium.Find()
	}
	if program == "" {
		return nil, ErrNoChromium
	}
	for _, name := range o.Only {
		if !slices.ContainsFunc(trials, func(t trial) bool { return t.name == name }) {
			return nil, fmt.Errorf("found no trial %q; right would be one of: %s", name, strings.Join(names(), ", "))
		}
	}
	backend, err := newPlan(source, o)
	if err != nil {
		return nil, err
	}
	page, end, err := address(o.Page)
	if err != nil {
		return nil, err
	}
	defer end()
	wall, err := newWall()
	if err != nil {
		return nil, fmt.Errorf("the proxy that the browser goes through does not start: %w", err)
	}
	defer wall.close()
	profile, err := os.MkdirTemp("", "leanwicket-try-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(profile) }()
	allocated, stop := chromedp.NewExecAllocator(ctx, append(chromium.Options(program, profile, o.Visible), wall.options()...)...)
	defer stop()
	browser, closeBrowser := chromedp.NewContext(allocated)
	defer closeBrowser()
	// The first use is one without a deadline: a browser whose first use has one is
	// lost when that is over.
	if err := chromedp.Do(browser, chromedp.EmulateViewport(1280, 800)); err != nil {
		return nil, fmt.Errorf("the browser %s does not start: %w", program, err)
	}
	chosen := slices.DeleteFunc(slices.Clone(trials), func(t trial) bool { return len(o.Only) > 0 && !slices.Contains(o.Only, t.name) })
	answer := &Answer{Page: o.Page, Form: source.Form.Name, Results: make([]Result, len(chosen))}
	if answer.Missing, err = meet(browser, page, backend); err != nil {
		return nil, err
	}
	var work errgroup.Group
	work.SetLimit(cmp.Or(o.Tabs, 3))
	var telling sync.Mutex
	for k, t := range chosen {
		work.Go(func() (err error) {
			if answer.Results[k], err = t.make(browser, page, backend); err == nil && o.Progress != nil {
				telling.Lock()
				defer telling.Unlock()
				o.Progress(answer.Results[k])
			}
			return err
		})
	}
	err = work.Wait()
	closeBrowser() // what it sends when it goes is stopped too
	answer.Stopped = slices.DeleteFunc(wall.list(), backend.declares)
	return answer, err
}

// meet opens the page once. An error says that it is not the form's, or is not there.
func meet(browser context.Context, page string, p *plan) (missing []string, err error) {
	met, err := trial{run: func(t *tab) (Verdict, string) {
		l := t.open()
		for _, path := range p.paths {
			group, _ := p.inRows(path)
			if _, there := l.Fields[path]; !there && group == "" {
				missing = append(missing, path)
			}
		}
		return Kept, "the page is the form's"
	}}.make(browser, page, p)
	if err == nil && met.Verdict == CannotTell {
		err = errors.New(met.Why)
	}
	return missing, err
}

func names() []string {
	var list []string
	for _, t := range trials {
		list = append(list, t.name)
	}
	return list
}

// address is the page's, and what ends the server of a folder.
func address(page string) (string, func(), error) {
	if strings.HasPrefix(page, "http://") || strings.HasPrefix(page, "https://") {
		return page, func() {}, nil
	}
	info, err := os.Stat(page)
	if err != nil {
		return "", nil, fmt.Errorf("found no page %s; right would be an address such as http://127.0.0.1:8000/ or a folder with an index.html", page)
	}
	dir, file := page, ""
	if !info.IsDir() {
		dir, file = ".", ""
		if k := strings.LastIndexByte(page, '/'); k >= 0 {
			dir, file = page[:k], page[k+1:]
		} else {
			file = page
		}
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, err
	}
	server := &http.Server{Handler: http.FileServer(http.Dir(dir)), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = server.Serve(listener) }()
	return "http://" + listener.Addr().String() + "/" + file, func() { _ = server.Close() }, nil
}
