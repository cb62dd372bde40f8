package bench

import _ "embed"

// Schema is the JSON Schema (draft 2020-12) of the bench file, so that editors complete and check it while it is written.
//
//go:embed schema.json
var Schema []byte
