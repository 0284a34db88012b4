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

	"github.com/klauspost/compress/zstd"

	"endroit/copies/disk"
	"endroit/core/copyrecord"
)

// publishArchive packs the copy that was staged into one file, the record first.
func (t *taking) publishArchive(ctx context.Context, r *copyrecord.Record, text []byte) (*Copy, error) {
	part := t.part + "." + string(t.o.Form)
	defer os.Remove(part)
	out, err := os.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", t.folder, disk.Cause(err))
	}
	if t.o.Form == Zip {
		err = packZip(ctx, out, t.part, r, text)
	} else {
		err = packTar(ctx, out, t.part, r, text)
	}
	if err == nil {
		err = out.Sync()
	}
	if closed := out.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", t.folder, disk.Cause(err))
	}
	name := folderName(r)
	for i := 2; ; i++ {
		path := filepath.Join(t.folder, name+"."+string(t.o.Form))
		if _, err := os.Lstat(path); errors.Is(err, fs.ErrNotExist) {
			if err := os.Rename(part, path); err != nil {
				return nil, fmt.Errorf("%s: %w", path, disk.Cause(err))
			}
			return &Copy{r, path, t.o.Form}, syncFolder(t.folder)
		}
		name = fmt.Sprintf("%s (%d)", folderName(r), i)
	}
}

// members are the files of a copy that have content, the record not among them.
func members(r *copyrecord.Record) (all []member) {
	for _, f := range r.Files {
		if f.Link != "" {
			continue
		}
		m := member{f.Place, f.Stored, f.Size, f}
		if f.IsKey() {
			m.file.Mode = 0o600
			if f.Time.IsZero() {
				m.file.Time = r.Taken
			}
		}
		all = append(all, m)
	}
	return all
}

type member struct {
	place, stored string
	size          int64
	file          copyrecord.File
}

// packed gives each member's staged file to add.
func packed(ctx context.Context, folder string, r *copyrecord.Record, add func(m member, f *os.File, size int64) error) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	for _, m := range members(r) {
		if err := ctx.Err(); err != nil {
			return err
		}
		f, err := openRegular(root, filepath.FromSlash(m.stored))
		if err != nil {
			return err
		}
		info, err := f.Stat()
		if err == nil {
			err = add(m, f, info.Size())
		}
		_ = f.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

func packZip(ctx context.Context, out io.Writer, folder string, r *copyrecord.Record, text []byte) error {
	z := zip.NewWriter(out)
	entry := func(name string, f copyrecord.File) (io.Writer, error) {
		h := &zip.FileHeader{Name: name, Method: zip.Deflate, Modified: f.Time}
		h.SetMode(fs.FileMode(f.Mode & 0o777))
		return z.CreateHeader(h)
	}
	w, err := entry(copyrecord.FileName, copyrecord.File{Time: r.Taken, Mode: 0o644})
	if err != nil {
		return err
	}
	if _, err := w.Write(text); err != nil {
		return err
	}
	err = packed(ctx, folder, r, func(m member, f *os.File, _ int64) error {
		w, err := entry(m.stored, m.file)
		if err != nil {
			return err
		}
		_, err = io.Copy(w, f)
		return err
	})
	if err != nil {
		return err
	}
	return z.Close()
}

func packTar(ctx context.Context, out io.Writer, folder string, r *copyrecord.Record, text []byte) error {
	z, err := zstd.NewWriter(out)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	entry := func(name string, size int64, f copyrecord.File) error {
		return t.WriteHeader(&tar.Header{
			Typeflag: tar.TypeReg, Name: name, Size: size, Mode: int64(f.Mode & 0o777), ModTime: f.Time, Format: tar.FormatPAX,
		})
	}
	if err := entry(copyrecord.FileName, int64(len(text)), copyrecord.File{Time: r.Taken, Mode: 0o644}); err != nil {
		return err
	}
	if _, err := t.Write(text); err != nil {
		return err
	}
	err = packed(ctx, folder, r, func(m member, f *os.File, size int64) error {
		if err := entry(m.stored, size, m.file); err != nil {
			return err
		}
		_, err := io.Copy(t, f)
		return err
	})
	if err != nil {
		return err
	}
	if err := t.Close(); err != nil {
		return err
	}
	return z.Close()
}
