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

// WriteTable writes the report as a table, one line a trial, and the counts.
func (report *Report) WriteTable(w io.Writer) error {
	var text strings.Builder
	fmt.Fprintf(&text, "%s, form %s\n", report.Page, report.Form)
	if len(report.Missing) > 0 {
		fmt.Fprintf(&text, "not on the page as it opens: %s\n", strings.Join(report.Missing, ", "))
	}
	if len(report.Moving) > 0 {
		fmt.Fprintf(&text, "changes by itself, and counts for nothing: %s\n", strings.Join(report.Moving, ", "))
	}
	text.WriteByte('\n')
	width, verdict := len("trial"), len(NotApplicable)
	for _, r := range report.Results {
		width = max(width, len(r.Trial))
	}
	line := func(trial, what, why string) {
		fmt.Fprintf(&text, "%-*s  %-*s  %s\n", width, trial, verdict, what, why)
	}
	line("trial", "verdict", "why")
	for _, r := range report.Results {
		line(r.Trial, string(r.Verdict), r.Why)
	}
	fmt.Fprintf(&text, "\n%s\n", report.counts())
	if len(report.Stopped) > 0 {
		fmt.Fprintf(&text, "sent beside the form, and answered here with 204: %s\n", strings.Join(report.Stopped, ", "))
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

// WriteJUnit writes the report as CI systems read it: a broken trial is a failure,
// one that does not apply, cannot be told or is excused is skipped.
func (report *Report) WriteJUnit(w io.Writer) error {
	suite := junitSuite{Name: report.Page, Tests: len(report.Results), Failures: report.Count(Broken), Skipped: len(report.Results) - report.Count(Kept) - report.Count(Broken)}
	for _, r := range report.Results {
		c := junitCase{Class: report.Form, Name: r.Trial}
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

// evidence lists what was done and seen, one thing a line.
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
		err := r.picture().WriteSVG(&svg)
		_, drawn, _ := strings.Cut(svg.String(), "<svg")
		return template.HTML("<svg" + drawn), err // it is drawn here, and its texts are escaped
	},
	"screenshot": func(r *Result) template.URL {
		return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(r.Screenshot))
	},
	"class": func(v Verdict) string { return strings.ReplaceAll(string(v), " ", "-") },
}).Parse(reportText))

// WriteReport writes the report as one HTML page that needs nothing else: every trial with
// what was done and sent, and of a broken one a picture and a screenshot. What was typed at
// private fields is not in it.
func (report *Report) WriteReport(w io.Writer) error {
	results := make([]*Result, len(report.Results))
	for k := range report.Results {
		results[k] = &report.Results[k]
	}
	return reportPage.Execute(w, struct {
		*Report
		CSS     template.CSS
		Counts  string
		Results []*Result
	}{report, template.CSS(palette.CSS()), report.counts(), results})
}

func (report *Report) counts() string {
	text := fmt.Sprintf("%d trials: %d kept, %d broken, %d not applicable, %d cannot tell", len(report.Results), report.Count(Kept), report.Count(Broken), report.Count(NotApplicable), report.Count(CannotTell))
	if excused := report.Count(Excused); excused > 0 {
		text += fmt.Sprintf(", %d excused", excused)
	}
	return text
}

// WriteEvidence writes into a folder a report of everything, and of each broken trial what
// was done, as a text and as a picture, and a screenshot.
func (report *Report) WriteEvidence(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	page, err := os.Create(filepath.Join(dir, "report.html"))
	if err != nil {
		return err
	}
	if err := errors.Join(report.WriteReport(page), page.Close()); err != nil {
		return err
	}
	for k := range report.Results {
		r := &report.Results[k]
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
		if err := errors.Join(r.picture().WriteSVG(file), file.Close()); err != nil {
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
