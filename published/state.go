package published

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/theupdateframework/go-tuf/v2/metadata"
	"github.com/theupdateframework/go-tuf/v2/metadata/config"
	"github.com/theupdateframework/go-tuf/v2/metadata/updater"

	"endroit/core/manifest"
	"endroit/safefile"
)

// State is what this machine trusts of one publication: its root, and the newest metadata
// that it has seen, so that nothing older is taken again. It is kept in a folder.
type State struct {
	folder string
	Now    func() time.Time // this computer's clock
}

// firstRoot is the root that was trusted first; its fingerprint is the publication's.
const firstRoot = "first-root.json"

// ErrNoTrust says that no publication is trusted here yet.
var ErrNoTrust = errors.New("no publication is trusted yet")

// Open opens what is trusted; the folder need not be there.
func Open(folder string) *State { return &State{folder, time.Now} }

// Root is the first root of a publication: whom to trust.
type Root struct {
	Publisher
	Fingerprint string    // the SHA-256 of its file
	Expires     time.Time // of this root; those after it last longer
	raw         []byte
}

// ParseRoot reads a first root. It has to be signed by its own keys.
func ParseRoot(raw []byte) (*Root, error) {
	m, err := metadata.Root().FromBytes(raw)
	if err != nil {
		return nil, fmt.Errorf("it is not a publication's root: %w", err)
	}
	if m.Signed.Type != metadata.ROOT || !m.Signed.ConsistentSnapshot {
		return nil, errors.New("it is not a publication's root")
	}
	if err := m.VerifyDelegate(metadata.ROOT, m); err != nil {
		return nil, errors.New("it is a publication's root, but is not signed by its own keys")
	}
	sum := sha256.Sum256(raw)
	return &Root{PublisherOf(m), hex.EncodeToString(sum[:]), m.Signed.Expires, raw}, nil
}

// FirstRoot reads the first root from a source, which says who publishes there: nothing
// tells yet that this is true.
func FirstRoot(ctx context.Context, from Source) (*Root, error) {
	raw, err := from.Get(ctx, RootPath(1), MaxRoot)
	if err != nil {
		return nil, refuse(from.String(), err, time.Now(), time.Time{})
	}
	r, err := ParseRoot(raw)
	if err != nil {
		return nil, &Refusal{Invalid, from.String(), err.Error(), err}
	}
	return r, nil
}

// Trusted is the publication that is trusted; ErrNoTrust if there is none.
func (s *State) Trusted() (*Root, error) {
	raw, err := safefile.Read(filepath.Join(s.folder, firstRoot), MaxRoot)
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrNoTrust
	}
	if err != nil {
		return nil, err
	}
	return ParseRoot(raw)
}

// Trust begins to trust a publication. Another one that was trusted before is not
// replaced.
func (s *State) Trust(r *Root) error {
	if t, err := s.Trusted(); err == nil && t.Fingerprint != r.Fingerprint {
		return fmt.Errorf(
			"another publication is trusted already: %s (%s); remove %s to start over", t.Name, t.Fingerprint, s.folder,
		)
	}
	if err := os.MkdirAll(s.folder, 0o700); err != nil {
		return err
	}
	if err := safefile.Write(filepath.Join(s.folder, metadata.ROOT+".json"), r.raw); err != nil {
		return err
	}
	return safefile.Write(filepath.Join(s.folder, firstRoot), r.raw)
}

// News is a revision as its signed metadata tells it.
type News struct {
	Head
	Files map[string]File // by name
	// Expires is when the metadata has to be refreshed.
	Expires time.Time
	// Note is something that a person should know; empty if there is nothing.
	Note string
	// PassedOver says what was refused of the sources before the one that this is from.
	PassedOver []error
	from       []Source
}

// Source is where it was read, empty if that was nowhere.
func (n *News) Source() string {
	if len(n.from) == 0 {
		return ""
	}
	return n.from[0].String()
}

// roles in the order in which they are believed.
var roles = []string{metadata.ROOT, metadata.TIMESTAMP, metadata.SNAPSHOT, metadata.TARGETS}

// Refresh reads the newest metadata from the first source that has it as it should be. The
// error joins what was refused of each. What is trusted stays as it was then.
func (s *State) Refresh(ctx context.Context, sources ...Source) (*News, error) {
	if _, err := s.Trusted(); err != nil {
		return nil, err
	}
	var all []error
	for i, from := range sources {
		news, err := s.refresh(ctx, from)
		if err == nil {
			news.from = append([]Source{from}, append(append([]Source{}, sources[:i]...), sources[i+1:]...)...)
			news.PassedOver = all
			return news, nil
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		all = append(all, err)
	}
	return nil, errors.Join(all...)
}

// refresh follows the specification's workflow in a folder of its own, whose files are
// taken over once all of it was believed.
func (s *State) refresh(ctx context.Context, from Source) (*News, error) {
	scratch, err := os.MkdirTemp(s.folder, ".refresh-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(scratch)
	var newest []byte // if it was read already
	if r, ok := from.(*remembering); ok {
		newest = r.known(TimestampPath)
	}
	before := map[string][]byte{}
	for _, role := range roles {
		data, err := safefile.Read(filepath.Join(s.folder, role+".json"), maxTargets)
		if role == metadata.TARGETS && newest != nil && revisionIn(newest) != revisionIn(before[metadata.TIMESTAMP]) {
			continue // they will be replaced: the snapshot guards against older ones
		}
		if before[role] = data; err == nil {
			err = os.WriteFile(filepath.Join(scratch, role+".json"), data, 0o600)
		}
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			return nil, err
		}
	}
	root, err := os.ReadFile(filepath.Join(scratch, metadata.ROOT+".json"))
	if err != nil {
		return nil, err
	}
	fetch := &fetcher{ctx: ctx, from: from}
	update, err := updater.New(&config.UpdaterConfig{
		MaxRootRotations: 256, MaxDelegations: 1,
		RootMaxLength: MaxRoot, TimestampMaxLength: maxTimestamp, SnapshotMaxLength: maxSnapshot, TargetsMaxLength: maxTargets,
		Fetcher: fetch, LocalTrustedRoot: root, LocalMetadataDir: scratch, LocalTargetsDir: scratch,
		RemoteMetadataURL: strings.TrimSuffix(metadataFolder, "/"), PrefixTargetsWithHash: true,
	})
	if err == nil {
		update.UnsafeSetRefTime(s.Now().UTC()) // what it takes by itself, but for tests
		err = update.Refresh()
	}
	if err != nil {
		return nil, refuse(from.String(), errors.Join(err, fetch.failed), s.Now(), from.Clock())
	}
	trusted := update.GetTrustedMetadataSet()
	news, err := newsOf(trusted.Targets[metadata.TARGETS])
	if err != nil {
		return nil, &Refusal{Invalid, from.String(), "what is signed there is not a manifest: " + err.Error(), err}
	}
	news.Expires = trusted.Timestamp.Signed.Expires
	news.Note = s.ClockNote(news.Published)
	for _, role := range roles {
		data, err := os.ReadFile(filepath.Join(scratch, role+".json"))
		if err == nil && !bytes.Equal(data, before[role]) {
			err = safefile.Write(filepath.Join(s.folder, role+".json"), data)
		}
		if err != nil {
			return nil, fmt.Errorf("keep the metadata: %w", err)
		}
	}
	return news, nil
}

// ClockNote says that this computer's clock is behind, by a manifest that was published
// later than now; it is empty if it is not.
func (s *State) ClockNote(published time.Time) string {
	if published.Sub(s.Now()) <= clockLimit {
		return ""
	}
	return fmt.Sprintf(
		"the clock of this computer says %s, and the manifest was published on %s: "+
			"with a clock that is behind, old files cannot be told from new ones",
		s.Now().Format("2 January 2006"), published.Format("2 January 2006"),
	)
}

// newsOf reads what targets say.
func newsOf(targets *metadata.Metadata[metadata.TargetsType]) (*News, error) {
	n := &News{Files: map[string]File{}}
	if err := own(targets.Signed.UnrecognizedFields, &n.Head); err != nil {
		return nil, err
	}
	if n.Format != manifest.Format {
		return nil, fmt.Errorf("its format is %.40q, and this version reads %s", n.Format, manifest.Format)
	}
	if int64(n.Revision) != targets.Signed.Version {
		return nil, fmt.Errorf("it says that it is revision %d, and is signed as %d", n.Revision, targets.Signed.Version)
	}
	var shards []string
	for name, f := range targets.Signed.Targets {
		sum := f.Hashes["sha256"]
		if len(sum) != sha256.Size || f.Length < 0 || f.Length > maxFile {
			return nil, fmt.Errorf("the file %.80q has no SHA-256, or is larger than %d bytes", name, maxFile)
		}
		n.Files[name] = File{[sha256.Size]byte(sum), f.Length}
		if s := ShardIn(name); s != "" {
			shards = append(shards, s)
		}
	}
	return n, manifest.Cover(shards)
}

// Local is a revision of files that are there already, as a test or a measurement makes it.
// Nothing is signed.
func Local(h Head, contents map[string][]byte) *News {
	n := &News{Head: h, Files: map[string]File{}}
	m := memory{}
	for name, data := range contents {
		n.Files[name] = FileOf(data)
		m[FilePath(name, n.Files[name])] = data
	}
	n.from = []Source{m}
	return n
}

// memory is a tree in memory.
type memory map[string][]byte

func (m memory) String() string   { return "memory" }
func (m memory) Clock() time.Time { return time.Time{} }

func (m memory) Get(_ context.Context, path string, most int64) ([]byte, error) {
	data, ok := m[path]
	switch {
	case !ok:
		return nil, ErrAbsent
	case int64(len(data)) > most:
		return nil, ErrLarge
	}
	return data, nil
}

// Get reads a file of the revision from the first source that has it as announced.
func (n *News) Get(ctx context.Context, name string) ([]byte, error) {
	f, ok := n.Files[name]
	if !ok {
		return nil, fmt.Errorf("the revision has no file %s", name)
	}
	var all []error
	for _, from := range n.from {
		data, err := from.Get(ctx, FilePath(name, f), f.Length)
		switch {
		case err != nil:
			err = refuse(from.String(), fmt.Errorf("%s: %w", name, err), time.Now(), time.Time{})
		case int64(len(data)) < f.Length:
			err = &Refusal{Cut, from.String(), fmt.Sprintf("the file %s is cut off (%d of %d bytes)", name, len(data), f.Length), nil}
		case sha256.Sum256(data) != f.SHA256:
			err = &Refusal{Changed, from.String(), fmt.Sprintf("the file %s is not the one that was signed", name), nil}
		default:
			return data, nil
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		all = append(all, err)
	}
	return nil, errors.Join(all...)
}

// fetcher reads for the workflow.
type fetcher struct {
	ctx    context.Context
	from   Source
	failed error // of the last read
}

// DownloadFile reads a file, as the workflow wants it: what is not there is an answer 404.
func (f *fetcher) DownloadFile(path string, most int64, _ time.Duration) ([]byte, error) {
	data, err := f.from.Get(f.ctx, path, most)
	f.failed = err
	if errors.Is(err, ErrAbsent) && strings.HasSuffix(path, ".root.json") {
		f.failed = nil
		return nil, &metadata.ErrDownloadHTTP{StatusCode: 404, URL: path}
	}
	return data, err
}
