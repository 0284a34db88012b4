package copies

import (
	"errors"
	"os"
	"sync"
	"time"

	"github.com/go-json-experiment/json"

	"endroit/copies/disk"
	"endroit/safefile"
)

// Seen remembers the digests of files that were read, so that one that has not changed is
// not read again. It is safe for concurrent use.
//
// A file counts as unchanged by its number, size and times. Among these is the time of the
// last change of anything, which no program can set (inode(7), st_ctime); where a system
// has none, and for files that were changed just before they were read, it is read again
// or, on Windows, taken by its size and time.
type Seen struct {
	name string
	mu   sync.Mutex
	of   map[string]sight
	news bool
	now  func() time.Time
	read chan struct{} // closed when what was remembered is there
}

type sight struct {
	Identity disk.Identity `json:"identity"`
	Digest   string        `json:"digest"`
	Read     int64         `json:"read"` // when, in nanoseconds since 1970
}

// The bounds of what is remembered.
const (
	maxSeen      = 500_000
	maxSeenBytes = 256 << 20
)

// settled is for how long a file must have been unchanged when it was read, so that a
// change in the same tick of the clock, or of a file system that keeps even seconds, shows.
const settled = 3 * time.Second

// OpenSeen reads what was remembered. A file that is missing or damaged remembers nothing.
func OpenSeen(name string) *Seen {
	s := &Seen{name: name, of: map[string]sight{}, now: time.Now, read: make(chan struct{})}
	go func() { // while the files are looked for
		defer close(s.read)
		data, err := safefile.Read(name, maxSeenBytes)
		if err == nil && json.Unmarshal(data, &s.of) != nil {
			s.of = map[string]sight{}
		}
	}()
	return s
}

// use locks it once it is read.
func (s *Seen) use() {
	<-s.read
	s.mu.Lock()
}

// Digest is the digest of a file that is still as it was read; empty if that is not known.
func (s *Seen) Digest(path string, is disk.Identity) string {
	s.use()
	defer s.mu.Unlock()
	had, ok := s.of[path]
	last := max(is.Time, is.Changed)
	if !ok || had.Identity != is || last > had.Read-int64(settled) {
		return ""
	}
	return had.Digest
}

// Note remembers what was read of a file, by a look before and after; begun is when.
func (s *Seen) Note(path string, is disk.Identity, digest string, begun time.Time) {
	s.use()
	defer s.mu.Unlock()
	if len(s.of) >= maxSeen {
		clear(s.of)
	}
	s.of[path] = sight{is, digest, begun.UnixNano()}
	s.news = true
}

// Save writes down what is remembered, if anything is new.
func (s *Seen) Save() error {
	s.use()
	defer s.mu.Unlock()
	if !s.news {
		return nil
	}
	for path := range s.of {
		if len(s.of) < maxSeen/2 {
			break
		}
		if _, err := os.Lstat(path); errors.Is(err, os.ErrNotExist) {
			delete(s.of, path)
		}
	}
	data, err := json.Marshal(s.of)
	if err != nil {
		return err
	}
	s.news = false
	return safefile.Write(s.name, data)
}
