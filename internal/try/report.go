package try

import (
	_ "embed"
	"encoding/base64"
	"encoding/xml"
	"errors"
	"fmt"
	"html/template"
	"io"
	"os"
	"path/filepath"
	"strings"

	"leanwicket.dev/internal/palette"
)

// WriteTable writes the answer as a table, one line a trial, and the counts.
func (a *Report) WriteTable(w io.Writer) error {
	var text strings.Builder
	fmt.Fprintf(&text, "%s, form %s\n", a.Page, a.Form)
	if len(a.Missing) > 0 {
		fmt.Fprintf(&text, "not on the page as it opens: %s\n", strings.Join(a.Missing, ", "))
	}
	if len(a.Moving) > 0 {
		fmt.Fprintf(&text, "changes by itself, and counts for nothing: %s\n", strings.Join(a.Moving, ", "))
	}
	text.WriteByte('\n')
	width, verdict := len("trial"), len(NotApplicable)
	for _, r := range a.Results {
		width = max(width, len(r.Trial))
	}
	line := func(trial, what, why string) {
		fmt.Fprintf(&text, "%-*s  %-*s  %s\n", width, trial, verdict, what, why)
	}
	line("trial", "verdict", "why")
	for _, r := range a.Results {
		line(r.Trial, string(r.Verdict), r.Why)
	}
	fmt.Fprintf(&text, "\n%s\n", a.counts())
	if len(a.Stopped) > 0 {
		fmt.Fprintf(&text, "sent beside the form, and answered here with 204: %s\n", strings.Join(a.Stopped, ", "))
	}
	_, err := io.WriteString(w, text.String())
	return err
}

type junitSuite struct {
	XMLName  xml.Name    `xml:"testsuite"`
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Skipped  int         `xml:"skipped,attr"`
	Cases    []junitCase `xml:"testcase"`
}

type junitCase struct {
	Class   string     `xml:"classname,attr"`
	Name    string     `xml:"name,attr"`
	Failure *junitText `xml:"failure,omitempty"`
	Skipped *junitText `xml:"skipped,omitempty"`
}

type junitText struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

// WriteJUnit writes the answer as CI systems read it: a broken trial is a failure,
// one that does not apply, cannot be told or is excused is skipped.
func (a *Report) WriteJUnit(w io.Writer) error {
	suite := junitSuite{Name: a.Page, Tests: len(a.Results), Failures: a.Count(Broken), Skipped: len(a.Results) - a.Count(Kept) - a.Count(Broken)}
	for _, r := range a.Results {
		c := junitCase{Class: a.Form, Name: r.Trial}
		switch r.Verdict {
		case Broken:
			c.Failure = &junitText{r.Why, r.evidence()}
		case NotApplicable, CannotTell, Excused:
			c.Skipped = &junitText{Message: string(r.Verdict) + ": " + r.Why}
		}
		suite.Cases = append(suite.Cases, c)
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	encoder := xml.NewEncoder(w)
	encoder.Indent("", "  ")
	if err := encoder.Encode(suite); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// evidence is what was done and seen, a line each.
func (r *Result) evidence() string {
	var text strings.Builder
	fmt.Fprintf(&text, "%s: %s\n%s: %s\n\n", r.Trial, r.Asks, r.Verdict, r.Why)
	for _, m := range r.Timeline {
		fmt.Fprintf(&text, "%8v  %-9s  %s\n", m.At, m.Who, m.What)
	}
	return text.String()
}

//go:embed report.html
var reportText string

var reportPage = template.Must(template.New("report").Funcs(template.FuncMap{
	"picture": func(r *Result) (template.HTML, error) {
		var svg strings.Builder
		err := r.Picture().WriteSVG(&svg)
		_, drawn, _ := strings.Cut(svg.String(), "<svg")
		return template.HTML("<svg" + drawn), err // it is drawn here, and its texts are escaped
	},
	"screenshot": func(r *Result) template.URL {
		return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(r.Screenshot))
	},
	"class": func(v Verdict) string { return strings.ReplaceAll(string(v), " ", "-") },
}).Parse(reportText))

// WriteReport writes the answer as one HTML page that needs nothing else: every trial with
// what was done and sent, and of a broken one a picture and a screenshot. What was typed at
// private fields is not in it.
func (a *Report) WriteReport(w io.Writer) error {
	results := make([]*Result, len(a.Results))
	for k := range a.Results {
		results[k] = &a.Results[k]
	}
	return reportPage.Execute(w, struct {
		*Report
		CSS     template.CSS
		Counts  string
		Results []*Result
	}{a, template.CSS(palette.CSS()), a.counts(), results})
}

func (a *Report) counts() string {
	text := fmt.Sprintf("%d trials: %d kept, %d broken, %d not applicable, %d cannot tell", len(a.Results), a.Count(Kept), a.Count(Broken), a.Count(NotApplicable), a.Count(CannotTell))
	if excused := a.Count(Excused); excused > 0 {
		text += fmt.Sprintf(", %d excused", excused)
	}
	return text
}

// WriteEvidence writes into a folder a report of everything, and of each broken trial what
// was done, as a text and as a picture, and a screenshot.
func (a *Report) WriteEvidence(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	report, err := os.Create(filepath.Join(dir, "report.html"))
	if err != nil {
		return err
	}
	if err := errors.Join(a.WriteReport(report), report.Close()); err != nil {
		return err
	}
	for k := range a.Results {
		r := &a.Results[k]
		if r.Verdict != Broken {
			continue
		}
		if err := os.WriteFile(filepath.Join(dir, r.Trial+".txt"), []byte(r.evidence()), 0o644); err != nil {
			return err
		}
		file, err := os.Create(filepath.Join(dir, r.Trial+".svg"))
		if err != nil {
			return err
		}
		if err := errors.Join(r.Picture().WriteSVG(file), file.Close()); err != nil {
			return err
		}
		if r.Screenshot != nil {
			if err := os.WriteFile(filepath.Join(dir, r.Trial+".png"), r.Screenshot, 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}
