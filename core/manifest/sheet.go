package manifest

import (
	"bytes"
	"encoding/json"
	"fmt"

	"endroit/core/sheet"
	"endroit/core/standing"
)

// Sheet is a launcher's accepted sheet with the evidence for it.
type Sheet struct {
	ID       string              `json:"id"`
	Sheet    json.RawMessage     `json:"sheet"` // endroit/sheet/1, as JSON
	Standing standing.Standing   `json:"standing"`
	Evidence []standing.Evidence `json:"evidence"` // for this state of it
}

// Read reads and checks the sheet.
func (s Sheet) Read() (*sheet.Sheet, error) {
	read, err := sheet.ParseJSON(s.Sheet)
	if err == nil && read.ID != s.ID {
		err = fmt.Errorf("sheet %s: it describes %s", s.ID, read.ID)
	}
	return read, err
}

// ApplySheet returns the entry of a sheet that was accepted. present is the
// entry so far, nil if there is none: evidence for another state of the sheet does
// not count for this one.
func ApplySheet(present *Sheet, s *sheet.Sheet, e standing.Evidence) (Sheet, error) {
	doc, err := Canonical(s)
	if err != nil {
		return Sheet{}, err
	}
	next := Sheet{ID: s.ID, Sheet: doc, Evidence: []standing.Evidence{}}
	if present != nil {
		if before, err := Canonical(present.Sheet); err == nil && bytes.Equal(before, doc) {
			next.Evidence = append(next.Evidence, present.Evidence...)
		}
	}
	next.Evidence = append(next.Evidence, e)
	next.Standing, _ = standing.Of(next.Evidence)
	return next, nil
}
