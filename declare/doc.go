// Package declare makes a form.Form of a form file and its JSON Schema.
//
//	form, err := declare.File("mooring.form.yaml")
//	if err != nil {
//		return err // every mistake with file, line, column, and what would be right
//	}
//	session, effects := lifecycle.Open(form, seed)
//
// Reading is strict: an unknown key, a wrong type, a path that the schema does
// not have, and a schema keyword that a form cannot honour are errors, told all
// at once.
package declare
