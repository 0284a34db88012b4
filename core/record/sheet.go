package record

import (
	"bytes"
	"fmt"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/core/standing"
)

// Sheet is the record of a launcher's sheet.
type Sheet struct {
	ID       string              `json:"id"`
	Sheet    jsontext.Value      `json:"sheet"`    // endroit/sheet/1, as JSON
	Evidence []standing.Evidence `json:"evidence"` // for this state of it
	Unknown  jsontext.Value      `json:",unknown"`
}

// ParseSheet reads the record of a sheet as Encode wrote it.
func ParseSheet(data []byte) (*Sheet, error) {
	s := &Sheet{}
	if err := json.Unmarshal(data, s); err != nil {
		return nil, fmt.Errorf("read the record of a sheet: %w", err)
	}
	return s, nil
}

// Encode writes a record as canonical JSON.
func (s *Sheet) Encode() ([]byte, error) { return manifest.Canonical(s) }

// Read reads and checks the sheet.
func (s *Sheet) Read() (*sheet.Sheet, error) { return manifest.Sheet{ID: s.ID, Sheet: s.Sheet}.Read() }

// Published is what is published of the record at a time.
func (s *Sheet) Published(now time.Time) manifest.Sheet {
	v := standing.OfSheet(s.Evidence, now)
	return manifest.Sheet{
		ID: s.ID, Sheet: s.Sheet, Standing: v.Standing, Reason: v.Reason, Counts: v.Counts, Unknown: s.Unknown,
	}
}

// Try returns the record with a sheet that somebody tried. s is the present one, nil if
// there is none; it is not changed. Evidence for another state of the sheet does not count
// for this one.
func (s *Sheet) Try(tried *sheet.Sheet, e standing.Evidence) (*Sheet, error) {
	doc, err := manifest.Canonical(tried)
	if err != nil {
		return nil, err
	}
	next := &Sheet{ID: tried.ID, Sheet: doc, Evidence: []standing.Evidence{}}
	if s != nil {
		next.Unknown = s.Unknown
		if before, err := manifest.Canonical(s.Sheet); err == nil && bytes.Equal(before, doc) {
			next.Evidence = append(next.Evidence, s.Evidence...)
		}
	}
	next.Evidence = append(next.Evidence, e)
	return next, nil
}
