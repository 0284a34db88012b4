// Package disk copies one open file to another, and knows what file systems can do: clones,
// holes, extended attributes, and bringing what was written onto the disk.
//
//	copied, err := disk.Copy(ctx, to, from, nil, size)
package disk

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/zeebo/blake3"
)

// Identity tells whether a file is still the one that was looked at, unchanged. On Windows
// it is its size and time alone.
type Identity struct {
	Device  uint64 `json:"device,omitempty"`
	Number  uint64 `json:"number,omitempty"`
	Size    int64  `json:"size"`
	Time    int64  `json:"time"`              // of the last change of its content, in nanoseconds since 1970
	Changed int64  `json:"changed,omitempty"` // of the last change of anything, which no program can set
}

// Look is the identity of what was looked at.
func Look(info fs.FileInfo) Identity {
	id := Identity{Size: info.Size(), Time: info.ModTime().UnixNano()}
	fillIdentity(&id, info)
	return id
}

// Tick is how close two changes can be without a difference in the times: that of the
// kernel's clock, or two seconds where times have no fractions (FAT's are of two seconds).
func (id Identity) Tick() time.Duration {
	if id.Time%int64(time.Second) == 0 && id.Changed%int64(time.Second) == 0 {
		return 2 * time.Second
	}
	return 50 * time.Millisecond
}

// Attributes are what a file has beside its content.
type Attributes struct {
	Time   time.Time
	Mode   fs.FileMode // permission bits
	Xattrs map[string][]byte
	Holes  [][2]int64 // offset and length, in bytes
}

// Read reads a file's attributes. Extended ones and holes are those that its file system
// tells of.
func Read(f *os.File, info fs.FileInfo) Attributes {
	return Attributes{Time: info.ModTime(), Mode: info.Mode().Perm(), Xattrs: xattrs(f), Holes: holes(f, info)}
}

// maxProbed is how many names of a folder are tried.
const maxProbed = 64

// Folds reports whether letters' case makes no difference to the names in a folder, or in the
// closest one above it that is there: whether a name that is there is found in other letters
// too. Nothing is written, so of an empty folder it is what holds of its own name.
func Folds(folder string) bool {
	for {
		if info, err := os.Stat(folder); err == nil && info.IsDir() {
			break
		}
		above := filepath.Dir(folder)
		if above == folder {
			return false
		}
		folder = above
	}
	if f, err := os.Open(folder); err == nil {
		names, _ := f.Readdirnames(maxProbed)
		_ = f.Close()
		for _, name := range names {
			if folds, known := foundOtherwise(filepath.Join(folder, name)); known {
				return folds
			}
		}
	}
	folds, _ := foundOtherwise(folder)
	return folds
}

// foundOtherwise reports whether a file is found with its name in other letters.
func foundOtherwise(path string) (found, known bool) {
	name := filepath.Base(path)
	other := strings.ToUpper(name)
	if other == name {
		other = strings.ToLower(name)
	}
	is, err := os.Lstat(path)
	if other == name || err != nil {
		return false, false
	}
	as, err := os.Lstat(filepath.Join(filepath.Dir(path), other))
	return err == nil && os.SameFile(is, as), true
}

// Sum is a digest that is made of what is read, each in hexadecimal.
type Sum uint8

// The sums. SHA-256 is what others check; BLAKE3 takes a fraction of its time, where only
// this program has to know whether a content is the one that it was.
const (
	SHA256 Sum = 1 << iota
	BLAKE3
)

// Copied is what was copied, with the sums that were asked for.
type Copied struct {
	Size   int64
	SHA256 string
	BLAKE3 string
}

// Digester makes the sums of what is written to it.
type Digester struct{ sha256, blake3 hash.Hash }

// New begins a digest by one or several sums.
func (s Sum) New() (d Digester) {
	if s&SHA256 != 0 {
		d.sha256 = sha256.New()
	}
	if s&BLAKE3 != 0 {
		d.blake3 = blake3.New()
	}
	return d
}

// Write takes in data. It never fails.
func (d Digester) Write(data []byte) (int, error) {
	for _, h := range []hash.Hash{d.sha256, d.blake3} {
		if h != nil {
			_, _ = h.Write(data) // never fails (hash.Hash)
		}
	}
	return len(data), nil
}

// Sums are the digests of what was taken in, of so many bytes.
func (d Digester) Sums(size int64) Copied {
	c := Copied{Size: size}
	if d.sha256 != nil {
		c.SHA256 = hex.EncodeToString(d.sha256.Sum(nil))
	}
	if d.blake3 != nil {
		c.BLAKE3 = hex.EncodeToString(d.blake3.Sum(nil))
	}
	return c
}

// ErrChanged says that a file was changed while it was read.
var ErrChanged = errors.New("it was changed while it was read")

// step is how much is read at once: holes are as fine as file systems' blocks.
const step = 256 << 10

var buffers = sync.Pool{New: func() any { return new([step]byte) }}

// Copy copies the content of one open file to another, which is empty, with the holes that
// are named, as far as there are zeros. A clone is made where the file systems can. most is
// how many bytes the file can have: of one that has more, little more is copied.
func Copy(ctx context.Context, to, from *os.File, holes [][2]int64, most int64, sums Sum) (Copied, error) {
	if info, err := from.Stat(); err == nil && info.Size() > most {
		return Copied{Size: info.Size()}, nil
	}
	if Clone(to, from) {
		return Digest(ctx, to, sums)
	}
	c, err := read(ctx, from, to, holes, most, sums)
	if err == nil {
		startWriting(to)
	}
	return c, err
}

// Clone makes an empty file one that shares the blocks of another, where the file systems
// can, until one of them is changed.
func Clone(to, from *os.File) bool { return clone(to, from) }

// Digest reads a file from its beginning.
func Digest(ctx context.Context, from *os.File, sums Sum) (Copied, error) {
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return Copied{}, err
	}
	return read(ctx, from, nil, nil, math.MaxInt64, sums)
}

func read(ctx context.Context, from, to *os.File, holes [][2]int64, most int64, sums Sum) (c Copied, err error) {
	buffer := buffers.Get().(*[step]byte)
	defer buffers.Put(buffer)
	digest := sums.New()
	for {
		if err := ctx.Err(); err != nil {
			return c, err
		}
		n, err := from.Read(buffer[:])
		part := buffer[:n]
		_, _ = digest.Write(part) // never fails (hash.Hash)
		if to != nil && n > 0 {
			var failed error
			if holes, failed = writeAround(to, part, c.Size, holes); failed != nil {
				return c, failed
			}
		}
		c.Size += int64(n)
		if errors.Is(err, io.EOF) || n == 0 && err == nil || c.Size > most {
			break
		}
		if err != nil {
			return c, err
		}
	}
	c = digest.Sums(c.Size)
	if to != nil && holes != nil {
		err = to.Truncate(c.Size) // it may end in a hole
	}
	return c, err
}

// writeAround writes a part of a file at its place, but for what lies in a hole and is
// zero. It returns the holes that are left; not nil where there were any.
func writeAround(to *os.File, part []byte, at int64, holes [][2]int64) ([][2]int64, error) {
	for len(part) > 0 {
		for len(holes) > 0 && holes[0][0]+holes[0][1] <= at {
			holes = holes[1:]
		}
		n := int64(len(part))
		inHole := false
		if len(holes) > 0 {
			if start := holes[0][0]; start > at {
				n = min(n, start-at)
			} else {
				n, inHole = min(n, start+holes[0][1]-at), true
			}
		}
		if !inHole || !zero(part[:n]) {
			if _, err := to.WriteAt(part[:n], at); err != nil {
				return holes, err
			}
		}
		part, at = part[n:], at+n
	}
	return holes, nil
}

func zero(data []byte) bool {
	for _, b := range data {
		if b != 0 {
			return false
		}
	}
	return true
}

// SpaceError says that a file system has too little room.
type SpaceError struct {
	Where       string
	Needs, Free int64 // bytes
}

func (e *SpaceError) Error() string {
	return fmt.Sprintf("%s has %d bytes free, and %d are needed", e.Where, e.Free, e.Needs)
}

// slack is what a file system needs beside the content of files: blocks that are not filled,
// and names.
func slack(bytes int64) int64 { return bytes/32 + 64<<10 }

// CheckSpace is a *SpaceError where a folder's file system has no room for so many bytes.
// One that cannot tell has room.
func CheckSpace(folder string, bytes int64) error {
	free, err := Free(folder)
	if err == nil && bytes > 0 && free < bytes+slack(bytes) {
		return &SpaceError{folder, bytes, free}
	}
	return nil
}

// CheckSpaceFor is CheckSpace for copies of files such as sample opens: where these can be
// clones of the originals, they need no room.
func CheckSpaceFor(folder string, bytes int64, sample func() (*os.File, error)) error {
	full := CheckSpace(folder, bytes)
	if full == nil {
		return nil
	}
	from, err := sample()
	if err != nil {
		return full
	}
	defer from.Close()
	to, err := os.CreateTemp(folder, ".endroit-clone-")
	if err != nil {
		return full
	}
	defer os.Remove(to.Name())
	defer to.Close()
	if Clone(to, from) {
		return nil
	}
	return full
}

// Cause is what an error of the system says, without the call and its path: who adds the
// path says it in full.
func Cause(err error) error {
	var path *fs.PathError
	var link *os.LinkError
	switch {
	case errors.As(err, &path):
		return path.Err
	case errors.As(err, &link):
		return link.Err
	}
	return err
}
