package scenario

import _ "embed"

// FileSchema is the JSON Schema (2020-12) of scenario files, for editors that
// complete and check them.
//
//go:embed scenario.schema.json
var FileSchema []byte
