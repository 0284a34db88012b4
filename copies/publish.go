package copies

import (
	"context"
	"endroit/copies/disk"
	"endroit/core/copyrecord"
	"endroit/core/filename"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// record says what the copy is.
func (t *taking) record(side *Side) *copyrecord.Record {
	v := side.Variant
	r := &copyrecord.Record{
		Format: copyrecord.Format, ID: newID(), Title: side.Title, TitleID: side.TitleID, Name: t.o.Name, Set: t.o.Set, Kept: t.o.Kept,
		Taken: t.now.UTC().Truncate(time.Millisecond), By: t.o.By, Machine: t.o.Machine, Source: side.Source,
		Variant: copyrecord.Variant{
			Store: v.Store, Reference: v.Reference, Launcher: v.Launcher, OS: v.System, Runtime: v.Runtime, Version: v.Version,
			Account: v.Account, Parts: side.parts(),
		},
		Slot: side.slot, LeftOut: side.LeftOut, Files: make([]copyrecord.File, 0, len(side.Files)),
	}
	// Also those without a file: to put the copy back is to have none there again.
	index := map[int]int{} // of the variant's locations in the record's
	for _, i := range side.looked {
		l := side.Variant.Locations[i]
		index[i] = len(r.Locations)
		r.Locations = append(r.Locations, copyrecord.Location{At: l.At, Holds: l.Holds, Standing: l.Standing, Reason: l.Reason})
	}
	for _, f := range side.Files {
		d := t.done[f.Place].File
		d.Location = index[f.Location]
		r.Files = append(r.Files, d)
	}
	return r
}

// writtenRecord is a record that is being written, and checked.
type writtenRecord struct {
	*copyrecord.Record
	text chan []byte
	errs chan error // of both
}

func (t *taking) write(r *copyrecord.Record) *writtenRecord {
	w := &writtenRecord{r, make(chan []byte, 1), make(chan error, 2)}
	go func() {
		text, err := r.Text()
		w.text <- text
		w.errs <- err
	}()
	go func() { w.errs <- r.Check() }()
	return w
}

// publish gives the copy its name, when it is whole and on the disk.
func (t *taking) publish(ctx context.Context, w *writtenRecord) (*Copy, error) {
	r, text := w.Record, <-w.text
	if err := errors.Join(<-w.errs, <-w.errs); err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(t.part, copyrecord.FileName), text, 0o644); err != nil {
		return nil, fmt.Errorf("%s: %w", t.folder, disk.Cause(err))
	}
	if t.o.Form != Folder {
		return t.publishArchive(ctx, r, text)
	}
	if err := syncTree(t.part); err != nil {
		return nil, fmt.Errorf("%s: %w", t.folder, disk.Cause(err))
	}
	name := folderName(r)
	for i := 2; ; i++ {
		path := filepath.Join(t.folder, name)
		if _, err := os.Lstat(path); errors.Is(err, fs.ErrNotExist) {
			if err := os.Rename(t.part, path); err != nil {
				return nil, fmt.Errorf("%s: %w", path, disk.Cause(err))
			}
			return &Copy{r, path, Folder}, syncFolder(t.folder)
		}
		name = fmt.Sprintf("%s (%d)", folderName(r), i)
	}
}

// folderName is what a copy's folder is called: when it was taken, and its name.
func folderName(r *copyrecord.Record) string {
	name := r.Taken.Local().Format("2006-01-02 15.04.05")
	if r.Name != "" {
		name += " " + filename.Portable(r.Name)
	}
	return name
}

// syncTree brings a folder with all that is in it onto the disk.
func syncTree(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	if disk.CanSyncAll {
		return disk.SyncAll(f)
	}
	return disk.SyncFolder(f)
}

func syncFolder(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	_ = disk.SyncFolder(f) // not every file system has a notion of it
	return nil
}

// attempt tells the parts of this process from those that an earlier one left.
var attempt = newID()[:8]

// partName is the name of a copy of this machine that is not whole yet.
func partName(machine string) string {
	return partPrefix + short(machine) + "-" + attempt + "-" + newID()
}

// removeParts removes what earlier attempts of this machine left.
func removeParts(folder, machine string) {
	entries, err := listNames(folder)
	if err != nil {
		return
	}
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), partPrefix+short(machine)+"-") && !strings.Contains(e.Name(), "-"+attempt+"-") {
			_ = disk.RemoveAll(filepath.Join(folder, e.Name()))
		}
	}
}

func short(machine string) string { return machine[:min(len(machine), 8)] }
