// Package schemas holds the JSON Schemas (2020-12) of the formats; its tests hold
// the program to them.
package schemas
