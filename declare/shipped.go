package declare

import _ "embed"

// FileSchema is the JSON Schema (2020-12) of form files, for editors that
// complete and check them.
//
//go:embed form.schema.json
var FileSchema []byte
