package diagram_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/diagram"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/scenario"
	"leanwicket.dev/trace"
)

// textBox is where a text stands.
type textBox struct {
	text                     string
	left, top, right, bottom float64
}

func boxes(t require.TestingT, d *diagram.Drawing) []textBox {
	var all []textBox
	for _, s := range d.Shapes {
		if s.Text == "" {
			continue
		}
		ttf := goregular.TTF
		if s.Bold {
			ttf = gobold.TTF
		}
		outlines, err := opentype.Parse(ttf)
		require.NoError(t, err)
		face, err := opentype.NewFace(outlines, &opentype.FaceOptions{Size: s.Size, DPI: 72})
		require.NoError(t, err)
		at := s.Points[0]
		all = append(all, textBox{s.Text, at.X, at.Y - 0.75*s.Size, at.X + float64(font.MeasureString(face, s.Text))/64, at.Y + 0.2*s.Size})
	}
	return all
}

// wellPlaced asks that no text stands on another, and that all stand on the page.
func wellPlaced(t require.TestingT, d *diagram.Drawing) {
	all := boxes(t, d)
	for k, b := range all {
		require.True(t, b.left >= 0 && b.right <= d.Width+0.5 && b.top >= 0 && b.bottom <= d.Height, "%q leaves the page: %v", b.text, b)
		for _, other := range all[:k] {
			apart := b.right <= other.left+0.5 || other.right <= b.left+0.5 || b.bottom <= other.top+0.5 || other.bottom <= b.top+0.5
			require.True(t, apart, "%q %v stands on %q %v", b.text, b, other.text, other)
		}
	}
	for _, s := range d.Shapes {
		for _, p := range s.Points {
			require.True(t, p.X >= 0 && p.X <= d.Width+1 && p.Y >= 0 && p.Y <= d.Height, "a shape leaves the page: %v", p)
		}
	}
}

func timeline(t require.TestingT, form *form.Form, recorded []byte, title string) *diagram.Drawing {
	record, err := trace.Read(bytes.NewReader(recorded))
	require.NoError(t, err)
	d, err := diagram.Timeline(form, record, title)
	require.NoError(t, err)
	return d
}

// Of any session the labels stand apart and on the page.
func TestLabelsOfAnySession(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := walk.New(walk.Form(t))
		var recorded bytes.Buffer
		writer := trace.NewWriter(&recorded, w.Session, w.Opening)
		at := time.Duration(0)
		most := 200
		if testing.Short() {
			most = 30
		}
		for range rapid.IntRange(0, most).Draw(t, "steps") {
			at += time.Duration(rapid.SampledFrom([]int{0, 1, 10, 400, 9000}).Draw(t, "pause")) * time.Millisecond
			e := w.Event(t)
			require.NoError(t, writer.Step(at, w.Step(e)))
		}
		wellPlaced(t, timeline(t, w.Session.Form(), recorded.Bytes(), strings.Repeat("A long title ", 20)))
	})
}

func harbourTimeline(t testing.TB, name string) *diagram.Drawing {
	s, err := scenario.NewReader(harbour.Files()).File(name)
	require.NoError(t, err)
	var recorded bytes.Buffer
	scenario.Play(s, scenario.Options{Trace: &recorded})
	return timeline(t, s.Form(), recorded.Bytes(), s.Name)
}

// harbourChart draws the chart of a form with the transitions that its scenarios
// take.
func harbourChart(t testing.TB, f string, o diagram.ChartOptions) ([]diagram.Arrow, *form.Form, *diagram.Drawing) {
	reader := scenario.NewReader(harbour.Files())
	count := map[lifecycle.Transition]int{}
	var declared *form.Form
	for _, name := range harbour.Scenarios() {
		s, err := reader.File(name)
		require.NoError(t, err)
		if s.Source.File == f {
			declared = s.Form()
			scenario.Play(s, scenario.Options{Taken: func(t lifecycle.Transition) { count[t]++ }})
		}
	}
	var arrows []diagram.Arrow
	for transition, times := range count {
		arrows = append(arrows, diagram.Arrow{Transition: transition, Taken: times % 3, Broken: o.Broken != "" && times == 1})
	}
	slices.SortFunc(arrows, func(a, b diagram.Arrow) int { return a.Compare(b.Transition) })
	d, err := diagram.Chart(declared, arrows, o)
	require.NoError(t, err)
	return arrows, declared, d
}

// The pictures of the demo are what they were, byte by byte and pixel by pixel.
// UPDATE=1 draws them anew: look at each.
func TestPicturesOfTheDemo(t *testing.T) {
	for _, name := range []string{"01-load-late-over-typing", "06-refused-and-corrected", "09-leaving-with-unsaved-work", "19-settled-before-anything-newer"} {
		d := harbourTimeline(t, name+".scenario.yaml")
		wellPlaced(t, d)
		same(t, name, d)
	}
	for name, o := range map[string]diagram.ChartOptions{"chart": {Covered: true}, "chart-broken": {Broken: "guarantee waiting-ends broken: sending has no timer armed"}} {
		_, _, d := harbourChart(t, "pilot.form.yaml", o)
		wellPlaced(t, d)
		same(t, name, d)
	}
}

func same(t *testing.T, name string, d *diagram.Drawing) {
	var svg, image bytes.Buffer
	require.NoError(t, d.WriteSVG(&svg))
	require.NoError(t, d.WritePNG(&image, 1))
	file := filepath.Join("testdata", name)
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(file+".svg", svg.Bytes(), 0o644))
		require.NoError(t, os.WriteFile(file+".png", image.Bytes(), 0o644))
	}
	before, err := os.ReadFile(file + ".svg")
	require.NoError(t, err)
	require.Equal(t, string(before), svg.String(), name)
	samePixels(t, file+".png", image.Bytes())
}

func samePixels(t *testing.T, file string, drawn []byte) {
	before, err := os.Open(file)
	require.NoError(t, err)
	defer before.Close()
	want, err := png.Decode(before)
	require.NoError(t, err)
	got, err := png.Decode(bytes.NewReader(drawn))
	require.NoError(t, err)
	require.Equal(t, want.Bounds(), got.Bounds(), file)
	different := 0
	for y := range want.Bounds().Dy() {
		for x := range want.Bounds().Dx() {
			r, g, b, _ := want.At(x, y).RGBA()
			r2, g2, b2, _ := got.At(x, y).RGBA()
			if max(r, r2)-min(r, r2) > 0x0800 || max(g, g2)-min(g, g2) > 0x0800 || max(b, b2)-min(b, b2) > 0x0800 {
				different++
			}
		}
	}
	require.Less(t, different, 50, file)
}

// An SVG is well-formed, and has title, description and real text, no script and
// nothing from elsewhere. At twice the scale a PNG has four times the pixels.
func TestWhatIsInAPicture(t *testing.T) {
	d := harbourTimeline(t, "06-refused-and-corrected.scenario.yaml")
	var svg, image bytes.Buffer
	require.NoError(t, d.WriteSVG(&svg))
	parse(t, svg.Bytes())
	for _, want := range []string{"<title", "<desc", "What the office refuses", "prefers-color-scheme: dark", "try 1 refused"} {
		require.Contains(t, svg.String(), want)
	}
	for _, unwanted := range []string{"<script", "href", "url("} {
		require.NotContains(t, svg.String(), unwanted)
	}
	require.NoError(t, d.WritePNG(&image, 2))
	twice, err := png.DecodeConfig(&image)
	require.NoError(t, err)
	require.Equal(t, [2]int{2560, 1600}, [2]int{twice.Width, twice.Height})
}

func parse(t *testing.T, text []byte) {
	for decoder := xml.NewDecoder(bytes.NewReader(text)); ; {
		_, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			return
		}
		require.NoError(t, err)
	}
}

// Every target in the SCXML is a state in it, and every transition is there.
func TestSCXML(t *testing.T) {
	arrows, form, _ := harbourChart(t, "pilot.form.yaml", diagram.ChartOptions{})
	var text bytes.Buffer
	require.NoError(t, diagram.WriteSCXML(&text, form, arrows))
	type state struct {
		ID         string  `xml:"id,attr"`
		Initial    string  `xml:"initial,attr"`
		States     []state `xml:"state"`
		Transition []struct {
			Event  string `xml:"event,attr"`
			Target string `xml:"target,attr"`
		} `xml:"transition"`
	}
	var chart struct {
		Parallel state `xml:"parallel"`
	}
	require.NoError(t, xml.Unmarshal(text.Bytes(), &chart))
	ids, transitions := map[string]bool{}, 0
	for _, region := range chart.Parallel.States {
		for _, s := range region.States {
			ids[s.ID] = true
		}
		require.True(t, ids[region.Initial], region.Initial)
	}
	for _, region := range chart.Parallel.States {
		for _, s := range region.States {
			for _, arrow := range s.Transition {
				require.True(t, ids[arrow.Target], arrow.Target)
				require.NotContains(t, arrow.Event, " ")
				transitions++
			}
		}
	}
	require.Greater(t, transitions, 10)

	reader := scxmlReader()
	if reader == "" {
		t.Log("not read by another program: found no qscxmlc (Debian: libqt5scxml5-bin)")
		return
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "pilot.scxml")
	require.NoError(t, os.WriteFile(file, text.Bytes(), 0o644))
	output, err := exec.Command(reader, file, "--header", filepath.Join(dir, "read.h"), "--impl", filepath.Join(dir, "read.cpp")).CombinedOutput()
	require.NoError(t, err, string(output))
}

// scxmlReader is a compiler of State Chart XML that a Debian package brings.
func scxmlReader() string {
	for _, name := range []string{"qscxmlc", "/usr/lib/qt5/bin/qscxmlc", "/usr/lib/qt6/libexec/qscxmlc"} {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	return ""
}

func TestARecordOfAnotherForm(t *testing.T) {
	s, err := scenario.NewReader(harbour.Files()).File("26-on-to-the-record.scenario.yaml")
	require.NoError(t, err)
	var recorded bytes.Buffer
	scenario.Play(s, scenario.Options{Trace: &recorded})
	_, other, _ := harbourChart(t, "pilot.form.yaml", diagram.ChartOptions{})
	record, err := trace.Read(&recorded)
	require.NoError(t, err)
	_, err = diagram.Timeline(other, record, "")
	require.ErrorContains(t, err, "a trace of the form visit; right would be one of pilot-booking")
}
