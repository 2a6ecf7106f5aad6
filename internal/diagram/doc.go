// Package diagram draws sessions and forms: the timeline of a session, and the
// chart of the lifecycle with a form's policies. Each picture is one Drawing,
// written as SVG or PNG with the same bytes at every run.
//
//	drawing, err := diagram.Timeline(form, record, "A second click sends nothing")
//	if err != nil {
//		return err
//	}
//	drawing.WriteSVG(file)          // real text, light and dark
//	drawing.WritePNG(file, 1)       // 1280 wide; 2: twice as sharp
package diagram
