package diagram

import (
	"strings"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"leanwicket.dev/internal/palette"
)

// Drawing is a picture as a list of shapes. Lengths are CSS pixels, y grows
// downwards.
type Drawing struct {
	Width, Height float64
	Title         string // what it shows, in a few words
	Description   string // the same in sentences, for those who do not see it
	Shapes        []Shape
}

// Shape is a line through its points, a filled area, or a text at its first
// point.
type Shape struct {
	Points []Point
	Closed bool  // an area
	Fill   Color // of an area or a text
	Stroke Color // of a line, or around an area
	Width  float64
	Dash   []float64

	Text string
	Size float64
	Bold bool
	// Behind is the color of a patch behind a text that stands over lines.
	Behind Color
}

// Point is a place.
type Point struct{ X, Y float64 }

// Color is one of the few colors that the pictures use. Each has a light and a
// dark form.
type Color uint8

// The colors. They differ in lightness too.
const (
	None   Color = iota
	Page         // the background
	Ink          // text
	Faint        // grids and what is of less interest
	Line         // axes, lanes, lifelines
	Calm         // what is saved or in order
	Edited       // what is unsaved
	Work         // what is on its way
	Good         // accepted
	Bad          // issues, refusals, broken guarantees
	Unsure       // unsettled, waiting
	colorCount
)

var colors = [colorCount]palette.Color{
	Page: palette.Ground, Ink: palette.Ink, Faint: palette.Hair, Line: palette.Quiet, Calm: palette.Calm, Edited: palette.Edited,
	Work: palette.Work, Good: palette.Good, Bad: palette.Wrong, Unsure: palette.Unsure,
}

// The class names of the colors in an SVG.
var colorNames = [colorCount]string{"none", "page", "ink", "faint", "line", "calm", "edited", "work", "good", "bad", "unsure"}

func (d *Drawing) add(s Shape) { d.Shapes = append(d.Shapes, s) }

func (d *Drawing) line(c Color, width float64, dash []float64, points ...Point) {
	d.add(Shape{Points: points, Stroke: c, Width: width, Dash: dash})
}

func (d *Drawing) box(x, y, w, h float64, fill, stroke Color, width float64) {
	d.add(Shape{Points: []Point{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}, Closed: true, Fill: fill, Stroke: stroke, Width: width})
}

// text writes from x on; y is the baseline.
func (d *Drawing) text(x, y float64, c Color, size float64, bold bool, text string) {
	d.add(Shape{Points: []Point{{x, y}}, Fill: c, Text: text, Size: size, Bold: bold})
}

// patched writes a text that stands over lines.
func (d *Drawing) patched(x, y float64, c Color, size float64, text string) {
	d.add(Shape{Points: []Point{{x, y}}, Fill: c, Text: text, Size: size, Behind: Page})
}

// arrowHead points to (x, y), to the right or to the left.
func (d *Drawing) arrowHead(x, y float64, right bool, c Color) {
	back := 7.0
	if right {
		back = -back
	}
	d.add(Shape{Points: []Point{{x, y}, {x + back, y - 3.5}, {x + back, y + 3.5}}, Closed: true, Fill: c})
}

// faces are the fonts: their outlines are part of the program.
type faces struct{ regular, bold *opentype.Font }

func newFaces() (*faces, error) {
	regular, err := opentype.Parse(goregular.TTF)
	if err != nil {
		return nil, err
	}
	bold, err := opentype.Parse(gobold.TTF)
	return &faces{regular, bold}, err
}

func (f *faces) face(size float64, bold bool) (font.Face, error) {
	outlines := f.regular
	if bold {
		outlines = f.bold
	}
	return opentype.NewFace(outlines, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingNone})
}

// ruler measures texts.
type ruler struct {
	fonts *faces
	known map[sized]font.Face
}

type sized struct {
	size float64
	bold bool
}

func newRuler() (*ruler, error) {
	fonts, err := newFaces()
	return &ruler{fonts, map[sized]font.Face{}}, err
}

// width is how wide a text is.
func (r *ruler) width(text string, size float64, bold bool) float64 {
	face := r.known[sized{size, bold}]
	if face == nil {
		made, err := r.fonts.face(size, bold)
		if err != nil {
			return float64(len(text)) * size * 0.6 // a font of the program that cannot be read: near enough
		}
		face = made
		r.known[sized{size, bold}] = face
	}
	return float64(font.MeasureString(face, text)) / float64(fixed.I(1))
}

// wrap breaks a text into lines of a width, between words.
func (r *ruler) wrap(text string, size, width float64) []string {
	var lines []string
	line := ""
	for word := range strings.FieldsSeq(text) {
		longer := strings.TrimSpace(line + " " + word)
		if line != "" && r.width(longer, size, false) > width {
			lines = append(lines, line)
			longer = word
		}
		line = r.shorten(longer, size, width)
	}
	return append(lines, line)
}

// shorten cuts a text to a width, with an ellipsis.
func (r *ruler) shorten(text string, size, most float64) string {
	return r.cut(text, size, false, most)
}

func (r *ruler) shortenBold(text string, size, most float64) string {
	return r.cut(text, size, true, most)
}

func (r *ruler) cut(text string, size float64, bold bool, most float64) string {
	if r.width(text, size, bold) <= most {
		return text
	}
	runes := []rune(text)
	for len(runes) > 1 {
		runes = runes[:len(runes)-1]
		if short := string(runes) + "…"; r.width(short, size, bold) <= most {
			return short
		}
	}
	return "…"
}
