package published

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/theupdateframework/go-tuf/v2/metadata"
	"github.com/theupdateframework/go-tuf/v2/metadata/trustedmetadata"

	"endroit/safefile"
)

// Unchanged reports whether a source has nothing newer than what was believed last, which
// is that revision. It is what the specification calls the end of the update cycle at a
// timestamp of the same version (5.4.3): the root is the same, and the timestamp, byte by
// byte, is one that was verified and has not expired. Whatever else it finds is for Refresh
// to tell.
func (s *State) Unchanged(ctx context.Context, from Source) (revision int, unchanged bool) {
	read := func(role string, most int64) []byte {
		data, err := safefile.Read(filepath.Join(s.folder, role+".json"), most)
		if err != nil {
			return nil
		}
		return data
	}
	trusted, err := trustedmetadata.New(read(metadata.ROOT, MaxRoot))
	if err != nil {
		return 0, false
	}
	trusted.RefTime = s.Now().UTC()
	before := read(metadata.TIMESTAMP, maxTimestamp)
	stamp, err := trusted.UpdateTimestamp(before) // fails if it has expired
	if err != nil {
		return 0, false
	}
	if _, err := from.Get(ctx, RootPath(trusted.Root.Signed.Version+1), MaxRoot); !errors.Is(err, ErrAbsent) {
		return 0, false
	}
	now, err := from.Get(ctx, TimestampPath, maxTimestamp)
	if err != nil || !bytes.Equal(now, before) {
		return 0, false
	}
	snapshot := stamp.Signed.Meta[metadata.SNAPSHOT+".json"]
	if snapshot == nil {
		return 0, false
	}
	return int(snapshot.Version), true
}

// revisionIn is the revision that a timestamp names, which nobody has verified; 0 if none.
func revisionIn(timestamp []byte) int64 {
	var stamp struct {
		Signed struct {
			Meta map[string]struct {
				Version int64 `json:"version"`
			} `json:"meta"`
		} `json:"signed"`
	}
	if json.Unmarshal(timestamp, &stamp) != nil {
		return 0
	}
	return stamp.Signed.Meta[metadata.SNAPSHOT+".json"].Version
}

// Remember makes a source that reads each file of the metadata once: what Unchanged has
// read Refresh does not read again.
func Remember(from Source) Source { return &remembering{from: from, read: map[string]answer{}} }

type remembering struct {
	from Source
	mu   sync.Mutex
	read map[string]answer
}

type answer struct {
	data []byte
	err  error
}

func (r *remembering) String() string   { return r.from.String() }
func (r *remembering) Clock() time.Time { return r.from.Clock() }

// known is what was read of a path already; nil if nothing was.
func (r *remembering) known(path string) []byte {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.read[path].data
}

func (r *remembering) Get(ctx context.Context, path string, most int64) ([]byte, error) {
	if !strings.HasPrefix(path, metadataFolder) {
		return r.from.Get(ctx, path, most)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	known, ok := r.read[path]
	if !ok {
		known.data, known.err = r.from.Get(ctx, path, most)
		if known.err == nil || errors.Is(known.err, ErrAbsent) {
			r.read[path] = known
		}
	}
	if known.err == nil && int64(len(known.data)) > most {
		return nil, ErrLarge
	}
	return known.data, known.err
}
