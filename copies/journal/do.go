package journal

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/parallel"
)

// syncEach is up to how many files each is brought onto the disk by itself; with more, the
// file system is as a whole, where it can be.
const syncEach = 64

// Do makes the changes: all of them, or with an error none. told is called as files are
// prepared, with how many of how many; it may be nil. Only after an *InterruptedError some
// may be made: it is ended when the journal is next opened.
func (j *Journal) Do(ctx context.Context, about About, changes []Change, told func(done, of int)) (Operation, error) {
	return j.do(ctx, about, changes, nil, told)
}

// do is Do; moved gives for changes the kept file of another operation that becomes the new
// content, without being copied where that can be.
func (j *Journal) do(
	ctx context.Context, about About, changes []Change, moved map[int]string, told func(done, of int),
) (Operation, error) {
	number, err := j.next(about)
	if err != nil {
		return Operation{}, err
	}
	now := time.Now()
	d := &document{
		head:    head{Format, newID(now), number, now.UTC().Truncate(time.Second), about, len(changes)},
		Folders: []folderMade{},
	}
	folder := filepath.Join(j.folder, d.ID)
	if err := os.MkdirAll(filepath.Join(folder, keptFolder), 0o700); err != nil {
		return Operation{}, err
	}
	s := stage{folder: folder, d: d, changes: changes, moved: moved}
	defer s.close()
	err = s.plan()
	if err == nil {
		err = writeJSON(filepath.Join(folder, headFile), d.head)
	}
	if err == nil {
		err = writeJSON(filepath.Join(folder, documentFile), d)
	}
	if err == nil {
		err = syncPath(j.folder)
	}
	if err == nil {
		err = s.prepare(ctx, told)
	}
	if err == nil {
		err = s.unchanged(ctx)
	}
	if err == nil {
		err = writeJSON(filepath.Join(folder, stagedMark), marks{})
	}
	if err != nil {
		s.close()
		if back := takeBack(folder, d); back != nil {
			err = fmt.Errorf("%w (and what was prepared could not be removed: %w)", err, back)
		}
		return Operation{}, err
	}
	s.close()
	if err := j.finish(folder, d); err != nil {
		if back := rollBack(folder, d); back != nil {
			return Operation{}, &InterruptedError{ID: d.ID, Err: err, Back: back}
		}
		return Operation{}, err
	}
	if d.Undoes != "" {
		_ = j.retire(d.Undoes) // else when the journal is next opened
	}
	return operation(folder)
}

// stage prepares an operation.
type stage struct {
	folder  string
	d       *document
	changes []Change
	moved   map[int]string
	from    *os.File // the folder in which moved is; nil if nothing is
	kept    *os.File // the folder of what is kept
	device  uint64   // its file system's
	links   bool     // that has names for one file in several folders
}

func (s *stage) close() {
	for _, f := range []**os.File{&s.kept, &s.from} {
		if *f != nil {
			_ = (*f).Close()
			*f = nil
		}
	}
}

// plan fills in the steps, and which folders have to be made.
func (s *stage) plan() error {
	kept, err := os.Open(filepath.Join(s.folder, keptFolder))
	if err != nil {
		return err
	}
	s.kept = kept
	info, err := kept.Stat()
	if err != nil {
		return err
	}
	s.device = disk.Device(info)
	s.links = disk.CanMove && s.canLink()
	seen, devices := map[string]bool{}, map[string]uint64{}
	for i, c := range s.changes {
		if c.Key.Path != "" {
			s.d.Steps = append(s.d.Steps, keyStep(c))
			continue
		}
		if len(c.Names) == 0 || !filepath.IsAbs(c.Top) {
			return fmt.Errorf("%s is no place of a file", c.Place)
		}
		st := step{Place: c.Place, Top: encodeTop(c.Top), Names: encodeNames(c.Names), Before: c.Before, After: c.After}
		if c.After.Kind != copyplan.Nothing {
			st.Part = fmt.Sprintf(".endroit-%s-%d", s.d.ID[len(s.d.ID)-8:], i)
		}
		device, err := s.above(c, seen, devices)
		if err != nil {
			return err
		}
		if c.Before.Kind != copyplan.Nothing {
			st.Copied = device != s.device || !disk.CanMove || c.After.Kind != copyplan.Nothing && !s.links
		}
		s.d.Steps = append(s.d.Steps, st)
	}
	return nil
}

// canLink reports whether the journal's file system has hard links.
func (s *stage) canLink() bool {
	const probe, other = "probe", "probe-2"
	f, err := os.OpenFile(filepath.Join(s.folder, keptFolder, probe), os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return false
	}
	_ = f.Close()
	err = disk.Link(s.kept, probe, s.kept, other)
	_ = os.Remove(filepath.Join(s.folder, keptFolder, probe))
	_ = os.Remove(filepath.Join(s.folder, keptFolder, other))
	return err == nil
}

// above finds the closest folder above a change that is there, with its file system, and
// notes those that have to be made. The anchor's own folder has to be there.
func (s *stage) above(c Change, seen map[string]bool, devices map[string]uint64) (device uint64, err error) {
	parent := filepath.Dir(c.Path())
	if device, known := devices[parent]; known {
		return device, nil
	}
	root, err := os.OpenRoot(c.Top)
	if err != nil {
		return 0, fmt.Errorf("%s: %w", c.Top, disk.Cause(err))
	}
	defer root.Close()
	missing := len(c.Names) - 1
	for ; missing > 0; missing-- {
		info, err := root.Stat(filepath.Join(c.Names[:missing]...))
		if err == nil && !info.IsDir() {
			return 0, fmt.Errorf("%s is no folder", filepath.Join(append([]string{c.Top}, c.Names[:missing]...)...))
		}
		if err == nil {
			device = disk.Device(info)
			break
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return 0, fmt.Errorf("%s: %w", c.Path(), disk.Cause(err))
		}
	}
	if missing == 0 {
		info, err := root.Stat(".")
		if err != nil {
			return 0, err
		}
		device = disk.Device(info)
	}
	for n := missing + 1; n < len(c.Names); n++ {
		f := folderMade{encodeTop(c.Top), encodeNames(c.Names[:n])}
		if !seen[f.Top+"\x00"+f.Names] && c.After.Kind != copyplan.Nothing {
			seen[f.Top+"\x00"+f.Names] = true
			s.d.Folders = append(s.d.Folders, f)
		}
	}
	devices[parent] = device
	return device, nil
}

// prepare makes the folders, copies what cannot be kept by its name, and writes each new
// content beside its place, all of it onto the disk.
func (s *stage) prepare(ctx context.Context, told func(done, of int)) error {
	if err := s.checkSpace(); err != nil {
		return err
	}
	for _, f := range s.d.Folders {
		if err := makeFolder(f); err != nil {
			return err
		}
	}
	for _, kept := range s.moved { // all in the folder of one operation
		s.from, _ = os.Open(filepath.Dir(kept))
		break
	}
	each := len(s.changes) <= syncEach || !disk.CanSyncAll
	pieces := pieces(s.d.Steps)
	var mu sync.Mutex
	done := 0
	err := parallel.Each(ctx, len(pieces), func(ctx context.Context, n int) error {
		return s.preparePiece(ctx, pieces[n], each, func() {
			mu.Lock()
			defer mu.Unlock()
			if done++; told != nil {
				told(done, len(s.changes))
			}
		})
	})
	if err == nil {
		err = s.checkCase()
	}
	if err != nil {
		return err
	}
	return syncSteps(s.d.Steps, s.kept, !each)
}

// piece is a part of an operation's steps, of one folder, so that it is opened once.
type piece struct{ from, to int }

// maxPiece keeps the pieces small enough to be shared out.
const maxPiece = 64

func pieces(steps []step) (all []piece) {
	last := ""
	for i, st := range steps {
		folder, _ := cutLast(st.Names)
		key := st.Top + "\x00" + folder + "\x00" + st.Key
		if n := len(all); n > 0 && key == last && i-all[n-1].from < maxPiece {
			all[n-1].to = i + 1
			continue
		}
		all, last = append(all, piece{i, i + 1}), key
	}
	return all
}

// preparePiece prepares the steps of one folder.
func (s *stage) preparePiece(ctx context.Context, p piece, sync bool, told func()) error {
	first := s.changes[p.from]
	if first.Key.Path != "" {
		if err := s.prepareKey(ctx, p.from); err != nil {
			return err
		}
		told()
		return nil
	}
	parent, missing := openParent(first.Top, first.Names)
	if missing == nil {
		defer parent.close()
	}
	for i := p.from; i < p.to; i++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		err := missing
		if err == nil {
			err = s.prepareOne(ctx, parent, i, sync)
		} else if s.changes[i].After.Kind == copyplan.Nothing {
			err = ignoreMissing(err) // which unchanged tells
		}
		if err != nil {
			return fmt.Errorf("%s: %w", s.changes[i].Path(), disk.Cause(err))
		}
		told()
	}
	return nil
}

func (s *stage) prepareOne(ctx context.Context, parent parentFolder, i int, sync bool) error {
	c, st := s.changes[i], s.d.Steps[i]
	name := c.Names[len(c.Names)-1]
	if st.Copied {
		if err := s.keepAs(ctx, parent, name, strconv.Itoa(i), sync); err != nil {
			return err
		}
	}
	switch c.After.Kind {
	case copyplan.Nothing:
		return nil
	case copyplan.Link:
		return parent.root.Symlink(c.LinkText, st.Part)
	}
	if kept := s.moved[i]; kept != "" && s.takeKept(parent, kept, st.Part) {
		return nil
	}
	return writePart(ctx, parent, st.Part, c, sync)
}

// takeKept gives what another operation kept the name of a part, instead of copying it.
func (s *stage) takeKept(parent parentFolder, kept, part string) bool {
	return s.from != nil && disk.Link(s.from, filepath.Base(kept), parent.file, part) == nil
}

// writePart writes a file's new content under the part's name.
func writePart(ctx context.Context, parent parentFolder, part string, c Change, sync bool) error {
	from, err := c.Open()
	if err != nil {
		return err
	}
	defer from.Close()
	// Read too: a clone is read back for its digest.
	to, err := parent.root.OpenFile(part, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	attributes := c.Attributes
	if c.kept != "" {
		info, err := from.Stat()
		if err != nil {
			return errors.Join(err, to.Close())
		}
		attributes = disk.Read(from, info)
	}
	sum := disk.SHA256
	switch {
	case c.After.BLAKE3 != "":
		sum = disk.BLAKE3
	case c.After.Digest == "":
		sum = 0
	}
	copied, err := disk.Copy(ctx, to, from, attributes.Holes, c.After.Size, sum)
	if err == nil && (copied.Size != c.After.Size || sum == disk.BLAKE3 && copied.BLAKE3 != c.After.BLAKE3 ||
		sum == disk.SHA256 && copied.SHA256 != c.After.Digest) {
		err = &ContentError{c.Place}
	}
	if err == nil {
		disk.SetXattrs(to, attributes.Xattrs)
		if attributes.Mode != 0 {
			err = ignoreUnsupported(to.Chmod(attributes.Mode))
		}
	}
	if err == nil && sync {
		err = to.Sync()
	}
	if closed := to.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return err
	}
	return parent.root.Chtimes(part, attributes.Time, attributes.Time)
}

// ContentError says that the new content of a file is not the one that it is to be: a copy
// is damaged, or changes meanwhile.
type ContentError struct{ Place string }

func (e *ContentError) Error() string {
	return "the copy of this file does not have the content that its record says; nothing was done"
}

// keepAs copies what is replaced into the journal's folder, under a name.
func (s *stage) keepAs(ctx context.Context, parent parentFolder, name, as string, sync bool) error {
	kept := filepath.Join(s.folder, keptFolder, as)
	info, err := parent.root.Lstat(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil // which unchanged tells
	}
	if err != nil {
		return err
	}
	if info.Mode()&fs.ModeSymlink != 0 {
		text, err := parent.root.Readlink(name)
		if err != nil {
			return err
		}
		return os.Symlink(text, kept)
	}
	if !info.Mode().IsRegular() {
		return errors.New("it is no regular file")
	}
	from, err := parent.root.Open(name)
	if err != nil {
		return err
	}
	defer from.Close()
	attributes := disk.Read(from, info)
	to, err := os.OpenFile(kept, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = disk.Copy(ctx, to, from, attributes.Holes, info.Size(), 0)
	if err == nil {
		disk.SetXattrs(to, attributes.Xattrs)
		if err = ignoreUnsupported(to.Chmod(attributes.Mode)); err == nil && sync {
			err = to.Sync()
		}
	}
	if closed := to.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return err
	}
	after, err := parent.root.Lstat(name)
	if err != nil || disk.Look(after) != disk.Look(info) {
		return disk.ErrChanged
	}
	return os.Chtimes(kept, attributes.Time, attributes.Time)
}

// checkSpace foresees whether there is room, on both sides.
func (s *stage) checkSpace() error {
	needs, where := map[uint64]int64{}, map[uint64]string{}
	samples := map[uint64]func() (*os.File, error){}
	copied := map[uint64]bool{}    // where what is replaced is copied too, from elsewhere
	devices := map[string]uint64{} // by folder
	for i, c := range s.changes {
		if c.Key.Path != "" {
			continue // a few kilobytes
		}
		if s.d.Steps[i].Copied {
			needs[s.device] += c.Before.Size
			copied[s.device] = true
			where[s.device] = filepath.Dir(s.folder)
		}
		if c.After.Kind != copyplan.Regular || s.moved[i] != "" {
			continue
		}
		device, err := deviceOf(c, devices)
		if err != nil {
			return err
		}
		size := c.After.Size
		for _, h := range c.Attributes.Holes {
			size -= h[1]
		}
		needs[device] += size
		if size > 0 {
			samples[device] = c.Open
		}
		if where[device] == "" {
			where[device] = c.Top
		}
	}
	for device, bytes := range needs {
		err := disk.CheckSpace(where[device], bytes)
		if sample := samples[device]; err != nil && sample != nil && !copied[device] {
			err = disk.CheckSpaceFor(where[device], bytes, sample)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// deviceOf is the file system that a change's file will be on.
func deviceOf(c Change, known map[string]uint64) (uint64, error) {
	folder := filepath.Dir(c.Path())
	if device, ok := known[folder]; ok {
		return device, nil
	}
	at := folder
	info, err := os.Stat(at)
	for errors.Is(err, fs.ErrNotExist) && len(at) > len(c.Top) {
		at = filepath.Dir(at)
		info, err = os.Stat(at)
	}
	if err != nil {
		return 0, err
	}
	known[folder] = disk.Device(info)
	return known[folder], nil
}

// unchanged checks that each file is still as it was when the person was asked.
func (s *stage) unchanged(ctx context.Context) error {
	for _, p := range pieces(s.d.Steps) {
		first := s.changes[p.from]
		if first.Key.Path != "" {
			if err := keyUnchanged(ctx, first); err != nil {
				return err
			}
			continue
		}
		parent, missing := openParent(first.Top, first.Names)
		for i := p.from; i < p.to; i++ {
			c, err := s.changes[i], missing
			var info fs.FileInfo
			if err == nil {
				info, err = parent.root.Lstat(c.Names[len(c.Names)-1])
			}
			switch {
			case errors.Is(err, fs.ErrNotExist):
				err = nil
				if c.Before.Kind != copyplan.Nothing {
					err = &ChangedError{c.Path()}
				}
			case err != nil:
				err = fmt.Errorf("%s: %w", c.Path(), disk.Cause(err))
			case !looksLike(info, s.d.Steps[i].Before):
				err = &ChangedError{c.Path()}
			}
			if err != nil {
				parent.close()
				return err
			}
		}
		parent.close()
	}
	return nil
}

// looksLike reports whether what is there has the kind, size and time of a state.
func looksLike(info fs.FileInfo, s copyplan.State) bool {
	switch s.Kind {
	case copyplan.Regular:
		return info.Mode().IsRegular() && info.Size() == s.Size && info.ModTime().Equal(s.Time)
	case copyplan.Link:
		return info.Mode()&fs.ModeSymlink != 0
	}
	return false
}

// syncSteps brings the folders in which steps change something onto the disk, and that of
// what is kept: one by one, or their whole file systems with all that is in them.
func syncSteps(steps []step, kept *os.File, all bool) error {
	do := (*parentFolder).sync
	if !all {
		if err := ignoreUnsupported(disk.SyncFolder(kept)); err != nil {
			return err
		}
		return eachParent(steps, do)
	}
	done := map[uint64]bool{}
	once := func(folder *os.File) error {
		info, err := folder.Stat()
		if err != nil || done[disk.Device(info)] {
			return err
		}
		done[disk.Device(info)] = true
		return disk.SyncAll(folder)
	}
	if err := once(kept); err != nil {
		return err
	}
	return eachParent(steps, func(p *parentFolder) error { return once(p.file) })
}

// eachParent opens each folder in which a step changes something, once.
func eachParent(steps []step, do func(*parentFolder) error) error {
	done := map[string]bool{}
	for _, st := range steps {
		if st.Key != "" {
			continue // which package registry brings onto the disk
		}
		folder, _ := cutLast(st.Names)
		key := st.Top + "\x00" + folder
		if done[key] {
			continue
		}
		done[key] = true
		p, _, err := st.open()
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil {
			err = do(&p)
			p.close()
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func cutLast(names string) (folder, name string) {
	if cut := strings.LastIndexByte(names, '/'); cut >= 0 {
		return names[:cut], names[cut+1:]
	}
	return "", names
}
