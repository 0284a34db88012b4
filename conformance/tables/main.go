// Command tables writes the tables of the rules of narrowness, as JSON, for other
// implementations of them.
//
//	go run ./conformance/tables > tables.json
package main

import (
	"encoding/json"
	"fmt"
	"os"

	"endroit/core/place"
)

func main() {
	e := json.NewEncoder(os.Stdout)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	if err := e.Encode(place.RulesTables()); err != nil {
		fmt.Fprintln(os.Stderr, "tables:", err)
		os.Exit(1)
	}
}
