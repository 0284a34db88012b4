package publication

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/theupdateframework/go-tuf/v2/metadata"

	"endroit/published"
)

// How long what is signed online can be used, and how long before its end it is signed
// again: often for the timestamp, which tells that nothing newer is held back.
const (
	timestampLasts = 30 * 24 * time.Hour // a copy on a stick can be used as long
	timestampAgain = 29 * 24 * time.Hour
	revisionLasts  = 90 * 24 * time.Hour
	revisionAgain  = 45 * 24 * time.Hour
	rootWarn       = 60 * 24 * time.Hour
)

// Signer signs what a service publishes. It is safe for concurrent use.
type Signer struct {
	roots [][]byte
	root  *metadata.Metadata[metadata.RootType]
	keys  map[string]*Key // by online role
}

// MissingError says what a folder lacks for signing.
type MissingError struct {
	Folder string
	Roles  []string
}

func (e *MissingError) Error() string {
	return fmt.Sprintf(
		"%s has no key for %s that the newest root names; copy it there from where it was made, or make another with endroit keys rotate",
		e.Folder, strings.Join(e.Roles, ", "),
	)
}

// Open reads the online keys of a folder and all roots. The error is a *MissingError where
// keys are missing.
func Open(folder string) (*Signer, error) {
	roots, err := Roots(folder)
	if err != nil {
		return nil, err
	}
	s := &Signer{roots: roots, keys: map[string]*Key{}}
	if s.root, err = newest(folder); err != nil {
		return nil, err
	}
	missing := &MissingError{Folder: folder}
	for _, role := range OnlineRoles {
		files, _ := filepath.Glob(filepath.Join(folder, role+"-*.key"))
		for _, f := range files {
			k, err := LoadKey(f, nil)
			if err != nil {
				return nil, err
			}
			if slices.Contains(s.root.Signed.Roles[role].KeyIDs, k.id) {
				s.keys[role] = k
			}
		}
		if s.keys[role] == nil {
			missing.Roles = append(missing.Roles, role)
		}
	}
	if len(missing.Roles) > 0 {
		return nil, missing
	}
	return s, nil
}

// Publisher is whose publication it is.
func (s *Signer) Publisher() published.Publisher { return published.PublisherOf(s.root) }

// Fingerprint is that of the first root.
func (s *Signer) Fingerprint() string { return Fingerprint(s.roots[0]) }

// Roots are the files of all roots, by their paths in the published tree.
func (s *Signer) Roots() map[string][]byte {
	out := map[string][]byte{}
	for i, raw := range s.roots {
		out[published.RootPath(int64(i+1))] = raw
	}
	return out
}

// Warning says that the root has to be signed again soon, or was too late; empty if not.
func (s *Signer) Warning(now time.Time) string {
	left := s.root.Signed.Expires.Sub(now)
	if left > rootWarn {
		return ""
	}
	return fmt.Sprintf("the root expires on %s: sign it again with endroit keys renew", s.root.Signed.Expires.Format("2 January 2006"))
}

// Signed is the metadata of one revision, as files are.
type Signed struct {
	Targets, Snapshot []byte
	// Again is when both have to be signed again.
	Again time.Time
}

// Revision signs the targets and the snapshot of a revision. Both have its number as their
// version.
func (s *Signer) Revision(h published.Head, files map[string]published.File, now time.Time) (*Signed, error) {
	expires := now.Add(revisionLasts).UTC().Truncate(time.Second)
	targets := metadata.Targets(expires)
	targets.Signed.Version = int64(h.Revision)
	targets.Signed.UnrecognizedFields = map[string]any{published.OwnField: h}
	for name, f := range files {
		targets.Signed.Targets[name] = &metadata.TargetFiles{
			Path: name, Length: f.Length, Hashes: metadata.Hashes{"sha256": metadata.HexBytes(f.SHA256[:])},
		}
	}
	out := &Signed{Again: now.Add(revisionAgain)}
	var err error
	if out.Targets, err = sign(s, metadata.TARGETS, targets); err != nil {
		return nil, err
	}
	snapshot := metadata.Snapshot(expires)
	snapshot.Signed.Version = int64(h.Revision)
	snapshot.Signed.Meta[metadata.TARGETS+".json"] = metaFile(out.Targets, int64(h.Revision))
	out.Snapshot, err = sign(s, metadata.SNAPSHOT, snapshot)
	return out, err
}

// Timestamp signs the one file that changes: it names the snapshot of a revision. again is
// when it has to be signed again.
func (s *Signer) Timestamp(version int64, revision int, snapshot []byte, now time.Time) (raw []byte, again time.Time, err error) {
	t := metadata.Timestamp(now.Add(timestampLasts).UTC().Truncate(time.Second))
	t.Signed.Version = version
	t.Signed.Meta[metadata.SNAPSHOT+".json"] = metaFile(snapshot, int64(revision))
	raw, err = sign(s, metadata.TIMESTAMP, t)
	return raw, now.Add(timestampLasts - timestampAgain), err
}

func metaFile(raw []byte, version int64) *metadata.MetaFiles {
	sum := sha256.Sum256(raw)
	return &metadata.MetaFiles{Length: int64(len(raw)), Hashes: metadata.Hashes{"sha256": sum[:]}, Version: version}
}

func sign[R metadata.Roles](s *Signer, role string, m *metadata.Metadata[R]) ([]byte, error) {
	k := s.keys[role]
	if k == nil {
		return nil, errors.New("sign " + role + ": its key is missing")
	}
	signer, err := k.signer()
	if err == nil {
		_, err = m.Sign(signer)
	}
	if err != nil {
		return nil, fmt.Errorf("sign %s: %w", role, err)
	}
	raw, err := m.ToBytes(false)
	if err != nil {
		return nil, fmt.Errorf("sign %s: %w", role, err)
	}
	return raw, nil
}
