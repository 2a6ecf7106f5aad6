package try

import (
	"fmt"

	"leanwicket.dev/internal/diagram"
)

// The lanes of a picture, from the left, and its rows.
const (
	laneTime      = 24.0
	laneApplicant = 190.0
	lanePage      = 640.0
	laneBackend   = 1090.0
	firstRow      = 150.0
	rowHeight     = 36.0
)

// picture draws a trial: what went between applicant, page and backend, one row
// each, and the verdict.
func (r *Result) picture() *diagram.Drawing {
	d := &diagram.Drawing{Width: 1280, Title: r.Trial + ": " + string(r.Verdict), Description: r.evidence()}
	text := func(x, y, size float64, color diagram.Color, bold bool, format string, args ...any) {
		d.Shapes = append(d.Shapes, diagram.Shape{Points: []diagram.Point{{X: x, Y: y}}, Text: fmt.Sprintf(format, args...), Size: size, Fill: color, Bold: bold, Behind: diagram.Page})
	}
	bottom := firstRow + rowHeight*float64(len(r.Timeline))
	for _, lane := range []struct {
		name string
		x    float64
	}{{"applicant", laneApplicant}, {"page", lanePage}, {"backend", laneBackend}} {
		d.Shapes = append(d.Shapes, diagram.Shape{Points: []diagram.Point{{X: lane.x, Y: 116}, {X: lane.x, Y: bottom - 1.5*rowHeight}}, Stroke: diagram.Line, Width: 1})
		text(lane.x-30, 104, 15, diagram.Ink, true, "%s", lane.name)
	}
	text(laneTime, 40, 20, diagram.Ink, true, "%s", r.Trial)
	text(laneTime, 66, 14, diagram.Ink, false, "%s", r.Asks)
	arrow := func(from, to, y float64, color diagram.Color) {
		way := 8.0
		if to < from {
			way = -8
		}
		d.Shapes = append(d.Shapes,
			diagram.Shape{Points: []diagram.Point{{X: from, Y: y}, {X: to, Y: y}}, Stroke: color, Width: 2},
			diagram.Shape{Points: []diagram.Point{{X: to, Y: y}, {X: to - way, Y: y - 5}, {X: to - way, Y: y + 5}}, Closed: true, Fill: color},
		)
	}
	for k, m := range r.Timeline {
		y := firstRow + rowHeight*float64(k)
		text(laneTime, y, 13, diagram.Ink, false, "%v", m.At)
		switch m.Who {
		case "applicant":
			arrow(laneApplicant, lanePage, y, diagram.Edited)
			text(laneApplicant+14, y-6, 13, diagram.Ink, false, "%s", m.What)
		case "screen":
			arrow(lanePage, laneApplicant, y, diagram.Work)
			text(laneApplicant+14, y-6, 13, diagram.Ink, false, "%s", m.What)
		case "page":
			arrow(lanePage, laneBackend, y, diagram.Work)
			text(lanePage+14, y-6, 13, diagram.Ink, false, "%s", m.What)
		case "backend":
			arrow(laneBackend, lanePage, y, diagram.Calm)
			text(lanePage+14, y-6, 13, diagram.Ink, false, "%s", m.What)
		default:
			color := diagram.Good
			if r.Verdict != Kept {
				color = diagram.Bad
			}
			text(laneApplicant, y+6, 15, color, true, "%s", m.What)
		}
	}
	d.Height = bottom + 24
	return d
}
