package palette

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

// The contrasts that WCAG 2.2 asks for: 4.5:1 for text (1.4.3), 3:1 for the parts of
// controls, for the focus and for what a picture is read by (1.4.11).
func TestContrasts(t *testing.T) {
	for _, text := range []struct {
		name     string
		on, ink  Color
		contrast float64
	}{
		{"text", Ground, Ink, 7},
		{"help", Ground, Quiet, 4.5},
		{"typed text", Sheet, Ink, 7},
		{"placeholder", Sheet, Quiet, 4.5},
		{"link", Ground, Accent, 4.5},
		{"button", Accent, AccentInk, 4.5},
		{"link in a band", Band, Accent, 4.5},
		{"text in a band", Band, Ink, 7},
		{"message", Ground, Wrong, 4.5},
		{"text in a wrong control", WrongGround, Ink, 7},
		{"placeholder in a wrong control", WrongGround, Quiet, 4.5},
		{"mark of a wrong field", Wrong, Ground, 4.5},
		{"received", GoodGround, Ink, 7},
		{"link to what was received", GoodGround, Accent, 4.5},
		{"not known", UnsureGround, Ink, 7},
		{"edge of a control", Ground, Edge, 3},
		{"edge on its own ground", Sheet, Edge, 3},
		{"edge of a wrong control", WrongGround, Wrong, 3},
		{"focus on the ground", Ground, Focus, 3},
		{"focus on a sheet", Sheet, Focus, 3},
		{"focus in a band", Band, Focus, 3},
		{"good in a picture", Ground, Good, 3},
		{"bad in a picture", Ground, Wrong, 3},
		{"unsure in a picture", Ground, Unsure, 3},
		{"work in a picture", Ground, Work, 3},
		{"edited in a picture", Ground, Edited, 3},
		{"text on what rests", Calm, Ink, 4.5},
	} {
		require.GreaterOrEqual(t, contrast(text.on.Light, text.ink.Light), text.contrast, "%s, light", text.name)
		require.GreaterOrEqual(t, contrast(text.on.Dark, text.ink.Dark), text.contrast, "%s, dark", text.name)
	}
}

// contrast is that of WCAG 2.2: (lighter + 0.05) / (darker + 0.05).
func contrast(a, b uint32) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// luminance is the relative luminance of an sRGB color, as WCAG 2.2 defines it.
func luminance(c uint32) float64 {
	linear := func(channel uint32) float64 {
		v := float64(channel&0xff) / 255
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	return 0.2126*linear(c>>16) + 0.7152*linear(c>>8) + 0.0722*linear(c)
}

func TestContrastIsThatOfTheStandard(t *testing.T) {
	require.InDelta(t, 21, contrast(0x000000, 0xffffff), 0.01)
	require.InDelta(t, 4.48, contrast(0x777777, 0xffffff), 0.01)
}
