package locate

import (
	"context"

	"endroit/core/notes"
	"endroit/machine"
	"endroit/safefile"
)

// Check reads the files of a title by the notes on their structure, and writes into each
// location's Checks what they say. Locations without notes are left alone.
func (h *Resolver) Check(ctx context.Context, t *Title) error {
	for i := range t.Variants {
		for j := range t.Variants[i].Locations {
			l := &t.Variants[i].Locations[j]
			if l.Notes == nil {
				continue
			}
			l.Checks = map[string]notes.Verdict{}
			for _, f := range l.Files {
				if err := ctx.Err(); err != nil {
					return err
				}
				data, err := h.read(l, f)
				if err != nil {
					l.Checks[f.Path] = notes.Verdict{Word: notes.Unsure, Why: err.Error()}
					continue
				}
				l.Checks[f.Path] = l.Notes.Judge(data)
			}
		}
	}
	return nil
}

// read reads a file that was found, and no other that took its name since.
func (h *Resolver) read(l *Location, f machine.File) ([]byte, error) {
	open, err := h.Open(l, f)
	if err != nil {
		return nil, err
	}
	defer open.Close()
	data, _, err := safefile.ReadSteady(open, f.Path)
	return data, err
}

// Sound reports whether no file that was checked is damaged or something else.
func (t *Title) Sound() bool {
	for _, v := range t.Variants {
		for _, l := range v.Locations {
			for _, c := range l.Checks {
				if c.Word == notes.Damaged || c.Word == notes.Foreign {
					return false
				}
			}
		}
	}
	return true
}
