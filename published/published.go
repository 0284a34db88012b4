// Package published reads a publication's files from anywhere, and believes them only if
// they are signed by who should, whole, of one revision, and not older than what was read
// before. What is signed, and how, is the update framework's specification
// (https://theupdateframework.github.io/specification/v1.0.34/); docs/published.md
// describes the files.
//
//	state, err := published.Open(folder)
//	news, err := state.Refresh(ctx, published.At("https://…/published"))
//	data, err := news.Get(ctx, name)
package published

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/theupdateframework/go-tuf/v2/metadata"

	"endroit/core/manifest"
)

// OwnField is the field of ours in the metadata.
const OwnField = "endroit"

// Publisher is whose publication it is. A root carries it.
type Publisher struct {
	Name string `json:"name"`
	Home string `json:"home,omitempty"`
}

// Head is a revision without its titles. The targets carry it.
type Head struct {
	Format    string    `json:"format"`
	Revision  int       `json:"revision"`
	Published time.Time `json:"published"`
	Titles    int       `json:"titles"` // how many there are, without those that were merged
	Sheets    int       `json:"sheets"`
}

// File is a published file of a revision, other than metadata.
type File struct {
	SHA256 [sha256.Size]byte
	Length int64
}

// FileOf describes a file's content.
func FileOf(data []byte) File { return File{sha256.Sum256(data), int64(len(data))} }

// fileText is a file's description as it is written.
type fileText struct {
	SHA256 string `json:"sha256"`
	Length int64  `json:"length"`
}

// MarshalJSON writes the digest in hexadecimal.
func (f File) MarshalJSON() ([]byte, error) { return json.Marshal(fileText{f.Digest(), f.Length}) }

// UnmarshalJSON reads what MarshalJSON wrote.
func (f *File) UnmarshalJSON(data []byte) error {
	var t fileText
	if err := json.Unmarshal(data, &t); err != nil {
		return err
	}
	sum, err := hex.DecodeString(t.SHA256)
	if err != nil || len(sum) != sha256.Size || t.Length < 0 {
		return fmt.Errorf("%.80q is not a SHA-256 in hexadecimal", t.SHA256)
	}
	*f = File{[sha256.Size]byte(sum), t.Length}
	return nil
}

// Digest is the file's SHA-256 in hexadecimal.
func (f File) Digest() string { return hex.EncodeToString(f.SHA256[:]) }

// The bounds of what is read, in bytes.
const (
	MaxRoot      = 512 << 10
	maxTimestamp = 16 << 10
	maxSnapshot  = 2 << 20
	maxTargets   = 64 << 20
	maxFile      = 16 << 20 // compressed
)

// The parts of a published tree.
const (
	metadataFolder = "metadata/"
	targetsFolder  = "targets/"
	// TimestampPath is the one file that changes.
	TimestampPath = metadataFolder + "timestamp.json"
	// SheetsName is the file of all launchers' sheets.
	SheetsName  = "sheets.zst"
	shardFolder = "titles/"
	shardEnd    = ".zst"
)

// RootPath is the path of a root in the published tree.
func RootPath(version int64) string { return fmt.Sprintf("%s%d.root.json", metadataFolder, version) }

// SnapshotPath is the path of a revision's snapshot in the published tree.
func SnapshotPath(revision int) string {
	return fmt.Sprintf("%s%d.snapshot.json", metadataFolder, revision)
}

// TargetsPath is the path of a revision's targets in the published tree.
func TargetsPath(revision int) string {
	return fmt.Sprintf("%s%d.targets.json", metadataFolder, revision)
}

// FilePath is the path of a file in the published tree: its digest stands before its name.
func FilePath(name string, f File) string {
	i := strings.LastIndexByte(name, '/') + 1
	return targetsFolder + name[:i] + f.Digest() + "." + name[i:]
}

// ShardName is the name of the file of a shard.
func ShardName(shard string) string { return shardFolder + shard + shardEnd }

// ShardIn is the shard whose file has a name; empty if it is another file.
func ShardIn(name string) string {
	s, begins := strings.CutPrefix(name, shardFolder)
	s, ends := strings.CutSuffix(s, shardEnd)
	if !begins || !ends || manifest.CheckShard(s) != "" {
		return ""
	}
	return s
}

// PublisherOf is whose publication a root is of.
func PublisherOf(root *metadata.Metadata[metadata.RootType]) (p Publisher) {
	_ = own(root.Signed.UnrecognizedFields, &p) // a root without it has no name
	return p
}

// own reads the field of ours.
func own(fields map[string]any, v any) error {
	raw, err := json.Marshal(fields[OwnField])
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, v)
}
