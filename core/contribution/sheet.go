package contribution

import (
	"fmt"

	"endroit/core/sheet"
	"endroit/core/words"
	"endroit/core/yamldoc"
)

// Findings is what a sheet found on the contributor's machine, as numbers: names,
// folders and accounts stay there.
type Findings struct {
	OS            string `json:"os"`
	Installations int    `json:"installations"`
	Libraries     int    `json:"libraries"`
	Titles        int    `json:"titles"`
	Missing       int    `json:"missing"` // listed titles and libraries that are not there
	Prefixes      int    `json:"prefixes"`
	Accounts      int    `json:"accounts"`
	InUse         bool   `json:"in_use"` // whether it can tell which account is in use
	Cloud         bool   `json:"cloud"`  // whether it can tell if cloud copies are kept
	Starts        int    `json:"starts"`
	Odd           int    `json:"odd"` // what could not be read, or is odd
}

// FindingsOf counts what a sheet found on a system.
func FindingsOf(os string, found []sheet.Found) *Findings {
	f := &Findings{OS: os, Installations: len(found)}
	for _, x := range found {
		f.Accounts += len(x.Accounts)
		f.Starts += len(x.Starts)
		f.Odd += len(x.Notes)
		f.Cloud = f.Cloud || x.Cloud != nil
		for _, a := range x.Accounts {
			f.InUse = f.InUse || a.InUse
		}
		for _, l := range x.Libraries {
			if l.Folder != "" {
				f.Libraries++
			}
			if l.Missing != "" {
				f.Missing++
			}
			for _, e := range l.Editions {
				f.Titles++
				if e.Missing != "" {
					f.Missing++
				}
				if e.Prefix != "" {
					f.Prefixes++
				}
			}
		}
	}
	return f
}

// String says the findings in words.
func (f *Findings) String() string {
	return fmt.Sprintf(
		"on %s: %d installations, %d libraries, %d titles (%d libraries or titles missing), %d prefixes, %d "+
			"accounts, %d titles of other launchers started, %d problems",
		f.OS,
		f.Installations,
		f.Libraries,
		f.Titles,
		f.Missing,
		f.Prefixes,
		f.Accounts,
		f.Starts,
		f.Odd,
	)
}

func (b *Body) checkSheet() error {
	if b.Draft != nil || b.Footprint != nil {
		return &Error{"sheet", "a contribution is a draft with a footprint or a sheet with findings, not both"}
	}
	if err := b.Sheet.Check(); err != nil {
		if e, ok := err.(*yamldoc.Error); ok {
			return &Error{"sheet." + e.Field, e.Reason}
		}
		return &Error{"sheet", err.Error()}
	}
	f := b.Found
	if f == nil {
		return &Error{"found", "found is missing: a sheet is sent with what it found"}
	}
	if f.OS != "linux" && f.OS != "windows" && f.OS != "macos" {
		return &Error{"found.os", "it must be linux, windows or macos"}
	}
	for _, n := range []int{f.Installations, f.Libraries, f.Titles, f.Missing, f.Prefixes, f.Accounts, f.Starts, f.Odd} {
		if n < 0 || n > 1_000_000 {
			return &Error{"found", "a number is out of range"}
		}
	}
	if f.Installations == 0 && f.Titles == 0 {
		return &Error{
			"found.installations",
			"the sheet finds nothing on the contributor's machine; a sheet needs evidence: test it where the " +
				"launcher is installed (endroit sheet check)",
		}
	}
	if reason := words.Text(b.Note, maxText); reason != "" {
		return &Error{"note", reason}
	}
	return nil
}
