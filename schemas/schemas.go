// Package schemas holds the JSON Schemas (2020-12) of the formats; its tests hold
// the program to them.
package schemas

import "embed"

// Files are the schemas, each named after its format: trace-1.schema.json.
//
//go:embed *.schema.json
var Files embed.FS
