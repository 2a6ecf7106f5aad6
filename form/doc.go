// Package form says what a form is: values with exact numbers and dates, fields with their
// constraints and messages, and the policies that a session of the form follows. It holds
// tables, and no session.
//
//	f, err := form.New(form.Declaration{
//		Name:    "mooring-permit",
//		Fields:  []form.Field{{Path: "vessel/name", Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpRequired}}}},
//		Buttons: []string{"apply"},
//	})
//
// Most forms are not written like this: package declare reads a form file, a JSON Schema
// or a Go struct.
//
// The files can be read in this order: declaration.go has what can be declared, value.go
// what an answer is, and number.go and clock.go the exact numbers and dates in it. form.go
// derives the tables from a declaration. parse.go reads what was typed, decode.go what a
// body brings, and body.go writes a body. constraints.go evaluates one constraint, with
// format.go, pattern.go and code.go. message.go and plural.go write what is said, redact.go
// hides private values, and binary.go compiles a form for the browser.
package form
