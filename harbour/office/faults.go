package office

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/formhttp"
	"leanwicket.dev/internal/seen"
)

// The kinds of request that trouble is turned on for.
var requestKinds = []string{"load", "check", "submit"}

// The troubles.
const (
	asUsual     = "as usual"
	refuse      = "refuse"       // 422
	outage      = "outage"       // 503, with Retry-After
	signedOut   = "signed out"   // 401
	lostRequest = "lost request" // the connection breaks before the work
	lostReply   = "lost reply"   // the connection breaks after the work
)

var troubles = []string{asUsual, refuse, outage, signedOut, lostRequest, lostReply}

// Fault is what happens to a request instead of, or before, what usually does.
type Fault struct {
	Does  string        // one of the troubles
	Delay time.Duration // before anything else
	Times int           // for so many requests; 0 means until it is turned off
}

// ParseFault reads a fault as the header Harbour-Fault has it: "lost reply;
// delay=2s".
func ParseFault(text string) (Fault, error) {
	f := Fault{Does: asUsual}
	for part := range strings.SplitSeq(text, ";") {
		part = strings.TrimSpace(part)
		if after, found := strings.CutPrefix(part, "delay="); found {
			delay, err := time.ParseDuration(after)
			if err != nil || delay < 0 || delay > time.Minute {
				return f, fmt.Errorf("found the delay %q; right would be one such as 2s, of up to a minute", after)
			}
			f.Delay = delay
			continue
		}
		if part != "" && !slices.Contains(troubles, part) {
			return f, fmt.Errorf("found the trouble %q; right would be one of: %s", part, strings.Join(troubles, ", "))
		}
		if part != "" {
			f.Does = part
		}
	}
	return f, nil
}

// response is what a troubled request gets instead of an answer.
func (f Fault) response() (formhttp.Answer, bool) {
	switch f.Does {
	case refuse:
		return problem(http.StatusUnprocessableEntity, "The harbour office refuses everything at the moment."), true
	case outage:
		r := problem(http.StatusServiceUnavailable, "The harbour office is closed for a moment.")
		r.Header = http.Header{"Retry-After": {"2"}}
		return r, true
	case signedOut:
		return problem(http.StatusUnauthorized, "Your sign-in has expired."), true
	}
	return formhttp.Answer{}, false
}

// faults are what is turned on, by kind of request.
type faults struct {
	mu sync.Mutex
	on map[string]Fault
}

func (f *faults) set(kind string, fault Fault) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.on == nil {
		f.on = map[string]Fault{}
	}
	f.on[kind] = fault
}

func (f *faults) now(kind string) Fault {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.on[kind]
}

// take is the fault of one request, which may be the last that has it.
func (f *faults) take(kind string) Fault {
	f.mu.Lock()
	defer f.mu.Unlock()
	fault := f.on[kind]
	switch {
	case fault.Times > 1:
		left := fault
		left.Times--
		f.on[kind] = left
	case fault.Times == 1:
		delete(f.on, kind)
	}
	return fault
}

type faultKey struct{}

func trouble(ctx context.Context) Fault {
	f, _ := ctx.Value(faultKey{}).(Fault)
	return f
}

// kindOf returns the kind of a request. It is empty for a page, which is always answered.
func kindOf(r *http.Request) string {
	path := r.URL.Path
	within := func(prefixes ...string) bool {
		return slices.ContainsFunc(prefixes, func(p string) bool { return strings.HasPrefix(path, p) })
	}
	switch {
	case path == "/panel", path == "/live", r.URL.Query().Has("leanwicket-form"):
		return ""
	case r.Method != http.MethodGet && r.Method != http.MethodHead:
		return "submit"
	case within("/berths/", "/slots/", "/vessels/"):
		return "check"
	case within("/registry/", "/plans/", "/forms/", "/plain/"):
		return "load"
	default:
		return ""
	}
}

// troubled answers a request with its fault. The fault is the one that its header names, or else the one
// that is turned on for its kind.
func (o *Office) troubled(w http.ResponseWriter, r *http.Request, next http.Handler) {
	kind := kindOf(r)
	if kind == "" {
		next.ServeHTTP(w, r)
		return
	}
	var fault Fault
	if text := r.Header.Get("Harbour-Fault"); text != "" {
		var err error
		if fault, err = ParseFault(text); err != nil {
			writeJSON(w, problem(http.StatusBadRequest, "Harbour-Fault: "+err.Error()))
			return
		}
	} else {
		fault = o.faults.take(kind)
	}
	response := &seen.Writer{ResponseWriter: w, Status: http.StatusOK}
	answered := response.Header() // also where nobody gets it
	defer func() { o.recent.add(r, kind, answered.Get("Idempotency-Key"), fault, response.Status) }()
	select {
	case <-time.After(fault.Delay):
	case <-r.Context().Done():
		response.Status = 0
		return
	}
	r = r.WithContext(context.WithValue(r.Context(), faultKey{}, fault))
	switch fault.Does {
	case lostRequest:
		response.Status = 0
		panic(http.ErrAbortHandler)
	case lostReply:
		next.ServeHTTP(&discarded{answered}, r)
		response.Status = 0
		panic(http.ErrAbortHandler)
	default:
		next.ServeHTTP(response, r)
	}
}

// discarded takes a response that nobody gets.
type discarded struct{ header http.Header }

func (d *discarded) Header() http.Header         { return d.header }
func (d *discarded) Write(b []byte) (int, error) { return len(b), nil }
func (d *discarded) WriteHeader(int)             {}
