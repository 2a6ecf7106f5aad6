package diagram

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Arrow is a transition of the lifecycle in a chart.
type Arrow struct {
	lifecycle.Transition
	Taken  int  // how often scenarios take it
	Broken bool // it is part of the session that breaks a guarantee
}

// ChartOptions say what a chart shows beside the transitions.
type ChartOptions struct {
	Covered bool   // Taken counts: what is never taken is dashed
	Broken  string // the guarantee that does not hold, and how; empty means that all hold
}

// Chart draws the lifecycle of a form. Its parts stand side by side. Each part has a box for
// every state with its line below it, and one row for every way from a state to
// another, with the events that take it.
func Chart(form *form.Form, arrows []Arrow, o ChartOptions) (*Drawing, error) {
	measure, err := newRuler()
	if err != nil {
		return nil, err
	}
	title := "The lifecycle of " + form.Title
	c := &chart{options: o, measure: measure, drawing: &Drawing{Width: pageWidth, Title: title}}
	c.drawing.text(margin, 36, Ink, 20, true, measure.shortenBold(title, 20, pageWidth-2*margin))
	y := c.paragraph(margin, 58, Line, policies(form))
	if o.Broken != "" {
		y = c.paragraph(margin, y, Bad, o.Broken)
	}
	top, bottom, x := y+10, y, float64(margin)
	parts := partsOf(arrows)
	columns := 0
	for _, p := range parts {
		columns += max(len(p.states), 4)
	}
	room := pageWidth - 2*margin - chartGap*float64(len(parts)-1)
	for _, p := range parts {
		width := room * float64(max(len(p.states), 4)) / float64(columns)
		bottom = math.Max(bottom, c.part(p, x, top, width))
		x += width + chartGap
	}
	c.drawing.Height = math.Max(pageHeight, bottom+70)
	c.legend(c.drawing.Height - 40)
	c.drawing.Description = describeChart(form, arrows, o)
	return c.drawing, nil
}

const (
	chartGap  = 26
	chartText = 10.5
	rowHeight = 16.5
	boxHeight = 24
)

type chart struct {
	options ChartOptions
	measure *ruler
	drawing *Drawing
}

// chartPart is a part with the states that it can be in.
type chartPart struct {
	part   lifecycle.Part
	states []uint8
	rows   []chartRow
}

// chartRow is the arrows from one state to another that are drawn alike.
type chartRow struct {
	from, to      uint8
	taken, broken bool
	causes        []string
}

func partsOf(arrows []Arrow) []chartPart {
	var parts []chartPart
	for part := lifecycle.PartPrefill; part <= lifecycle.PartLeave; part++ {
		p := chartPart{part: part}
		for _, a := range arrows {
			if a.Part != part {
				continue
			}
			for _, state := range [...]uint8{a.From, a.To} {
				if !slices.Contains(p.states, state) {
					p.states = append(p.states, state)
				}
			}
			p.add(a)
		}
		slices.Sort(p.states)
		if len(p.rows) > 0 {
			parts = append(parts, p)
		}
	}
	return parts
}

func (p *chartPart) add(a Arrow) {
	cause := a.Cause()
	if a.From == a.To {
		_, cause, _ = strings.Cut(a.String(), ", ")
	}
	if a.Taken > 0 {
		cause += fmt.Sprintf(" ×%d", a.Taken)
	}
	for k := range p.rows {
		if r := &p.rows[k]; r.from == a.From && r.to == a.To && r.taken == (a.Taken > 0) && r.broken == a.Broken {
			r.causes = append(r.causes, cause)
			return
		}
	}
	p.rows = append(p.rows, chartRow{a.From, a.To, a.Taken > 0, a.Broken, []string{cause}})
}

// part draws one part into its column; it returns where it ends.
func (c *chart) part(p chartPart, x, y, width float64) float64 {
	d := c.drawing
	d.text(x, y+12, Ink, 13, true, p.part.String())
	y += 20
	step := width / float64(len(p.states))
	center := func(state uint8) float64 { return x + (float64(slices.Index(p.states, state))+0.5)*step }
	type drawn struct {
		row   chartRow
		lines []string
		left  float64
		above bool    // the label stands above the arrow, not beside it
		y     float64 // of the arrow
	}
	var rows []drawn
	at := y + boxHeight + 8
	for _, r := range p.rows {
		row := drawn{row: r}
		low, high := math.Min(center(r.from), center(r.to)), math.Max(center(r.from), center(r.to))
		if r.from == r.to {
			high += 20
		}
		text := strings.Join(r.causes, ", ")
		size := c.measure.width(text, chartText, false)
		switch {
		case high+8+size <= x+width:
			row.lines, row.left = []string{text}, high+8
		case low-8-size >= x:
			row.lines, row.left = []string{text}, low-8-size
		default:
			row.lines, row.left, row.above = c.wrap(r.causes, width-4), x+2, true
			at += 13 * float64(len(row.lines))
		}
		row.y = at + rowHeight/2
		at += rowHeight
		rows = append(rows, row)
	}
	for _, state := range p.states {
		d.line(Calm, 1, nil, Point{center(state), y + boxHeight}, Point{center(state), at})
	}
	for k, state := range p.states {
		stroke := 1.0
		if k == 0 {
			stroke = 2.2
		}
		d.box(center(state)-step/2+3, y, step-6, boxHeight, Page, Ink, stroke)
		name := c.measure.shorten(p.part.State(state), chartText, step-10)
		d.text(center(state)-c.measure.width(name, chartText, false)/2, y+16, Ink, chartText, false, name)
	}
	for _, r := range rows {
		c.arrow(r.row, center(r.row.from), center(r.row.to), r.y)
		y := r.y + 3.5
		if r.above {
			y = r.y - rowHeight/2 + 9 - 13*float64(len(r.lines))
		}
		for k, line := range r.lines {
			d.patched(r.left, y+13*float64(k), c.color(r.row), chartText, line)
		}
	}
	return at
}

// wrap breaks a list of causes into lines of a width.
func (c *chart) wrap(causes []string, width float64) []string {
	var lines []string
	line := ""
	for k, cause := range causes {
		if k < len(causes)-1 {
			cause += ","
		}
		longer := strings.TrimSpace(line + " " + cause)
		if line != "" && c.measure.width(longer, chartText, false) > width {
			lines = append(lines, line)
			longer = cause
		}
		line = c.measure.shorten(longer, chartText, width)
	}
	return append(lines, line)
}

func (c *chart) color(r chartRow) Color {
	switch {
	case r.broken:
		return Bad
	case c.options.Covered && !r.taken:
		return Line
	default:
		return Ink
	}
}

func (c *chart) arrow(r chartRow, from, to, y float64) {
	d := c.drawing
	color, width, dash := c.color(r), 1.4, []float64(nil)
	if c.options.Covered && !r.taken && !r.broken {
		dash = []float64{4, 3}
	}
	if r.broken {
		width = 2.4
	}
	if r.from == r.to { // a loop
		d.line(color, width, dash, Point{from, y - 4}, Point{from + 18, y - 4}, Point{from + 18, y + 4}, Point{from + 6, y + 4})
		d.arrowHead(from, y+4, false, color)
		return
	}
	back := 6.0
	if to > from {
		back = -6
	}
	d.line(color, width, dash, Point{from, y}, Point{to + back, y})
	d.arrowHead(to, y, to > from, color)
	d.add(Shape{Points: octagon(from, y, 2), Closed: true, Fill: color})
}

// paragraph writes a text over the width of the page, and returns the height at which the next one
// begins.
func (c *chart) paragraph(x, y float64, color Color, text string) float64 {
	for _, line := range c.measure.wrap(text, 12, pageWidth-2*margin) {
		c.drawing.text(x, y, color, 12, false, line)
		y += 16
	}
	return y
}

func (c *chart) legend(y float64) {
	x := float64(margin)
	item := func(text string, r chartRow, options ChartOptions) {
		sample := &chart{options, c.measure, c.drawing}
		sample.arrow(r, x, x+36, y)
		c.drawing.text(x+44, y+4, Ink, textSize, false, text)
		x += 58 + c.measure.width(text, textSize, false) + 18
	}
	plain := chartRow{from: 0, to: 1, taken: true}
	if c.options.Covered {
		item("taken by the scenarios, and how often", plain, c.options)
		item("never taken", chartRow{from: 0, to: 1}, c.options)
	} else {
		item("a way that the form's policies allow", plain, c.options)
	}
	if c.options.Broken != "" {
		item("the way to what is broken", chartRow{from: 0, to: 1, broken: true}, c.options)
	}
	c.drawing.text(float64(margin), y+22, Line, textSize, false,
		"leave inside: by a link or back · leave unload: by closing or reloading the page · answer: to the question about leaving · reply: of the backend · timer: a wait is over")
}

// policies says what the form declares, in the words of the form file.
func policies(form *form.Form) string {
	var words []string
	add := func(text string, on bool) {
		if on {
			words = append(words, text)
		}
	}
	p, s, l := form.Prefill, form.Submit, form.Leave
	add("no prefill", p.URL == "")
	add("prefill needed", p.URL != "" && p.Needed)
	add("prefill optional", p.URL != "" && !p.Needed)
	add("locked while loading", p.Lock)
	add("an answer that meets an edit: ask", p.URL != "" && p.Ask)
	add("an answer that meets an edit: keep", p.URL != "" && !p.Ask)
	add(s.Method+" creates", s.Creates())
	add(s.Method+" replaces", !s.Creates())
	add("locked while sending", !s.Edit)
	add("edits while sending", s.Edit)
	add(fmt.Sprintf("sent again at most %d times", s.ResendTimes), true)
	add("unchanged is held", s.HoldUnchanged)
	add("after success: "+[...]string{"keep", "clear", "adopt", "navigate"}[form.Accepted.Then], true)
	add("leaving asks when "+[...]string{"dirty", "dirty and touched", "never"}[l.When], true)
	add("a submission in flight may be left", l.AllowInFlight)
	return strings.Join(words, " · ")
}

func describeChart(form *form.Form, arrows []Arrow, o ChartOptions) string {
	text := "The states of " + form.Title + " and the transitions between them."
	if o.Covered {
		taken := 0
		for _, a := range arrows {
			if a.Taken > 0 {
				taken++
			}
		}
		text += fmt.Sprintf(" Scenarios take %d of %d transitions.", taken, len(arrows))
	}
	for _, a := range arrows {
		text += " " + a.String() + "."
	}
	return strings.TrimSpace(text + " " + o.Broken)
}
