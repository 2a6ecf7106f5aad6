// Package palette has the colors of the pages and of the pictures, in one place.
//
//	palette.CSS() // :where(:root) { --leanwicket-ground: light-dark(#fbfaf6, #191e24); … }
package palette

import (
	"fmt"
	"strings"
)

// Color is one color on a light ground, and its counterpart on a dark one, both as
// 0xRRGGBB.
type Color struct{ Light, Dark uint32 }

// The colors. The words say what each is for.
var (
	Ground       = Color{0xfbfaf6, 0x191e24} // what everything stands on
	Ink          = Color{0x1e2833, 0xe7e9eb} // text
	Quiet        = Color{0x4d5966, 0xabb5bf} // text that is read second: help, placeholders
	Edge         = Color{0x717d89, 0x84909c} // around a control
	Hair         = Color{0xd5d7d4, 0x3a434d} // lines that part, and mean nothing
	Sheet        = Color{0xfffefb, 0x20262d} // inside a control
	Accent       = Color{0x2c4a82, 0xa3b9ea} // buttons and links
	AccentInk    = Color{0xfdfdfb, 0x131c2c} // text on a button
	Focus        = Color{0x4068bd, 0x7f9fe6} // the ring around what has the focus
	Band         = Color{0xe6ebf4, 0x273245} // behind a summary or a notice
	Wrong        = Color{0x93304d, 0xf0a0b5} // what is wrong
	WrongGround  = Color{0xfaebee, 0x3b232b}
	Good         = Color{0x1f6455, 0x8ecdb9} // what has been received
	GoodGround   = Color{0xe2f0eb, 0x1f352f}
	Unsure       = Color{0x7a5316, 0xdcb877} // what is not known
	UnsureGround = Color{0xf7eddb, 0x382e1d}
	Work         = Color{0x3d74a6, 0x7fb2da} // what is under way
	Edited       = Color{0x69497e, 0xbda3d4} // what was typed and is not sent
	Calm         = Color{0xb7bcbb, 0x505b63} // what rests
)

// names are the custom properties that a page's own stylesheet can set.
var names = []struct {
	name  string
	color Color
}{
	{"ground", Ground},
	{"ink", Ink},
	{"quiet", Quiet},
	{"edge", Edge},
	{"hair", Hair},
	{"sheet", Sheet},
	{"accent", Accent},
	{"accent-ink", AccentInk},
	{"focus", Focus},
	{"band", Band},
	{"wrong", Wrong},
	{"wrong-ground", WrongGround},
	{"good", Good},
	{"good-ground", GoodGround},
	{"unsure", Unsure},
	{"unsure-ground", UnsureGround},
}

// CSS declares the colors as custom properties. A page's own rules win over it.
func CSS() string {
	var b strings.Builder
	b.WriteString(":where(:root) {\n")
	for _, n := range names {
		fmt.Fprintf(&b, "  --leanwicket-%s: light-dark(#%06x, #%06x);\n", n.name, n.color.Light, n.color.Dark)
	}
	b.WriteString("}\n")
	return b.String()
}
