package diagram

import (
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io"
	"math"

	"golang.org/x/image/font"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// WritePNG writes the drawing as PNG on its light background, so many pixels to
// a CSS pixel.
func (d *Drawing) WritePNG(out io.Writer, scale int) error {
	fonts, err := newFaces()
	if err != nil {
		return err
	}
	p := &painter{fonts: fonts, scale: float64(scale), known: map[sized]font.Face{}}
	p.image = image.NewRGBA(image.Rect(0, 0, int(math.Ceil(d.Width))*scale, int(math.Ceil(d.Height))*scale))
	draw.Draw(p.image, p.image.Bounds(), image.NewUniform(rgba(Page)), image.Point{}, draw.Src)
	for k := range d.Shapes {
		if err := p.shape(&d.Shapes[k]); err != nil {
			return err
		}
	}
	return (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(out, p.image)
}

func rgba(c Color) color.RGBA {
	v := colors[c].Light
	return color.RGBA{uint8(v >> 16), uint8(v >> 8), uint8(v), 255}
}

type painter struct {
	fonts *faces
	scale float64
	known map[sized]font.Face
	image *image.RGBA
}

func (p *painter) shape(s *Shape) error {
	switch {
	case s.Text != "":
		return p.text(s)
	case s.Closed && s.Fill != None:
		p.area(s.Points, s.Fill)
	}
	if s.Stroke != None {
		points := s.Points
		if s.Closed {
			points = append(points[:len(points):len(points)], points[0])
		}
		for k := 1; k < len(points); k++ {
			for _, piece := range dashes(points[k-1], points[k], s.Dash) {
				p.stroke(piece[0], piece[1], s.Width, s.Stroke)
			}
		}
	}
	return nil
}

// dashes cuts a line into its dashes.
func dashes(a, b Point, pattern []float64) [][2]Point {
	if len(pattern) == 0 {
		return [][2]Point{{a, b}}
	}
	length := math.Hypot(b.X-a.X, b.Y-a.Y)
	at := func(l float64) Point {
		return Point{a.X + (b.X-a.X)*l/length, a.Y + (b.Y-a.Y)*l/length}
	}
	var pieces [][2]Point
	for l, k := 0.0, 0; l < length; k++ {
		end := math.Min(length, l+pattern[k%len(pattern)])
		if k%2 == 0 {
			pieces = append(pieces, [2]Point{at(l), at(end)})
		}
		l = end
	}
	return pieces
}

// stroke paints a line with square ends across its direction.
func (p *painter) stroke(a, b Point, width float64, c Color) {
	length := math.Hypot(b.X-a.X, b.Y-a.Y)
	if length == 0 {
		return
	}
	dx, dy := (b.Y-a.Y)/length*width/2, -(b.X-a.X)/length*width/2
	p.area([]Point{{a.X + dx, a.Y + dy}, {b.X + dx, b.Y + dy}, {b.X - dx, b.Y - dy}, {a.X - dx, a.Y - dy}}, c)
}

// area fills a polygon. Only its own rectangle is painted.
func (p *painter) area(points []Point, c Color) {
	low, high := points[0], points[0]
	for _, q := range points {
		low = Point{math.Min(low.X, q.X), math.Min(low.Y, q.Y)}
		high = Point{math.Max(high.X, q.X), math.Max(high.Y, q.Y)}
	}
	bounds := image.Rect(int(math.Floor(low.X*p.scale)), int(math.Floor(low.Y*p.scale)), int(math.Ceil(high.X*p.scale))+1, int(math.Ceil(high.Y*p.scale))+1)
	r := vector.NewRasterizer(bounds.Dx(), bounds.Dy())
	for k, q := range points {
		x, y := float32(q.X*p.scale-float64(bounds.Min.X)), float32(q.Y*p.scale-float64(bounds.Min.Y))
		if k == 0 {
			r.MoveTo(x, y)
		} else {
			r.LineTo(x, y)
		}
	}
	r.ClosePath()
	r.Draw(p.image, bounds, image.NewUniform(rgba(c)), image.Point{})
}

func (p *painter) text(s *Shape) error {
	key := sized{s.Size * p.scale, s.Bold}
	if p.known[key] == nil {
		face, err := p.fonts.face(key.size, key.bold)
		if err != nil {
			return err
		}
		p.known[key] = face
	}
	drawer := font.Drawer{Dst: p.image, Src: image.NewUniform(rgba(s.Fill)), Face: p.known[key]}
	at := s.Points[0]
	if s.Behind != None {
		patch := s.patch(float64(drawer.MeasureString(s.Text)) / float64(fixed.I(1)) / p.scale)
		p.area([]Point{patch[0], {patch[1].X, patch[0].Y}, patch[1], {patch[0].X, patch[1].Y}}, s.Behind)
	}
	drawer.Dot = fixed.Point26_6{X: fixed.Int26_6(at.X * p.scale * 64), Y: fixed.Int26_6(at.Y * p.scale * 64)}
	drawer.DrawString(s.Text)
	return nil
}
