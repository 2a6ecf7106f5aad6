package main

import (
	"bytes"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/diagram"
)

// pictured is a room in the picture of the house: what it is for, and where it stands. What a room
// knows stands on a floor below it.
type pictured struct {
	room, purpose string
	floor         int     // from the top
	column        float64 // from the left
}

var rooms = []pictured{
	{"cmd/leanwicket", "the command", 0, 2},
	{"browser/entry", "the core on a page", 1, 4},
	{"verify", "every reachable state", 2, 0},
	{"scenario", "played in virtual time", 2, 1},
	{"try", "somebody's page, tried", 2, 2},
	{"formhttp", "a form as an http.Handler", 2, 3},
	{"runner", "clock, requests, drafts", 2, 4},
	{"declare", "files, schemas, structs", 5, 0.2},
	{"trace", "the record of a session", 3, 2.12},
	{"replies", "what a reply means", 3, 3.06},
	{"ledger", "each submission once", 3, 4},
	{"guarantee", "the judge", 4, 1.5},
	{"lifecycle", "events in, effects out", 5, 2},
	{"form", "values, rules, declaration", 6, 2},
}

// The picture of the house is drawn from the arrows that a test holds. Arrows that follow from
// others are left out.
func TestThePictureOfTheHouse(t *testing.T) {
	const boxWidth, boxHeight, column, storey = 220.0, 52.0, 250.0, 100.0
	d := &diagram.Drawing{Width: 1280, Height: 750, Title: "The house", Description: "The rooms of the house. Each knows the rooms that its lines lead down to."}
	boxes := map[string]pictured{}
	for _, room := range rooms {
		boxes[room.room] = room
	}
	corner := func(p pictured) (x, y float64) { return 30 + column*p.column, 40 + storey*float64(p.floor) }
	below := map[string][]string{"cmd/leanwicket": slices.Collect(maps.Keys(boxes))}
	for room := range boxes {
		below[room] = append(below[room], knows[room]...)
	}
	reaches := func(room, other string) bool { return slices.Contains(below[room], other) }
	var lines, texts []diagram.Shape
	for _, room := range slices.Sorted(maps.Keys(boxes)) {
		for _, other := range slices.Sorted(slices.Values(below[room])) {
			to, shown := boxes[other]
			if !shown || other == room || slices.ContainsFunc(below[room], func(between string) bool { return between != room && between != other && reaches(between, other) }) {
				continue
			}
			require.Less(t, boxes[room].floor, to.floor, "%s knows %s", room, other)
			x, y := corner(boxes[room])
			toX, toY := corner(to)
			lines = append(lines, diagram.Shape{Points: []diagram.Point{{X: x + boxWidth/2, Y: y + boxHeight}, {X: toX + boxWidth/2, Y: toY}}, Stroke: diagram.Line, Width: 1.2})
		}
	}
	for _, room := range rooms {
		x, y := corner(room)
		texts = append(texts,
			diagram.Shape{Points: []diagram.Point{{X: x, Y: y}, {X: x + boxWidth, Y: y}, {X: x + boxWidth, Y: y + boxHeight}, {X: x, Y: y + boxHeight}}, Closed: true, Fill: diagram.Page, Stroke: diagram.Calm, Width: 1.5},
			diagram.Shape{Points: []diagram.Point{{X: x + 12, Y: y + 22}}, Fill: diagram.Ink, Text: room.room, Size: 15, Bold: true},
			diagram.Shape{Points: []diagram.Point{{X: x + 12, Y: y + 41}}, Fill: diagram.Line, Text: room.purpose, Size: 13},
		)
	}
	d.Shapes = append(lines, texts...)
	var svg bytes.Buffer
	require.NoError(t, d.WriteSVG(&svg))
	file := filepath.Join("..", "..", "docs", "inside", "house.svg")
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(file, svg.Bytes(), 0o644))
	}
	current, err := os.ReadFile(file)
	require.NoError(t, err)
	require.True(t, bytes.Equal(svg.Bytes(), current), "docs/inside/house.svg is an old one: UPDATE=1 draws it anew")
}
