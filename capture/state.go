package capture

import (
	"crypto/sha256"
	"encoding/hex"
	"io"
	"os"
	"strings"

	"endroit/core/content"
	"endroit/core/trace"
)

// digestLimit is the size in bytes up to which a file is read for its digest:
// before it is changed, while the program waits, and at the end.
const digestLimit = 16 << 20

// stateOf looks at a path without changing it.
func stateOf(path string, follow bool) trace.State {
	stat := os.Lstat
	if follow {
		stat = os.Stat
	}
	info, err := stat(path)
	if err != nil {
		return trace.State{Is: trace.IsAbsent}
	}
	return stateOfInfo(info)
}

// withContent adds the digest and what the content looks like to the state of a
// regular file. What cannot be read is left out.
func withContent(path string, s trace.State) trace.State { return withLooks(path, s, true) }

// withLooks adds what the content looks like, and only if that is wanted reads all of it
// for the digest.
func withLooks(path string, s trace.State, digest bool) trace.State {
	if s.Is != trace.IsFile {
		return s
	}
	f, err := readQuietly(path)
	if err != nil {
		return s
	}
	defer f.Close()
	head := make([]byte, content.HeadSize)
	n, err := io.ReadFull(f, head)
	if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
		return s
	}
	head = head[:n]
	s.Looks = content.Looks(head)
	if s.Size > digestLimit || !digest {
		return s
	}
	sum := sha256.New()
	sum.Write(head)
	if err == nil { // there may be more
		if _, err := io.Copy(sum, io.LimitReader(f, digestLimit)); err != nil {
			return s
		}
	}
	s.Digest = hex.EncodeToString(sum.Sum(nil))
	return s
}

// synthetic tells the kernel's own file systems, whose files have no lasting
// state and must not be looked at for it.
func synthetic(path string) bool {
	return strings.HasPrefix(path, "/proc/") || strings.HasPrefix(path, "/sys/") || strings.HasPrefix(path, "/dev/")
}
