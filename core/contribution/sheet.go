package contribution

import (
	"context"
	"fmt"

	"endroit/core/footprint"
	"endroit/core/sheet"
	"endroit/core/standing"
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

// SheetKind is the kind of a Sheet.
var SheetKind = register("sheet", func() Body { return &Sheet{} })

// Sheet is a launcher's sheet with what it found on the contributor's machine.
type Sheet struct {
	Head
	Sheet *sheet.Sheet `json:"sheet"`
	Found *Findings    `json:"found"`
	Note  string       `json:"note,omitempty"`
}

// PrepareSheet makes the body from a launcher's sheet and what it found here. The sheet is
// sent as it was written; the note goes as all texts do. self is who sends it.
func PrepareSheet(s *sheet.Sheet, found *Findings, note string, self *footprint.Self) *Sheet {
	return &Sheet{
		Head: Head{Name: SheetKind}, Sheet: s, Found: found,
		Note: (&footprint.Footprint{Self: self}).Anonymizer().Text(note),
	}
}

// About says what it is about.
func (b *Sheet) About() About { return About{Title: b.Sheet.Name, Store: b.Sheet.StoreID()} }

// Statement says in a sentence what it asks for.
func (b *Sheet) Statement() string { return "record the sheet of the launcher " + b.Sheet.Name }

// Reason is the note.
func (b *Sheet) Reason() string { return b.Note }

// Apply puts the sheet in place of the present one, or adds evidence to it.
func (b *Sheet) Apply(ctx context.Context, w World, e standing.Evidence) (*Outcome, error) {
	all, err := w.Sheets(ctx)
	if err != nil {
		return nil, err
	}
	out := &Outcome{Clashes: sheet.Clashes(b.Sheet, readable(all)), Sheet: &SheetChange{}}
	for i := range all {
		if all[i].ID == b.Sheet.ID {
			out.Sheet.Before = &all[i]
		}
	}
	e.Kind, e.Observer, e.Machine = standing.Observation, b.Found.String(), b.Machine
	out.Sheet.After, err = out.Sheet.Before.Try(b.Sheet, e)
	return out, err
}

// Check reports, as an *Error, what is wrong with the sheet or its findings.
func (b *Sheet) Check(context.Context) error {
	if err := b.check(); err != nil {
		return err
	}
	if b.Sheet == nil {
		return &Error{"sheet", "it is missing"}
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
