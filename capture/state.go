package capture

import (
	"crypto/sha256"
	"encoding/hex"
	"io"
	"io/fs"
	"os"
	"strings"
	"sync"

	"endroit/core/content"
	"endroit/core/trace"
)

// DigestLimit is the size in bytes up to which a file is read for its digest:
// before it is changed, while the program waits, and at the end.
const DigestLimit = 16 << 20

// StateOf looks at a path without changing it.
func StateOf(path string, follow bool) trace.State {
	stat := os.Lstat
	if follow {
		stat = os.Stat
	}
	info, err := stat(path)
	if err != nil {
		return trace.State{Is: trace.IsAbsent}
	}
	return StateOfInfo(info)
}

// WithContent adds the digest and what the content looks like to the state of a
// regular file. What cannot be read is left out.
func WithContent(path string, s trace.State) trace.State { return WithLooks(path, s, true) }

// WithLooks adds what the content looks like, and only if that is wanted reads all of it
// for the digest.
func WithLooks(path string, s trace.State, digest bool) trace.State {
	if s.Is != trace.IsFile {
		return s
	}
	var f io.ReadCloser
	err := error(fs.ErrPermission)
	Behalf.Load().Do(func() { f, err = readQuietly(path) })
	if err != nil {
		return s
	}
	defer f.Close()
	head := heads.Get().(*[content.HeadSize]byte)
	defer heads.Put(head)
	n, whole, err := readHead(f, head[:], s.Size)
	if err != nil {
		return s
	}
	s.Looks = content.Looks(head[:n])
	switch {
	case s.Size > DigestLimit || !digest:
	case whole:
		sum := sha256.Sum256(head[:n])
		s.Digest = hex.EncodeToString(sum[:])
	default:
		sum := sha256.New()
		sum.Write(head[:n])
		if _, err := io.Copy(sum, io.LimitReader(f, DigestLimit)); err == nil {
			s.Digest = hex.EncodeToString(sum.Sum(nil))
		}
	}
	return s
}

// heads are buffers for the first bytes of a file.
var heads = sync.Pool{New: func() any { return new([content.HeadSize]byte) }}

// readHead reads the first bytes of a file that had a size a moment ago; whole says that
// there are no more.
func readHead(f io.Reader, into []byte, size int64) (n int, whole bool, err error) {
	for n < len(into) {
		got, err := f.Read(into[n:])
		n += got
		switch {
		case err == io.EOF, err == nil && int64(n) == size:
			return n, true, nil // asking again would cost as much as asking once
		case err != nil:
			return n, false, err
		}
	}
	return n, false, nil
}

// Synthetic tells the kernel's own file systems, whose files have no lasting
// state and must not be looked at for it.
func Synthetic(path string) bool {
	return strings.HasPrefix(path, "/proc/") || strings.HasPrefix(path, "/sys/") || strings.HasPrefix(path, "/dev/")
}
