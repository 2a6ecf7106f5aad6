package scenario

import (
	"encoding/xml"
	"io"
	"strings"
)

// WriteJUnit writes results in the XML that CI servers read. Each form is a test suite,
// and each scenario a test case.
func WriteJUnit(w io.Writer, results []*Result, unread []error) error {
	type failure struct {
		Message string `xml:"message,attr"`
		Type    string `xml:"type,attr"`
		Text    string `xml:",chardata"`
	}
	type testCase struct {
		Name     string    `xml:"name,attr"`
		Class    string    `xml:"classname,attr"`
		File     string    `xml:"file,attr,omitempty"`
		Failures []failure `xml:"failure"`
		Error    *failure  `xml:"error"`
	}
	type suite struct {
		Name     string     `xml:"name,attr"`
		Tests    int        `xml:"tests,attr"`
		Failures int        `xml:"failures,attr"`
		Errors   int        `xml:"errors,attr"`
		Cases    []testCase `xml:"testcase"`
	}
	var suites []*suite
	of := func(name string) *suite {
		for _, s := range suites {
			if s.Name == name {
				return s
			}
		}
		suites = append(suites, &suite{Name: name})
		return suites[len(suites)-1]
	}
	for _, r := range results {
		s := of(r.Scenario.Form().Name)
		c := testCase{Name: r.Scenario.Name, Class: s.Name, File: r.Scenario.File}
		for _, f := range r.Failures {
			c.Failures = append(c.Failures, failure{"expected " + f.Expected + "; was " + f.Found, f.Kind.String(), f.String()})
		}
		s.Tests++
		if !r.Passed() {
			s.Failures++
		}
		s.Cases = append(s.Cases, c)
	}
	for _, err := range unread {
		s := of("files")
		first, _, _ := strings.Cut(err.Error(), "\n")
		s.Tests++
		s.Errors++
		s.Cases = append(s.Cases, testCase{Name: first, Class: s.Name, Error: &failure{first, "unreadable", err.Error()}})
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	encoder := xml.NewEncoder(w)
	encoder.Indent("", "  ")
	err := encoder.Encode(struct {
		XMLName xml.Name `xml:"testsuites"`
		Suites  []*suite `xml:"testsuite"`
	}{Suites: suites})
	if err == nil {
		_, err = io.WriteString(w, "\n")
	}
	return err
}
