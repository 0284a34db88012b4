package manifest

import (
	"fmt"

	"github.com/go-json-experiment/json/jsontext"

	"endroit/core/sheet"
	"endroit/core/standing"
)

// Sheet is a launcher's accepted sheet, and how well it is known to be right.
type Sheet struct {
	ID       string            `json:"id"`
	Sheet    jsontext.Value    `json:"sheet"` // endroit/sheet/1, as JSON
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`
	Counts   standing.Counts   `json:"counts,omitzero"`
	Unknown  jsontext.Value    `json:",unknown"`
}

// Read reads and checks the sheet.
func (s Sheet) Read() (*sheet.Sheet, error) {
	read, err := sheet.ParseJSON(s.Sheet)
	if err == nil && read.ID != s.ID {
		err = fmt.Errorf("sheet %s: it describes %s", s.ID, read.ID)
	}
	return read, err
}

// Sheets is the published file of all launchers' sheets.
type Sheets struct {
	Format  string         `json:"format"`
	Sheets  []Sheet        `json:"sheets"` // by id
	Unknown jsontext.Value `json:",unknown"`
}

// MaxSheets bounds the document of all sheets, uncompressed.
const MaxSheets = 16 << 20

// ReadSheets reads the published file of all sheets. What is wrong is an ErrFormat.
func ReadSheets(compressed []byte) ([]Sheet, error) {
	document, err := Expand(compressed, MaxSheets)
	if err != nil {
		return nil, fmt.Errorf("sheets: %w", err)
	}
	bad := func(err error) error { return fmt.Errorf("sheets: %w: %w", ErrFormat, err) }
	var s Sheets
	if err := Decode(document, &s); err != nil {
		return nil, bad(err)
	}
	if s.Format != Format {
		return nil, bad(fmt.Errorf("their format is %.40q, not %s", s.Format, Format))
	}
	last := ""
	for i, x := range s.Sheets {
		if x.ID <= last {
			return nil, bad(fmt.Errorf("sheet %d (%.40q) is out of order", i+1, x.ID))
		}
		last = x.ID
	}
	return s.Sheets, nil
}

// WriteSheets makes the published file of all sheets, in the order of their ids.
func WriteSheets(all []Sheet) ([]byte, error) {
	if all == nil {
		all = []Sheet{}
	}
	document, err := Canonical(Sheets{Format: Format, Sheets: all})
	if err != nil {
		return nil, err
	}
	return Compress(document), nil
}
