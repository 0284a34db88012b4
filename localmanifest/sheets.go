package localmanifest

import (
	"fmt"
	"path/filepath"
	"slices"

	"endroit/core/sheet"
	"endroit/safefile"
)

// ReadSheet reads a sheet's file. What is wrong with its text is a *sheet.Error.
func ReadSheet(name string) (*sheet.Sheet, error) {
	data, err := safefile.Read(name, sheet.MaxBytes)
	if err != nil {
		return nil, err
	}
	s, err := sheet.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return s, nil
}

// ReadSheets reads the sheets in a folder, which need not be there. An invalid one is
// skipped, as is one of a launcher that another file describes; notes say which and why.
func ReadSheets(folder string) (all []*sheet.Sheet, notes []string) {
	files, _ := filepath.Glob(filepath.Join(folder, "*.yaml"))
	for _, f := range files {
		s, err := ReadSheet(f)
		switch {
		case err != nil:
			notes = append(notes, err.Error())
		case indexOf(all, s.ID) >= 0:
			notes = append(notes, fmt.Sprintf("%s describes %s, as a file before it does; it is skipped", f, s.ID))
		default:
			all = append(all, s)
		}
	}
	return all, notes
}

// MergeSheets puts a person's own sheets before the published ones of the same launchers.
// notes say what clashes.
func MergeSheets(own, published []*sheet.Sheet) (all []*sheet.Sheet, notes []string) {
	all = slices.Clone(published)
	for _, s := range own {
		if i := indexOf(all, s.ID); i >= 0 {
			all[i] = s
			continue
		}
		all = append(all, s)
	}
	for _, s := range own {
		for _, clash := range sheet.Clashes(s, all) {
			notes = append(notes, fmt.Sprintf("your own sheet %s: %v", s.ID, clash))
		}
	}
	return all, notes
}

func indexOf(all []*sheet.Sheet, id string) int {
	return slices.IndexFunc(all, func(s *sheet.Sheet) bool { return s.ID == id })
}
