// Package copies takes safe copies of what locations hold on this machine, checks them, and
// plans how they are put back.
//
//	side := copies.Gather(ctx, here, title, variant, choice)
//	taken, err := copies.Take(ctx, side, options)
//	found, notes := copies.List(folders)
//
// A copy is a folder, or an archive, that is read without this program: the files under
// readable names, and copy.json beside them. Nothing in it is believed: its record is
// parsed strictly, its files are read by its record alone and by their digests, and where
// they go is decided by the locations that are recorded on this machine.
package copies

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/parallel"
)

// Form is how a copy is kept.
type Form string

// The forms.
const (
	Folder Form = "folder"
	Zip    Form = "zip"
	TarZst Form = "tar.zst"
)

// Forms lists them.
var Forms = []Form{Folder, Zip, TarZst}

// Copy is a copy that was found.
type Copy struct {
	Record *copyrecord.Record
	Path   string // of the folder or the archive
	Form   Form
}

// ErrNoCopy says that something is no copy.
var ErrNoCopy = errors.New("it is not a copy: it has no " + copyrecord.FileName)

// Open reads the record of a copy. Its files are not looked at yet.
func Open(ctx context.Context, path string) (*Copy, error) {
	c, err := openCopy(ctx, path)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return c, nil
}

func openCopy(ctx context.Context, path string) (*Copy, error) {
	abs, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	info, err := os.Stat(abs)
	if err != nil {
		return nil, disk.Cause(err)
	}
	switch {
	case info.IsDir():
		root, err := os.OpenRoot(abs)
		if err != nil {
			return nil, disk.Cause(err)
		}
		defer root.Close()
		f, err := openRegular(root, copyrecord.FileName)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, ErrNoCopy
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", copyrecord.FileName, disk.Cause(err))
		}
		defer f.Close()
		r, err := readRecord(f)
		return &Copy{r, abs, Folder}, err
	case !info.Mode().IsRegular():
		return nil, errors.New("it is neither a folder nor a file")
	case strings.HasSuffix(abs, "."+string(Zip)):
		r, err := recordInZip(abs)
		return &Copy{r, abs, Zip}, err
	case strings.HasSuffix(abs, "."+string(TarZst)):
		r, err := recordInTar(ctx, abs)
		return &Copy{r, abs, TarZst}, err
	}
	return nil, fmt.Errorf("it is no folder, and ends neither in .%s nor in .%s", Zip, TarZst)
}

func readRecord(from io.Reader) (*copyrecord.Record, error) {
	data, err := io.ReadAll(io.LimitReader(from, copyrecord.MaxBytes+1))
	if err != nil {
		return nil, disk.Cause(err)
	}
	return copyrecord.Parse(data)
}

// openRegular opens a regular file below a folder, and nothing that a link leads to: what
// a pipe would do, or a device, is not tried.
func openRegular(root *os.Root, name string) (*os.File, error) {
	was, err := root.Lstat(name)
	if err != nil {
		return nil, err
	}
	if !was.Mode().IsRegular() {
		return nil, errors.New("it is not a regular file")
	}
	f, err := root.Open(name)
	if err != nil {
		return nil, err
	}
	if info, err := f.Stat(); err != nil || !os.SameFile(info, was) {
		_ = f.Close()
		return nil, errors.New("it was replaced while it was opened")
	}
	return f, nil
}

// Items are the files and registry keys of a copy.
func Items(r *copyrecord.Record) []copyplan.Item {
	out := make([]copyplan.Item, len(r.Files))
	for i, f := range r.Files {
		out[i] = copyplan.Item{Place: f.Place, State: stateOf(f)}
	}
	return out
}

func stateOf(f copyrecord.File) copyplan.State {
	kind := copyplan.Regular
	switch {
	case f.Link != "":
		kind = copyplan.Link
	case f.IsKey():
		kind = copyplan.Key
	}
	return copyplan.State{
		Kind: kind, Size: f.Size, Digest: f.SHA256, BLAKE3: f.BLAKE3, Link: f.Link, Time: f.Time, Mode: uint32(f.Mode),
	}
}

// Note says what could not be read.
type Note struct {
	Path string `json:"path"`
	What string `json:"what"`
}

// maxListed bounds the names that are looked at in one folder of copies.
const maxListed = 10_000

// List finds the copies in folders, and in the folders right in them: the newest first.
// What looks like a copy and cannot be read is noted.
func List(ctx context.Context, folders []string) (all []*Copy, notes []Note) {
	had := map[string]bool{}
	add := func(path string) bool {
		if had[path] {
			return true
		}
		c, err := openCopy(ctx, path)
		switch {
		case err == nil:
			had[path] = true
			all = append(all, c)
		case errors.Is(err, ErrNoCopy):
			return false
		default:
			notes = append(notes, Note{path, err.Error()})
		}
		return true
	}
	for _, folder := range folders {
		entries, err := listNames(folder)
		if err != nil {
			if !errors.Is(err, fs.ErrNotExist) {
				notes = append(notes, Note{folder, disk.Cause(err).Error()})
			}
			continue
		}
		for _, e := range entries {
			path := filepath.Join(folder, e.Name())
			if !isCandidate(e) || add(path) || !e.IsDir() {
				continue
			}
			inner, err := listNames(path)
			if err != nil {
				notes = append(notes, Note{path, disk.Cause(err).Error()})
			}
			for _, e := range inner {
				if isCandidate(e) {
					add(filepath.Join(path, e.Name()))
				}
			}
		}
	}
	slices.SortStableFunc(all, func(a, b *Copy) int {
		return cmp.Or(b.Record.Taken.Compare(a.Record.Taken), strings.Compare(b.Record.ID, a.Record.ID))
	})
	return all, notes
}

func listNames(folder string) ([]fs.DirEntry, error) {
	f, err := os.Open(folder)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	entries, err := f.ReadDir(maxListed)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return entries, err
}

func isCandidate(e fs.DirEntry) bool {
	name := e.Name()
	return !strings.HasPrefix(name, ".") &&
		(e.IsDir() || strings.HasSuffix(name, "."+string(Zip)) || strings.HasSuffix(name, "."+string(TarZst)))
}

// Problem is a file of a copy that is not what its record says.
type Problem struct {
	Place string `json:"place"`
	What  string `json:"what"`
}

// Check reads a whole copy again: whether each file is there, and has the content that the
// record says. told is called with how many files are read of how many; it may be nil.
func (c *Copy) Check(ctx context.Context, told func(done, of int)) ([]Problem, error) {
	return c.check(ctx, disk.SHA256, told)
}

// Check is Copy.Check for a copy that this program has just taken: its record is not in
// doubt, so that of two digests the one that takes less time is enough; and what is a clone
// has the very blocks that were read.
func (t *Taken) Check(ctx context.Context) ([]Problem, error) {
	c := *t.Copy
	if c.Form != Folder { // what was cloned was packed
		return c.Check(ctx, nil)
	}
	r := *c.Record
	r.Files = slices.Clone(r.Files)
	for i, f := range r.Files {
		if t.cloned[f.Place] {
			r.Files[i].SHA256, r.Files[i].BLAKE3 = "", ""
		}
	}
	c.Record = &r
	return c.check(ctx, disk.BLAKE3, nil)
}

// check reads a copy by one of its digests, or the other where a file has no such.
func (c *Copy) check(ctx context.Context, by disk.Sum, told func(done, of int)) ([]Problem, error) {
	if c.Form != Folder {
		return c.checkArchive(ctx, told)
	}
	root, err := os.OpenRoot(c.Path)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", c.Path, disk.Cause(err))
	}
	folders := &openFolders{root: root}
	defer folders.close()
	files := c.Record.Files
	what := make([]string, len(files))
	err = parallel.EachTold(ctx, len(files), told, func(ctx context.Context, i int) error {
		if files[i].Link == "" {
			what[i] = checkFile(ctx, folders, files[i], by)
		}
		return ctx.Err()
	})
	var problems []Problem
	for i, w := range what {
		if w != "" {
			problems = append(problems, Problem{files[i].Place, w})
		}
	}
	return problems, err
}

// checkFile says what is wrong with a stored file.
func checkFile(ctx context.Context, folders *openFolders, stored copyrecord.File, by disk.Sum) string {
	f, err := folders.regular(stored.Stored)
	if errors.Is(err, fs.ErrNotExist) {
		return "it is missing"
	}
	if err != nil {
		return disk.Cause(err).Error()
	}
	defer f.Close()
	info, err := f.Stat()
	switch {
	case err != nil:
		return disk.Cause(err).Error()
	case info.Size() != stored.Size:
		return fmt.Sprintf("it has %d bytes, and the record says %d", info.Size(), stored.Size)
	}
	if stored.SHA256 == "" && stored.BLAKE3 == "" {
		return "" // a clone
	}
	if by == disk.BLAKE3 || stored.SHA256 == "" {
		by = quickest(stored)
	}
	read, err := disk.Digest(ctx, f, by)
	switch {
	case err != nil:
		return disk.Cause(err).Error()
	case !isContent(read, stored):
		return "its content is not the one that was copied"
	}
	return ""
}

// quickest is the digest that takes less time, of those that a stored file has.
func quickest(stored copyrecord.File) disk.Sum {
	if stored.BLAKE3 == "" {
		return disk.SHA256
	}
	return disk.BLAKE3
}

// isContent reports whether what was read, by one of the digests that a stored file has, is
// its content.
func isContent(read disk.Copied, stored copyrecord.File) bool {
	if read.BLAKE3 != "" && stored.BLAKE3 != "" {
		return read.BLAKE3 == stored.BLAKE3
	}
	return read.SHA256 != "" && read.SHA256 == stored.SHA256
}
