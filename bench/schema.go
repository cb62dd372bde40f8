package bench

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"maps"
	"sync"
)

//go:embed schema.json
var schemaOfTheRest []byte

// Schema is the JSON Schema (draft 2020-12) of the bench file, so that editors complete and check it while it is written.
// What it says of studies comes from their kinds.
var Schema = sync.OnceValue(func() []byte {
	var whole schema
	if err := json.Unmarshal(schemaOfTheRest, &whole); err != nil {
		panic(fmt.Sprintf("schema.json: %s", err)) // it is compiled in: a test reads it
	}
	whole["$defs"].(schema)["study"] = studySchema()
	text, err := json.MarshalIndent(whole, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("schema: %s", err))
	}
	return append(text, '\n')
})

// studySchema says for each kind which keys it has.
func studySchema() schema {
	var kinds []any
	for _, kind := range Kinds {
		described := objectSchema(append((&Common{}).Keys(), kind.New().Keys()...))
		properties := maps.Clone(described["properties"].(schema))
		properties["kind"] = schema{"const": kind.Name}
		kinds = append(kinds, schema{"if": schema{"properties": schema{"kind": schema{"const": kind.Name}}},
			"then": schema{"description": kind.Meaning, "additionalProperties": false, "properties": properties}})
	}
	return schema{"type": "object", "required": []string{"kind"}, "properties": schema{"kind": schema{"enum": KindNames()}}, "allOf": kinds}
}
