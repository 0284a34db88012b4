package copies

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/filename"
)

// Thin removes, of the copies that keep took of a side's variant on this machine, those that
// a rule lets go. Copies that a person took, or gave a name, stay.
func Thin(ctx context.Context, side *Side, to, machine string, rule copyplan.Rule, now time.Time) (gone []*Copy, left int, err error) {
	all, _ := List(ctx, []string{filepath.Join(to, filename.Portable(side.Title))})
	byID := map[string]*Copy{}
	var aged []copyplan.Aged
	for _, c := range all {
		r := c.Record
		if r.Kept && r.Name == "" && r.Machine == machine && c.Form == Folder && r.TitleID == side.TitleID && r.Title == side.Title &&
			sameVariant(r.Variant, side) {
			byID[r.ID] = c
			aged = append(aged, copyplan.Aged{ID: r.ID, Taken: r.Taken})
		}
	}
	for _, a := range copyplan.Thin(aged, rule, now) {
		c := byID[a.ID]
		if err := remove(c, machine); err != nil {
			return gone, len(aged) - len(gone), err
		}
		gone = append(gone, c)
	}
	return gone, len(aged) - len(gone), nil
}

// remove removes a copy's folder: first its name goes, so that no half of it is taken for a
// copy.
func remove(c *Copy, machine string) error {
	part := filepath.Join(filepath.Dir(c.Path), partName(machine))
	if err := os.Rename(c.Path, part); err != nil {
		return fmt.Errorf("%s: %w", c.Path, disk.Cause(err))
	}
	if err := disk.RemoveAll(part); err != nil {
		return fmt.Errorf("%s: %w", c.Path, disk.Cause(err))
	}
	return nil
}

// Places are the folders, or single files, in which a side's files are: where to watch.
func (s *Side) Places(choice Choice) (list []string) {
	for i := range s.Variant.Locations {
		l := &s.Variant.Locations[i]
		if l.Folder != "" && l.Error == "" && l.Usable && l.Values == nil && choice.Includes(l.Holds) && !slices.Contains(list, l.Folder) {
			list = append(list, l.Folder)
		}
	}
	return list
}
