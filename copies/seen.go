package copies

import (
	"cmp"
	"errors"
	"os"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json"

	"endroit/copies/disk"
	"endroit/core/copyplan"
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
	SHA256   string        `json:"digest,omitempty"`
	BLAKE3   string        `json:"blake3,omitempty"`
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

// Digests are the digests of a file that is still as it was read; empty where that is not
// known.
func (s *Seen) Digests(path string, is disk.Identity) (sha256, blake3 string) {
	s.use()
	defer s.mu.Unlock()
	had := s.of[path]
	if !had.holds(is) {
		return "", ""
	}
	return had.SHA256, had.BLAKE3
}

// holds reports whether what was read is what a file is now.
func (x sight) holds(is disk.Identity) bool {
	return x.Identity == is && max(is.Time, is.Changed) <= x.Read-int64(settled)
}

// Note remembers what was read of a file, by a look before and after; begun is when.
func (s *Seen) Note(path string, is disk.Identity, read disk.Copied, begun time.Time) {
	if !utf8.ValidString(path) {
		return // which cannot be written down
	}
	s.use()
	defer s.mu.Unlock()
	if len(s.of) >= maxSeen {
		clear(s.of)
	}
	now := sight{is, read.SHA256, read.BLAKE3, begun.UnixNano()}
	if had := s.of[path]; had.holds(is) { // by the other digest
		now.SHA256, now.BLAKE3, now.Read = cmp.Or(now.SHA256, had.SHA256), cmp.Or(now.BLAKE3, had.BLAKE3), had.Read
	}
	s.of[path] = now
	s.news = true
}

// KnownAway are files whose content is known, before they are moved away.
type KnownAway map[string]sight

// Carry gives what is known of a side's files that did not change since they were read.
func (s *Seen) Carry(side *Side) KnownAway {
	out := KnownAway{}
	for _, f := range side.Files {
		if f.Kind != copyplan.Regular {
			continue
		}
		info, err := os.Lstat(f.File.Path)
		if err != nil {
			continue
		}
		s.use()
		if had := s.of[f.File.Path]; had.holds(disk.Look(info)) {
			out[f.File.Path] = had
		}
		s.mu.Unlock()
	}
	return out
}

// Back remembers files that we moved away and back ourselves: of a file with the same number,
// size and time nothing but the time of the move is new. Until it was moved it was as it was
// read, and nobody else knew where it was meanwhile.
func (s *Seen) Back(carried KnownAway) {
	for path, was := range carried {
		info, err := os.Lstat(path)
		if err != nil {
			continue
		}
		is := disk.Look(info)
		if is.Changed == 0 || is.Number == 0 || is.Number != was.Identity.Number || is.Device != was.Identity.Device ||
			is.Size != was.Identity.Size || is.Time != was.Identity.Time {
			continue
		}
		read := disk.Copied{SHA256: was.SHA256, BLAKE3: was.BLAKE3}
		s.Note(path, is, read, time.Unix(0, max(is.Time, is.Changed)+int64(settled)))
	}
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
