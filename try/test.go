package try

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"leanwicket.dev/declare"
)

// Test tries a page in a test of a program's own, as the command does: the form file says what the
// page's form is, and NAME.try.yaml beside it what the page needs, unless Options.Declared has that.
// Each trial is a subtest: a guarantee that is broken fails it, with what was done, and what does
// not apply or cannot be told is skipped. Where no browser is found, the test is skipped.
//
//	func TestPermitPage(t *testing.T) {
//		server := httptest.NewServer(http.FileServer(http.Dir("site")))
//		defer server.Close()
//		try.Test(t, "permit.form.yaml", try.Options{Page: server.URL + "/permit"})
//	}
func Test(t *testing.T, formFile string, o Options) {
	t.Helper()
	source, err := declare.Open(formFile)
	if err != nil {
		t.Fatal(err)
	}
	if o.Declared == nil {
		if o.Declared, err = DeclaredBeside(source); err != nil {
			t.Fatal(err)
		}
	}
	report, err := Run(t.Context(), source, o)
	if errors.Is(err, ErrNoChromium) {
		t.Skip(err)
	}
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range report.Results {
		t.Run(r.Trial, func(t *testing.T) {
			switch r.Verdict {
			case Kept:
			case Broken:
				t.Errorf("%s: %s\n%s", r.Asks, r.Why, r.history())
			default:
				t.Skipf("%s: %s", r.Verdict, r.Why)
			}
		})
	}
}

// history lists what was done and seen in a trial, one thing a line.
func (r *Result) history() string {
	var b strings.Builder
	for _, m := range r.Timeline {
		fmt.Fprintf(&b, "  %s %s: %s\n", m.At, m.Who, m.What)
	}
	return b.String()
}
