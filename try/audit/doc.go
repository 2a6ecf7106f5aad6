// Package audit reads a page's markup and says what breaks the lifecycle of a form
// on it, before anybody has clicked.
//
//	findings, err := audit.Page(form, page)
//	for _, f := range findings {
//		fmt.Println(f) // 12: the control "boat" is no field of the form; …
//	}
package audit
