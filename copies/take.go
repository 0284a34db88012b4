package copies

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/filename"
	"endroit/core/notes"
	"endroit/core/place"
	"endroit/parallel"
	"endroit/safefile"
)

// TakeOptions say how a copy is taken.
type TakeOptions struct {
	To      string // the folder of copies
	Name    string // of this copy; may be empty
	Set     bool
	Kept    bool
	Form    Form
	By      string // the version of this program
	Machine string // a pseudonym
	Seen    *Seen
	// Last is what ReadLast has begun to read; it may be nil.
	Last *LastRead
	// Again looks at the same files once more. A copy is of one moment: what changes while
	// it is taken is copied again.
	Again func(ctx context.Context) (*Side, error)
	Told  func(done, of int) // as files are copied; may be nil
	// Always takes a copy also where the last one in the folder has the same content.
	Always bool
	// Own says that the copy is for what this program does now: its files are digested by
	// BLAKE3 alone, which takes a fraction of the time.
	Own bool
	// Pause is how long to wait before files that changed are read again; 0 for the usual.
	Pause time.Duration
	// Quiet is for how long nothing may have changed: a save that is being written pauses
	// between its files, and what is there then is of two moments.
	Quiet time.Duration
}

// Taken is a copy that was taken.
type Taken struct {
	Copy *Copy
	// Same says that nothing was written: Copy is the last one, which has the same content.
	Same bool
	// Unchanged is how many files are those of the last copy: they take no space where the
	// file system can have one file in several folders. Written is how many bytes were
	// written.
	Unchanged int
	Written   int64
	Tries     int // how often files had to be read, because some changed
	// cloned are the places of files whose content shares the blocks of the originals.
	cloned map[string]bool
}

// ErrEmpty says that there are no files to copy.
var ErrEmpty = errors.New("there are no files to copy")

// RestlessError says that files changed each time that they were read.
type RestlessError struct{ Paths []string }

func (e *RestlessError) Error() string {
	return fmt.Sprintf(
		"%s changed each time while it was copied, so that the files would not be of one moment; "+
			"end the game, or what else writes there, and try again",
		strings.Join(e.Paths, ", "),
	)
}

// How often files that change are read again, and how long after.
const (
	maxTries   = 5
	usualPause = 400 * time.Millisecond
)

// partPrefix begins the name of a copy that is not whole yet.
const partPrefix = ".part-"

// Take takes a copy of a side. The copy is whole, on the disk, and of one moment, or there
// is none.
func Take(ctx context.Context, side *Side, o TakeOptions) (*Taken, error) {
	if len(side.Files) == 0 {
		return nil, ErrEmpty
	}
	folder := filepath.Join(o.To, filename.Portable(side.Title))
	last := lastOf(ctx, folder, side, o.Last)
	if last != nil && !o.Always {
		if same, err := sameAs(ctx, side, last, o.Seen); err != nil || same {
			return &Taken{Copy: last, Same: true, Unchanged: len(side.Files)}, err
		}
	}
	if err := checkTarget(side, o.To); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("%s: %w", folder, disk.Cause(err))
	}
	removeParts(folder, o.Machine)
	if err := disk.CheckSpaceFor(folder, bytesBeside(side, last), side.sample); err != nil {
		return nil, err
	}
	t := &taking{o: o, now: time.Now(), folder: folder, part: filepath.Join(folder, partName(o.Machine)), last: last}
	defer disk.RemoveAll(t.part)
	if err := os.MkdirAll(t.part, 0o755); err != nil {
		return nil, fmt.Errorf("%s: %w", folder, disk.Cause(err))
	}
	var err error
	if t.partOpen.root, err = os.OpenRoot(t.part); err != nil {
		return nil, fmt.Errorf("%s: %w", t.part, disk.Cause(err))
	}
	if last != nil {
		t.openLast()
	}
	tries, written, err := t.ofOneMoment(ctx, side)
	t.lastOpen.close()
	t.partOpen.close() // or Windows would not let it be renamed
	if err != nil {
		return nil, err
	}
	saved := make(chan error, 1)
	go func() { saved <- o.Seen.Save() }()
	out := &Taken{Unchanged: t.unchanged, Written: t.written, Tries: tries, cloned: map[string]bool{}}
	for place, d := range t.done {
		if d.cloned {
			out.cloned[place] = true
		}
	}
	out.Copy, err = t.publish(ctx, written)
	if err = errors.Join(err, <-saved); err != nil {
		return nil, err
	}
	return out, nil
}

// checkTarget refuses a folder of copies that lies where the files are: the next copy would
// copy it.
func checkTarget(side *Side, to string) error {
	real, err := filepath.EvalSymlinks(to)
	if err != nil {
		real = filepath.Clean(to) // it will be made
	}
	for i := range side.Variant.Locations {
		l := &side.Variant.Locations[i]
		at, err := filepath.EvalSymlinks(l.Folder)
		if l.Folder == "" || err != nil {
			continue
		}
		if rel, err := filepath.Rel(at, real); err == nil && (rel == "." || filepath.IsLocal(rel)) {
			return fmt.Errorf("%s lies in %s, which is copied; name a folder elsewhere with --to", to, l.Folder)
		}
	}
	return nil
}

// taking is a copy that is being taken.
type taking struct {
	o            TakeOptions
	now          time.Time
	folder, part string
	last         *Copy
	lastFiles    map[string]copyrecord.File // by place
	lastOpen     openFolders
	partOpen     openFolders
	done         map[string]doneFile // by place
	names        copyrecord.Names
	stored       map[string]string // by place: the path in the copy, the same in each try
	made         sync.Map          // the copy's folders
	unchanged    int
	written      int64
}

// doneFile is a file that is in the copy.
type doneFile struct {
	copyrecord.File
	identity disk.Identity
	begun    time.Time // before it was read
	reused   bool
	cloned   bool
	written  int64
}

// fresh is for how long after it was read a file can still change without a sign, since it
// was changed just before: a change in the same tick of the clock leaves its times as they
// are.
func (d doneFile) fresh() time.Duration {
	if d.reused || d.begun.IsZero() { // also links and registry keys
		return 0
	}
	last := time.Unix(0, max(d.identity.Time, d.identity.Changed))
	if tick := d.identity.Tick(); d.begun.Sub(last) < tick {
		return tick
	}
	return 0
}

// openLast opens the last copy, whose files may be those of this one too.
func (t *taking) openLast() {
	root, err := os.OpenRoot(t.last.Path)
	if err != nil || t.last.Form != Folder {
		return
	}
	t.lastOpen.root, t.lastFiles = root, map[string]copyrecord.File{}
	for _, f := range t.last.Record.Files {
		t.lastFiles[f.Place] = f
	}
}

// copyAll brings all files of a side into the copy, but for those that are in it as they
// are. changed are those that were written meanwhile.
func (t *taking) copyAll(ctx context.Context, side *Side) (changed []string, err error) {
	stored := make([]string, len(side.Files))
	wanted := map[string]bool{}
	for i, f := range side.Files {
		if f.Kind == copyplan.Link {
			continue
		}
		wanted[f.Place] = true
		if t.stored[f.Place] == "" {
			anchor, names := side.location(f).Place().Anchor, f.Target.Names
			if f.Kind == copyplan.Key {
				names = side.location(f).Place().Names()
			}
			t.stored[f.Place] = t.names.Next(anchor, storedNames(anchor, names))
		}
		stored[i] = t.stored[f.Place]
	}
	for place, name := range t.stored { // of earlier tries, perhaps not whole
		if !wanted[place] {
			_ = os.Remove(filepath.Join(t.part, filepath.FromSlash(name)))
			delete(t.done, place)
		}
	}
	root, err := os.OpenRoot(t.part)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	results := make([]doneFile, len(side.Files))
	restless := make([]bool, len(side.Files))
	copyFile := func(ctx context.Context, i int) error {
		f := side.Files[i]
		had, ok := t.done[f.Place]
		if ok && f.Kind == copyplan.Regular && had.Size == f.Size && had.Time.Equal(f.Time) && had.fresh() == 0 {
			if info, err := os.Stat(f.File.Path); err == nil && disk.Look(info) == had.identity {
				results[i] = had
				return nil
			}
		}
		var err error
		results[i], err = t.copyOne(ctx, root, side, f, stored[i])
		switch {
		case errors.Is(err, disk.ErrChanged), errors.Is(err, fs.ErrNotExist):
			restless[i] = true
		case err != nil:
			return fmt.Errorf("%s: %w", f.File.Path, disk.Cause(err))
		}
		return nil
	}
	told, pieces := t.told(len(side.Files)), side.pieces()
	err = parallel.Each(ctx, len(pieces), func(ctx context.Context, n int) error {
		for i := pieces[n].from; i < pieces[n].to; i++ {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := copyFile(ctx, i); err != nil {
				return err
			}
			told()
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	t.unchanged, t.written = 0, 0
	for i, f := range side.Files {
		if restless[i] {
			changed = append(changed, f.File.Path)
			continue
		}
		t.done[f.Place] = results[i]
		t.written += results[i].written
		if results[i].reused {
			t.unchanged++
		}
	}
	return changed, nil
}

// told tells after each file how many are done, one at a time.
func (t *taking) told(of int) func() {
	if t.o.Told == nil {
		return func() {}
	}
	var lock sync.Mutex
	done := 0
	return func() {
		lock.Lock()
		defer lock.Unlock()
		done++
		t.o.Told(done, of)
	}
}

// piece is a part of a side's files, of one folder: two of these are not copied at once
// into one folder, which the system would have to keep in order.
type piece struct{ from, to int }

// The bounds of a piece, so that there is work for all.
const (
	pieceFiles = 64
	pieceBytes = 4 << 20
)

func (s *Side) pieces() (all []piece) {
	last, bytes := "", int64(0)
	for i, f := range s.Files {
		folder := path.Dir(f.Place)
		if n := len(all); n > 0 && folder == last && i-all[n-1].from < pieceFiles && bytes+f.Size <= pieceBytes {
			all[n-1].to, bytes = i+1, bytes+f.Size
			continue
		}
		all, last, bytes = append(all, piece{i, i + 1}), folder, f.Size
	}
	return all
}

// copyOne brings one file into the copy.
func (t *taking) copyOne(ctx context.Context, root *os.Root, side *Side, f SideFile, stored string) (d doneFile, err error) {
	d.File = copyrecord.File{Place: f.Place, Location: f.Location, Size: f.Size, Time: f.Time.UTC(), Parts: side.captures(f)}
	if f.Kind == copyplan.Link {
		d.Link, d.Size = f.Link, 0
		return d, nil
	}
	if f.Kind == copyplan.Key {
		return t.copyKey(root, f, stored, d)
	}
	if t.unread(root, f, stored, &d) {
		return d, nil
	}
	d.begun = time.Now()
	from, err := side.open(f)
	if err != nil {
		return d, replaced(f, err)
	}
	defer from.Close()
	info, err := from.Stat()
	if err != nil {
		return d, err
	}
	d.identity = disk.Look(info)
	if info.Size() != f.Size || !info.ModTime().Equal(f.Time) {
		return d, disk.ErrChanged
	}
	attributes := disk.Read(from, info)
	d.Stored, d.Mode, d.Xattrs, d.Holes = stored, copyrecord.Mode(attributes.Mode), attributes.Xattrs, attributes.Holes
	if err := t.content(ctx, root, from, f, attributes, &d); err != nil {
		return d, err
	}
	after, err := from.Stat()
	if err != nil {
		return d, err
	}
	if disk.Look(after) != d.identity {
		return d, disk.ErrChanged
	}
	d.Note = t.verdict(side, f, d)
	return d, nil
}

// copyKey writes a registry key's text into the copy.
func (t *taking) copyKey(root *os.Root, f SideFile, stored string, d doneFile) (doneFile, error) {
	d.Stored, d.SHA256, d.Values, d.reused = stored, f.Digest, f.Values, t.lastFiles[f.Place].SHA256 == f.Digest
	if !d.reused {
		d.written = f.Size
	}
	if err := t.makeFolder(root, path.Dir(stored)); err != nil {
		return d, err
	}
	name := filepath.FromSlash(stored)
	_ = disk.Remove(root, name) // of an earlier try
	if err := root.WriteFile(name, f.Text, 0o600); err != nil {
		return d, err
	}
	if !disk.CanSyncAll {
		file, err := root.OpenFile(name, os.O_RDWR, 0)
		if err != nil {
			return d, err
		}
		defer file.Close()
		return d, file.Sync()
	}
	return d, nil
}

// storedNames are the names of a file in a copy: a registry key's text gets the ending by
// which systems know it.
func storedNames(anchor place.Anchor, names []string) []string {
	if anchor != place.Registry {
		return names
	}
	out := slices.Clone(names)
	out[len(out)-1] += ".reg"
	return out
}

// replaced takes for a change what Open says of a file that is no longer the one that was
// found.
func replaced(f SideFile, err error) error {
	if info, gone := os.Stat(f.File.Path); gone != nil || info.Size() != f.Size || !info.ModTime().Equal(f.Time) {
		return disk.ErrChanged
	}
	return err
}

// unread takes a file over from the last copy that is known to be the same without being
// opened: its name there becomes a further one here.
func (t *taking) unread(root *os.Root, f SideFile, stored string, d *doneFile) bool {
	had, ok := t.lastFiles[f.Place]
	if !ok || had.Link != "" || !had.Time.Equal(f.Time) || had.Size != f.Size {
		return false
	}
	info, err := os.Lstat(f.File.Path)
	if err != nil || !info.Mode().IsRegular() || info.Size() != f.Size || had.Mode != copyrecord.Mode(info.Mode().Perm()) {
		return false
	}
	identity := disk.Look(info)
	known := copyplan.State{Kind: copyplan.Regular, Size: f.Size}
	if known.Digest, known.BLAKE3 = t.o.Seen.Digests(f.File.Path, identity); !known.Same(stateOf(had)) {
		return false
	}
	if had.SHA256 == "" && !t.o.Own {
		return false
	}
	kept, err := t.lastOpen.lstat(had.Stored)
	if err != nil || !kept.Mode().IsRegular() || kept.Size() != f.Size {
		return false
	}
	if err := t.makeFolder(root, path.Dir(stored)); err != nil {
		return false
	}
	if t.lastOpen.link(had.Stored, &t.partOpen, stored) != nil {
		return false
	}
	place, location, parts := d.Place, d.Location, d.Parts
	d.File, d.identity, d.reused = had, identity, true
	d.Place, d.Location, d.Parts, d.Stored, d.Time = place, location, parts, stored, f.Time.UTC()
	return true
}

// makeFolder makes a folder of the copy, once.
func (t *taking) makeFolder(root *os.Root, name string) error {
	if _, made := t.made.Load(name); made {
		return nil
	}
	if err := root.MkdirAll(filepath.FromSlash(name), 0o755); err != nil {
		return err
	}
	t.made.Store(name, true)
	return nil
}

// content copies a file's content.
func (t *taking) content(ctx context.Context, root *os.Root, from *os.File, f SideFile, a disk.Attributes, d *doneFile) error {
	if err := t.makeFolder(root, path.Dir(d.Stored)); err != nil {
		return err
	}
	into, name := t.partOpen.at(d.Stored)
	to, err := into.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, fs.ErrExist) { // of an earlier try; it may be a name of the last copy's file
		_ = disk.Remove(into, name)
		to, err = into.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	}
	if err != nil {
		return err
	}
	begun := time.Now()
	var copied disk.Copied
	// A change of the original after it was cloned shows in its times, if the last one was not
	// just before. Then the original can be read, which is in memory more often.
	if d.cloned = d.fresh() == 0 && disk.Clone(to, from); d.cloned {
		copied, err = disk.Digest(ctx, from, t.o.sums())
	} else {
		copied, err = disk.Copy(ctx, to, from, a.Holes, f.Size, t.o.sums())
	}
	if err == nil {
		disk.SetXattrs(to, a.Xattrs)
		// Readable for its owner, whatever the original is.
		_ = to.Chmod(a.Mode&0o777 | 0o400)
		if t.o.Form == Folder && !disk.CanSyncAll {
			err = to.Sync()
		}
	}
	if closed := to.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = into.Chtimes(name, f.Time, f.Time)
	}
	if err != nil {
		return err
	}
	if copied.Size != f.Size {
		return disk.ErrChanged
	}
	d.SHA256, d.BLAKE3, d.written = copied.SHA256, copied.BLAKE3, copied.Size
	t.o.Seen.Note(f.File.Path, d.identity, copied, begun)
	return nil
}

// sums are the digests that a copy's files get. Others can check SHA-256 by common tools.
func (o TakeOptions) sums() disk.Sum {
	if o.Own {
		return disk.BLAKE3
	}
	return disk.SHA256 | disk.BLAKE3
}

// verdict is what the notes on structure say of a file that was copied.
func (t *taking) verdict(side *Side, f SideFile, d doneFile) string {
	n := side.location(f).Notes
	if n == nil {
		return ""
	}
	file, err := t.partOpen.regular(d.Stored)
	if err != nil {
		return notes.Unsure
	}
	defer file.Close()
	data, _, err := safefile.ReadSteady(file, f.File.Path)
	if err != nil {
		return notes.Unsure
	}
	return n.Judge(data).Word
}

func newID() string {
	random := make([]byte, 8)
	_, _ = rand.Read(random) // never fails (crypto/rand)
	return hex.EncodeToString(random)
}
