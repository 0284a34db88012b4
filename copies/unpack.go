package copies

import (
	"archive/tar"
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/klauspost/compress/zstd"

	"endroit/copies/disk"
	"endroit/core/copyrecord"
)

// What an archive's entries are is decided by the record alone: an entry that it does not
// name, is no regular file, or stands twice makes the archive unusable. So nothing has to be
// known of an entry's name but that it is one of the record's, which Parse has checked.

// maxWindow bounds the memory that a compressed archive can ask for.
const maxWindow = 128 << 20

// maxEntries bounds the entries of an archive.
const maxEntries = copyrecord.MaxFiles + 1

// entryError says which entry of an archive is wrong.
func entryError(name, format string, args ...any) error {
	return fmt.Errorf("the archive's entry %q %s", name, fmt.Sprintf(format, args...))
}

func recordInZip(path string) (*copyrecord.Record, error) {
	z, err := zip.OpenReader(path)
	if z != nil {
		defer z.Close()
	}
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return nil, fmt.Errorf("it is no zip archive, or damaged: %w", disk.Cause(err))
	}
	var found *zip.File
	for _, f := range z.File {
		if f.Name == copyrecord.FileName {
			if found != nil {
				return nil, entryError(f.Name, "stands twice")
			}
			found = f
		}
	}
	if found == nil {
		return nil, ErrNoCopy
	}
	in, err := found.Open()
	if err != nil {
		return nil, entryError(found.Name, "cannot be read: %v", err)
	}
	defer in.Close()
	return readRecord(in)
}

func recordInTar(ctx context.Context, path string) (r *copyrecord.Record, err error) {
	err = eachInTar(ctx, path, func(h *tar.Header, in io.Reader) error {
		if h.Name != copyrecord.FileName {
			return fmt.Errorf("%w, or not as the first entry", ErrNoCopy)
		}
		if r, err = readRecord(in); err != nil {
			return err
		}
		return fs.SkipAll
	})
	if err == nil && r == nil {
		err = ErrNoCopy
	}
	return r, err
}

// eachInTar gives the regular files of an archive, until do returns fs.SkipAll.
func eachInTar(ctx context.Context, path string, do func(h *tar.Header, in io.Reader) error) error {
	f, err := os.Open(path)
	if err != nil {
		return disk.Cause(err)
	}
	defer f.Close()
	z, err := zstd.NewReader(f, zstd.WithDecoderMaxWindow(maxWindow), zstd.WithDecoderConcurrency(1))
	if err != nil {
		return fmt.Errorf("it is no zstd archive: %w", err)
	}
	defer z.Close()
	t := tar.NewReader(z)
	for n := 0; ; n++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			return fmt.Errorf("it is no tar archive compressed with zstd, or damaged: %w", err)
		}
		if n > maxEntries {
			return fmt.Errorf("the archive has more than %d entries", maxEntries)
		}
		switch h.Typeflag {
		case tar.TypeDir:
			continue
		case tar.TypeReg:
		default:
			return entryError(h.Name, "is not a regular file")
		}
		if err := do(h, t); errors.Is(err, fs.SkipAll) {
			return nil
		} else if err != nil {
			return err
		}
	}
}

// each gives the members of an archive with their content. Entries that the record does
// not name are errors.
func (c *Copy) each(ctx context.Context, do func(m member, in io.Reader) error) (missing []member, err error) {
	left := map[string]member{}
	for _, m := range members(c.Record) {
		left[m.stored] = m
	}
	total := len(left)
	record := false
	one := func(name string, in io.Reader) error {
		if name == copyrecord.FileName {
			if record {
				return entryError(name, "stands twice")
			}
			record = true
			return nil
		}
		m, known := left[name]
		if !known {
			return entryError(name, "is not named by its record, or stands twice")
		}
		delete(left, name)
		return do(m, in)
	}
	if c.Form == TarZst {
		err = eachInTar(ctx, c.Path, func(h *tar.Header, in io.Reader) error { return one(h.Name, in) })
	} else {
		err = eachInZip(ctx, c.Path, one)
	}
	missing = make([]member, 0, min(len(left), total))
	for _, m := range members(c.Record) {
		if _, is := left[m.stored]; is {
			missing = append(missing, m)
		}
	}
	return missing, err
}

func eachInZip(ctx context.Context, path string, do func(name string, in io.Reader) error) error {
	z, err := zip.OpenReader(path)
	if z != nil {
		defer z.Close()
	}
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return fmt.Errorf("it is no zip archive, or damaged: %w", disk.Cause(err))
	}
	if len(z.File) > maxEntries {
		return fmt.Errorf("the archive has more than %d entries", maxEntries)
	}
	for _, f := range z.File {
		if err := ctx.Err(); err != nil {
			return err
		}
		if f.Mode().IsDir() && strings.HasSuffix(f.Name, "/") {
			continue
		}
		if !f.Mode().IsRegular() {
			return entryError(f.Name, "is not a regular file")
		}
		in, err := f.Open()
		if err != nil {
			return entryError(f.Name, "cannot be read: %v", err)
		}
		err = do(f.Name, in)
		_ = in.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// bounded reads a member, and no more than the record says and one byte.
func bounded(ctx context.Context, m member, in io.Reader, out io.Writer) (what string, err error) {
	by := disk.SHA256
	if m.file.SHA256 == "" {
		by = quickest(m.file)
	}
	digest := by.New()
	to := io.Writer(digest)
	if out != nil {
		to = io.MultiWriter(out, digest)
	}
	n, err := io.Copy(to, io.LimitReader(contextReader{ctx, in}, m.size+1))
	switch {
	case ctx.Err() != nil:
		return "", ctx.Err()
	case err != nil && out != nil:
		return "", err
	case err != nil:
		return "it cannot be read: " + err.Error(), nil
	case n > m.size:
		return fmt.Sprintf("it has more than the %d bytes that the record says", m.size), nil
	case n != m.size:
		return fmt.Sprintf("it has %d bytes, and the record says %d", n, m.size), nil
	case !isContent(digest.Sums(n), m.file):
		return "its content is not the one that was copied", nil
	}
	return "", nil
}

// contextReader ends with its context.
type contextReader struct {
	ctx context.Context
	in  io.Reader
}

func (r contextReader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.in.Read(p)
}

// checkArchive is Check for archives.
func (c *Copy) checkArchive(ctx context.Context, told func(done, of int)) ([]Problem, error) {
	var problems []Problem
	done, of := 0, len(members(c.Record))
	missing, err := c.each(ctx, func(m member, in io.Reader) error {
		what, err := bounded(ctx, m, in, nil)
		if err != nil {
			return err
		}
		if what != "" {
			problems = append(problems, Problem{m.place, what})
		}
		if done++; told != nil {
			told(done, of)
		}
		return nil
	})
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return append(problems, Problem{c.Path, err.Error()}), nil
	}
	for _, m := range missing {
		problems = append(problems, Problem{m.place, "it is missing"})
	}
	return problems, nil
}

// ProblemsError says what is wrong with a copy.
type ProblemsError struct {
	Path     string
	Problems []Problem
}

func (e *ProblemsError) Error() string {
	first := e.Problems[0]
	text := fmt.Sprintf("%s cannot be used: %s: %s", e.Path, first.Place, first.What)
	if more := len(e.Problems) - 1; more > 0 {
		text += fmt.Sprintf("; and %d more", more)
	}
	return text
}

// Unpack makes a folder's copy of an archive in a folder of the caller's own, which must be
// empty, and checks everything on the way. A folder's copy is returned as it is.
func (c *Copy) Unpack(ctx context.Context, into string) (*Copy, error) {
	if c.Form == Folder {
		return c, nil
	}
	var bytes int64
	for _, m := range members(c.Record) {
		bytes += m.size
	}
	if err := disk.CheckSpace(into, bytes); err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(into)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	missing, err := c.each(ctx, func(m member, in io.Reader) error {
		name := filepath.FromSlash(m.stored)
		if err := root.MkdirAll(filepath.Dir(name), 0o700); err != nil {
			return err
		}
		out, err := root.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if err != nil {
			return err
		}
		what, err := bounded(ctx, m, in, out)
		if closed := out.Close(); err == nil {
			err = closed
		}
		if err == nil && what != "" {
			err = &ProblemsError{c.Path, []Problem{{m.place, what}}}
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	if len(missing) > 0 {
		return nil, &ProblemsError{c.Path, []Problem{{missing[0].place, "it is missing"}}}
	}
	return &Copy{c.Record, into, Folder}, nil
}
