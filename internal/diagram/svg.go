package diagram

import (
	"bufio"
	"fmt"
	"html"
	"io"
	"strconv"
	"strings"
)

// WriteSVG writes the drawing as SVG 1.1. It has real text, a title and a description, and
// it has no script and loads nothing. Where the reader prefers dark, the drawing is dark.
func (d *Drawing) WriteSVG(out io.Writer) error {
	w := bufio.NewWriter(out)
	measure, err := newRuler()
	if err != nil {
		return err
	}
	fmt.Fprintf(w, `<svg xmlns="http://www.w3.org/2000/svg" width="%s" height="%s" viewBox="0 0 %s %s" role="img" aria-labelledby="title description">`+"\n",
		number(d.Width), number(d.Height), number(d.Width), number(d.Height))
	fmt.Fprintf(w, "<title id=\"title\">%s</title>\n<desc id=\"description\">%s</desc>\n", html.EscapeString(d.Title), html.EscapeString(d.Description))
	w.WriteString("<style>\ntext{font-family:Go,\"Helvetica Neue\",Arial,sans-serif;white-space:pre}\n")
	for c := Page; c < colorCount; c++ {
		fmt.Fprintf(w, ".f-%s{fill:#%06x}.s-%s{stroke:#%06x}\n", colorNames[c], colors[c].Light, colorNames[c], colors[c].Light)
	}
	w.WriteString("@media (prefers-color-scheme: dark){\n")
	for c := Page; c < colorCount; c++ {
		fmt.Fprintf(w, ".f-%s{fill:#%06x}.s-%s{stroke:#%06x}\n", colorNames[c], colors[c].Dark, colorNames[c], colors[c].Dark)
	}
	w.WriteString("}\n</style>\n")
	fmt.Fprintf(w, "<rect class=\"f-page\" width=\"%s\" height=\"%s\"/>\n", number(d.Width), number(d.Height))
	for k := range d.Shapes {
		d.Shapes[k].writeSVG(w, measure)
	}
	w.WriteString("</svg>\n")
	return w.Flush()
}

func (s *Shape) writeSVG(w *bufio.Writer, measure *ruler) {
	if s.Text != "" {
		at := s.Points[0]
		width := measure.width(s.Text, s.Size, s.Bold)
		if s.Behind != None {
			p := s.patch(width)
			fmt.Fprintf(w, "<rect class=\"f-%s\" x=\"%s\" y=\"%s\" width=\"%s\" height=\"%s\"/>\n",
				colorNames[s.Behind], number(p[0].X), number(p[0].Y), number(p[1].X-p[0].X), number(p[1].Y-p[0].Y))
		}
		weight := ""
		if s.Bold {
			weight = ` font-weight="bold"`
		}
		// The length holds the layout where the reader has other fonts.
		fmt.Fprintf(w, "<text class=\"f-%s\" x=\"%s\" y=\"%s\" font-size=\"%s\"%s textLength=\"%s\" lengthAdjust=\"spacingAndGlyphs\">%s</text>\n",
			colorNames[s.Fill], number(at.X), number(at.Y), number(s.Size), weight, number(width), html.EscapeString(s.Text))
		return
	}
	points := make([]string, len(s.Points))
	for k, p := range s.Points {
		points[k] = number(p.X) + "," + number(p.Y)
	}
	tag, fill := "polyline", ` fill="none"`
	if s.Closed {
		tag = "polygon"
	}
	classes := []string{}
	if s.Closed && s.Fill != None {
		classes, fill = append(classes, "f-"+colorNames[s.Fill]), ""
	}
	stroke := ""
	if s.Stroke != None {
		classes = append(classes, "s-"+colorNames[s.Stroke])
		stroke = fmt.Sprintf(` stroke-width="%s"`, number(s.Width))
	}
	if len(s.Dash) > 0 {
		lengths := make([]string, len(s.Dash))
		for k, l := range s.Dash {
			lengths[k] = number(l)
		}
		stroke += fmt.Sprintf(` stroke-dasharray="%s"`, strings.Join(lengths, " "))
	}
	fmt.Fprintf(w, "<%s class=\"%s\"%s%s points=\"%s\"/>\n", tag, strings.Join(classes, " "), fill, stroke, strings.Join(points, " "))
}

// patch is the area behind a text of a width: two corners.
func (s *Shape) patch(width float64) [2]Point {
	at := s.Points[0]
	return [2]Point{{at.X - 2, at.Y - s.Size}, {at.X + width + 2, at.Y + s.Size*0.3}}
}

// number writes a length with at most two decimals.
func number(v float64) string {
	text := strconv.FormatFloat(v, 'f', 2, 64)
	return strings.TrimRight(strings.TrimRight(text, "0"), ".")
}
