package diagram

import (
	"fmt"
	"math"
	"slices"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/trace"
)

// The page of a timeline.
const (
	pageWidth  = 1280
	pageHeight = 800
	gutter     = 190 // the names of the lanes
	margin     = 24
	textSize   = 11  // of labels, before they are enlarged
	mostRows   = 6   // of labels, before they are shortened
	shortLabel = 120 // how wide a shortened label is
)

// Timeline draws a recorded session. The drawing shows what the applicant did, each field that the
// session touched, loads, checks and attempts with their outcome, leaving, and
// what was said. A record has no private values, so that the drawing has none. Timeline returns an error
// for a record of another form, and for one that replays differently.
func Timeline(form *form.Form, record *trace.Record, title string) (*Drawing, error) {
	s, difference, err := replayed(form, record)
	if err != nil {
		return nil, err
	}
	if difference != nil {
		return nil, fmt.Errorf("the record replays differently at line %d; right would be one that was recorded with this program", difference.Line)
	}
	measure, err := newRuler()
	if err != nil {
		return nil, err
	}
	if title == "" {
		title = "A session of " + form.Title
	}
	// A short session is drawn larger, as far as the page allows.
	for zoom := 1.6; ; zoom -= 0.1 {
		t := &timeline{session: s, measure: measure, drawing: &Drawing{Width: pageWidth, Title: title}, zoom: math.Max(zoom, 1)}
		t.total = max(s.now, time.Millisecond)
		t.draw(title)
		if t.zoom == 1 || t.drawing.Height <= pageHeight {
			return t.drawing, nil
		}
	}
}

type timeline struct {
	session *session
	measure *ruler
	drawing *Drawing
	total   time.Duration
	zoom    float64
	y       float64
}

func (t *timeline) labelSize() float64 { return textSize * t.zoom }

func (t *timeline) x(at time.Duration) float64 {
	return gutter + float64(at)/float64(t.total)*(pageWidth-gutter-margin-40)
}

func (t *timeline) draw(title string) {
	d := t.drawing
	lanes := t.session.lanes()
	d.text(margin, 36, Ink, 20, true, t.measure.shortenBold(title, 20, pageWidth-2*margin))
	d.text(margin, 58, Line, 13, false, t.subtitle())
	top := 84.0
	t.y = top + 12
	body := &Drawing{Width: pageWidth}
	t.drawing = body // the grid lies below the lanes, and its height is known only then
	for k, l := range lanes {
		if l.name != "" && k > 0 {
			body.line(Faint, 1, nil, Point{margin, t.y}, Point{pageWidth - margin, t.y})
		}
		t.lane(l)
	}
	t.drawing = d
	t.axis(top, t.y)
	d.Shapes = append(d.Shapes, body.Shapes...)
	d.Height = math.Max(pageHeight, t.y+64)
	zoom := t.zoom
	t.zoom = 1
	t.legend(d.Height - 30)
	t.zoom = zoom
	d.Description = t.describe(lanes)
}

func (t *timeline) subtitle() string {
	text := t.session.form.Title + ", " + clock(t.session.now)
	if t.session.private {
		text += "; private values are not shown"
	}
	return text
}

func (t *timeline) describe(lanes []*lane) string {
	text := "A timeline of " + clock(t.session.now) + "."
	for _, l := range lanes {
		for _, m := range l.marks {
			if m.label != "" {
				text += fmt.Sprintf(" %s, %s: %s.", clock(m.at), l.name, m.label)
			}
		}
	}
	return text
}

// axis draws the times: nice steps, about ten of them.
func (t *timeline) axis(top, bottom float64) {
	step := niceStep(t.total)
	for at := time.Duration(0); at <= t.total; at += step {
		x := t.x(at)
		t.drawing.line(Faint, 1, nil, Point{x, top}, Point{x, bottom})
		t.drawing.text(x+3, top+2, Line, textSize, false, clock(at))
	}
	t.drawing.line(Line, 1, nil, Point{gutter, bottom}, Point{pageWidth - margin, bottom})
}

func niceStep(total time.Duration) time.Duration {
	for unit := time.Millisecond; ; unit *= 10 {
		for _, factor := range [...]time.Duration{1, 2, 5} {
			if total/(unit*factor) <= 10 {
				return unit * factor
			}
		}
	}
}

// clock writes a time: in milliseconds below a second, else in seconds.
func clock(d time.Duration) string {
	if d < time.Second && d%time.Second != 0 {
		return number(float64(d)/float64(time.Millisecond)) + " ms"
	}
	return number(d.Seconds()) + " s"
}

// lane draws a lane at the present height, and goes on below it.
func (t *timeline) lane(l *lane) {
	d := t.drawing
	line := t.y + 11*t.zoom
	if size := 12 * t.zoom; l.name != "" {
		d.text(margin, line+4*t.zoom, Ink, size, true, t.measure.shortenBold(l.name, size, gutter-margin-10))
	}
	var labels []label
	for _, s := range l.spans {
		end := t.x(s.to)
		if s.open {
			end = pageWidth - margin
		}
		t.span(t.x(s.from), end, line, s.look)
		if s.label != "" {
			labels = append(labels, label{x: t.x(s.from), text: s.label, color: looks[s.look].text})
		}
	}
	for _, m := range l.marks {
		t.mark(t.x(m.at), line, m)
		if m.label != "" {
			labels = append(labels, label{x: t.x(m.at), text: m.label, color: m.color})
		}
	}
	rows := t.place(labels)
	for _, b := range labels {
		if b.row > 0 {
			d.line(Line, 0.6, nil, Point{b.x, line + 5}, Point{b.x, line + (12+14*float64(b.row))*t.zoom})
		}
	}
	for _, b := range labels {
		y := line + (18+14*float64(b.row))*t.zoom
		color := b.color
		if color == Calm {
			color = Line
		}
		for k, text := range b.lines {
			d.patched(b.left, y+14*float64(k)*t.zoom, color, t.labelSize(), text)
		}
	}
	t.y += (25 + 14*float64(rows)) * t.zoom
}

// looks are how spans are drawn.
var looks = map[look]struct {
	color, text Color
	height      float64
	dash        []float64
	outline     bool
}{
	lookClean:     {Calm, Line, 3, nil, false},
	lookDirty:     {Edited, Ink, 6, nil, false},
	lookContested: {Bad, Bad, 8, []float64{6, 3}, false},
	lookIssue:     {Bad, Bad, 8, nil, true},
	lookFlight:    {Work, Ink, 10, nil, false},
	lookPause:     {Unsure, Unsure, 3, []float64{4, 4}, false},
	lookUnsettled: {Unsure, Unsure, 8, []float64{2, 3}, false},
	lookAsking:    {Unsure, Unsure, 10, nil, true},
	lookChecking:  {Work, Ink, 4, []float64{2, 2}, false},
}

func (t *timeline) span(from, to, y float64, how look) {
	to = math.Max(to, from+2)
	look := looks[how]
	if look.outline {
		t.drawing.box(from, y-look.height*t.zoom/2, to-from, look.height*t.zoom, Page, look.color, 1.6)
		return
	}
	t.drawing.line(look.color, look.height*t.zoom, look.dash, Point{from, y}, Point{to, y})
}

func (t *timeline) mark(x, y float64, m mark) {
	d := t.drawing
	switch m.shape {
	case dot:
		d.add(Shape{Points: octagon(x, y, 4), Closed: true, Fill: m.color})
	case diamond:
		d.add(Shape{Points: []Point{{x, y - 6}, {x + 6, y}, {x, y + 6}, {x - 6, y}}, Closed: true, Fill: m.color, Stroke: Page, Width: 1})
	case cross:
		d.line(m.color, 2, nil, Point{x - 4, y - 4}, Point{x + 4, y + 4})
		d.line(m.color, 2, nil, Point{x - 4, y + 4}, Point{x + 4, y - 4})
	}
}

func octagon(x, y, r float64) []Point {
	var points []Point
	for k := range 8 {
		a := (float64(k) + 0.5) * math.Pi / 4
		points = append(points, Point{x + r*math.Cos(a), y + r*math.Sin(a)})
	}
	return points
}

// label is a text that belongs to a moment of a lane.
type label struct {
	x           float64
	text        string
	color       Color
	lines       []string
	left, right float64
	row         int // of its first line
}

// place puts the labels of a lane into rows, the latest first. Each label goes into the
// first row where it and its leader are free. place returns how many rows there
// are. Where they are too many, it shortens long labels.
func (t *timeline) place(labels []label) (rows int) {
	slices.SortStableFunc(labels, func(a, b label) int {
		switch {
		case a.x > b.x:
			return -1
		case a.x < b.x:
			return 1
		default:
			return 0
		}
	})
	rows = t.placeAll(labels)
	if rows > mostRows {
		for k := range labels {
			labels[k].text = t.measure.shorten(labels[k].text, t.labelSize(), shortLabel*t.zoom)
		}
		rows = t.placeAll(labels)
	}
	return rows
}

func (t *timeline) placeAll(labels []label) (rows int) {
	for k := range labels {
		b := &labels[k]
		b.lines = t.measure.wrap(b.text, t.labelSize(), math.Max(b.x-gutter, pageWidth-margin-b.x)-6)
		width := 0.0
		for _, line := range b.lines {
			width = math.Max(width, t.measure.width(line, t.labelSize(), false))
		}
		if b.left = b.x + 3; b.left+width > pageWidth-margin { // it stands on the other side
			b.left = b.x - 3 - width
		}
		b.right = b.left + width
		for b.row = 0; b.row < 2*mostRows && slices.ContainsFunc(labels[:k], b.collides); b.row++ {
		}
		if b.row == 2*mostRows { // its leader has to pass behind another label
			for b.row = 0; slices.ContainsFunc(labels[:k], b.covers); b.row++ {
			}
		}
		rows = max(rows, b.row+len(b.lines))
	}
	return rows
}

// covers reports whether a label would stand on another.
func (b *label) covers(other label) bool {
	const gap = 5
	apart := b.row >= other.row+len(other.lines) || other.row >= b.row+len(b.lines)
	return !apart && b.left < other.right+gap && other.left < b.right+gap
}

// collides reports whether a label, or its leader, meets another or its leader.
func (b *label) collides(other label) bool {
	over := func(x float64, text *label) bool { return x > text.left-2 && x < text.right+2 }
	switch {
	case b.covers(other):
		return true
	case b.row > other.row:
		return over(b.x, &other)
	default:
		return other.row > b.row && over(other.x, b)
	}
}

func (t *timeline) legend(y float64) {
	x := float64(margin)
	for _, item := range []struct {
		text string
		look look
	}{
		{"saved", lookClean},
		{"unsaved", lookDirty},
		{"contested", lookContested},
		{"issue shown", lookIssue},
		{"on its way", lookFlight},
		{"checking", lookChecking},
		{"waits", lookPause},
		{"unsettled", lookUnsettled},
		{"asking", lookAsking},
	} {
		t.span(x, x+26, y, item.look)
		t.drawing.text(x+32, y+4, Ink, textSize, false, item.text)
		x += 44 + t.measure.width(item.text, textSize, false) + 12
	}
	for _, item := range []struct {
		text string
		mark mark
	}{
		{"event", mark{color: Ink}},
		{"answer", mark{shape: diamond, color: Good}},
		{"turned away, ignored or late", mark{shape: cross, color: Line}},
	} {
		t.mark(x+6, y, item.mark)
		t.drawing.text(x+18, y+4, Ink, textSize, false, item.text)
		x += 30 + t.measure.width(item.text, textSize, false) + 12
	}
}
