package localmanifest

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/fxamacker/cbor/v2"
	bolt "go.etcd.io/bbolt"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
)

// The index is a file of sorted keys and their values, which is mapped into memory.
// Keys of several parts are as key makes them. Another version is rebuilt.
const indexVersion = 4

var (
	inHead     = []byte("head")     // headKey: indexHead in JSON
	inSheets   = []byte("sheets")   // id: the sheet in JSON
	inTitles   = []byte("titles")   // id: the title in CBOR (RFC 8949), which is read in a third of JSON's time
	inNames    = []byte("names")    // name as manifest.Fold gives it, id: the name
	inEditions = []byte("editions") // reference, store, title's id
	inFirsts   = []byte("firsts")   // anchor, first name, second name, title's id: see firstNames
	headKey    = []byte("head")
)

// How titles are written and read: by the names that they have in JSON.
var (
	titleWriter = must(cbor.EncOptions{Time: cbor.TimeRFC3339Nano}.EncMode())
	titleReader = must(cbor.DecOptions{MaxNestedLevels: 64}.DecMode())
)

func must[M any](mode M, err error) M {
	if err != nil {
		panic(err) // the options are constant
	}
	return mode
}

// indexHead says which file an index is of.
type indexHead struct {
	Version int           `json:"version"`
	Digest  string        `json:"digest"`
	Size    int64         `json:"size"`
	Time    int64         `json:"time"` // nanoseconds since 1970
	Titles  int           `json:"titles"`
	Sheets  int           `json:"sheets"`
	Head    manifest.Head `json:"head"`
}

// key joins parts so that those with the same first parts stand together, and
// splitKey takes them apart.
func key(parts ...string) []byte {
	var b bytes.Buffer
	for _, p := range parts {
		_, _ = escape.WriteString(&b, p)
		b.WriteByte(0)
	}
	return b.Bytes()
}

func splitKey(k []byte) []string {
	parts := strings.Split(strings.TrimSuffix(string(k), "\x00"), "\x00")
	if bytes.IndexByte(k, 1) >= 0 {
		for i, p := range parts {
			parts[i] = unescape.Replace(p)
		}
	}
	return parts
}

var (
	escape   = strings.NewReplacer("\x00", "\x01\x02", "\x01", "\x01\x01")
	unescape = strings.NewReplacer("\x01\x02", "\x00", "\x01\x01", "\x01")
)

// Manifest is the local manifest. It is safe for concurrent use.
type Manifest struct {
	Head   manifest.Head
	Digest string
	Titles int // how many there are
	// SheetCount is how many launchers' sheets there are, Size the bytes of the revision.
	SheetCount int
	Size       int64
	db         *bolt.DB
	file       string

	damaged atomic.Bool
}

// Close ends it. An index that was found damaged goes.
func (k *Manifest) Close() error {
	err := k.db.Close()
	if k.damaged.Load() {
		_ = os.Remove(k.file)
	}
	return err
}

// errIndex says that an index is none, or is damaged.
var errIndex = errors.New("the index of the local manifest is damaged; it will be rebuilt")

// view looks things up. What is damaged in an index shows when it is come to: the
// index is removed then, where the system lets go of an open file.
func (k *Manifest) view(ctx context.Context, look func(tx *bolt.Tx) error) (err error) {
	if err := ctx.Err(); err != nil {
		return err
	}
	defer debug.SetPanicOnFault(debug.SetPanicOnFault(true))
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("%w (%v)", errIndex, p)
			k.damaged.Store(true)
			_ = os.Remove(k.file)
		}
	}()
	return k.db.View(look)
}

// Open opens the local manifest by its index. The index is built first where it is
// missing, damaged or of another version, or where the revision's file changed;
// told is called then, and may be nil.
func Open(ctx context.Context, folder string, told func()) (*Manifest, error) {
	d, err := digest(folder)
	if err != nil {
		return nil, err
	}
	if k, err := open(ctx, folder, d); err == nil {
		return k, nil
	}
	if told != nil {
		told()
	}
	if d, err = Sound(ctx, folder); err != nil {
		return nil, err
	}
	file := filepath.Join(folder, d+".json")
	index, err := build(ctx, folder, file, d, nil)
	if errors.Is(err, manifest.ErrFormat) {
		return nil, fmt.Errorf("%s: %w; %w", file, err, ErrDamaged)
	}
	if err == nil {
		defer os.Remove(index)
		err = os.Rename(index, indexFile(folder, d))
	}
	if err != nil {
		return nil, err
	}
	return open(ctx, folder, d)
}

func indexFile(folder, digest string) string { return filepath.Join(folder, digest+".index") }

// lockTimeout is how long an index is waited for that somebody has locked: nobody
// here does.
const lockTimeout = 2 * time.Second

// open opens an index that fits its revision.
func open(ctx context.Context, folder, d string) (*Manifest, error) {
	k := &Manifest{Digest: d, file: indexFile(folder, d)}
	index, err := os.Stat(k.file)
	if err != nil || !index.Mode().IsRegular() {
		return nil, errIndex
	}
	revision, err := os.Stat(filepath.Join(folder, d+".json"))
	if err != nil {
		return nil, err
	}
	if k.db, err = bolt.Open(k.file, 0o600, &bolt.Options{ReadOnly: true, NoStatistics: true, Timeout: lockTimeout}); err != nil {
		return nil, err
	}
	var h indexHead
	err = k.view(ctx, func(tx *bolt.Tx) error {
		if tx.Size() > index.Size() { // it was cut off
			return errIndex
		}
		for _, b := range [][]byte{inHead, inSheets, inTitles, inNames, inEditions, inFirsts} {
			if tx.Bucket(b) == nil {
				return errIndex
			}
		}
		return json.Unmarshal(tx.Bucket(inHead).Get(headKey), &h)
	})
	if err == nil &&
		(h.Version != indexVersion || h.Digest != d || h.Size != revision.Size() || h.Time != revision.ModTime().UnixNano()) {
		err = errors.New("an index of another file, or of another version")
	}
	if err != nil {
		_ = k.db.Close()
		return nil, err
	}
	k.Head, k.Titles, k.SheetCount, k.Size = h.Head, h.Titles, h.Sheets, h.Size
	return k, nil
}

// build writes the index of a revision's file beside it, under a name of its own, which
// it returns. The revision is read an entry at a time. accept may be nil.
func build(ctx context.Context, folder, revision, d string, accept func(manifest.Head) error) (string, error) {
	in, err := os.Open(revision)
	if err != nil {
		return "", err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return "", err
	}
	f, err := os.CreateTemp(folder, ".new-*.index")
	if err != nil {
		return "", err
	}
	_ = f.Close()
	head := indexHead{Version: indexVersion, Digest: d, Size: info.Size(), Time: info.ModTime().UnixNano()}
	if err := write(f.Name(), reader{ctx, in}, head, accept); err != nil {
		_ = os.Remove(f.Name())
		return "", err
	}
	return f.Name(), nil
}

// reader ends with its context.
type reader struct {
	ctx context.Context
	in  io.Reader
}

func (r reader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.in.Read(p)
}

// pair is what an index holds under a key.
type pair struct{ key, value []byte }

// atOnce is how many bytes are written in one transaction, which holds them in memory.
const atOnce = 8 << 20

// filling is a bucket that is being filled, by rising keys.
type filling struct {
	db      *bolt.DB
	bucket  []byte
	waiting []pair
	size    int
}

func (f *filling) add(key, value []byte) error {
	f.waiting = append(f.waiting, pair{key, value})
	if f.size += len(key) + len(value); f.size < atOnce {
		return nil
	}
	return f.flush()
}

// flush writes what waits; the bucket is there afterwards, if only empty.
func (f *filling) flush() error {
	err := f.db.Update(func(tx *bolt.Tx) error {
		b, err := tx.CreateBucketIfNotExists(f.bucket)
		if err != nil {
			return err
		}
		b.FillPercent = 1 // nothing is put between them
		for _, p := range f.waiting {
			if err := b.Put(p.key, p.value); err != nil {
				return err
			}
		}
		return nil
	})
	f.waiting, f.size = nil, 0
	return err
}

func write(file string, revision io.Reader, h indexHead, accept func(manifest.Head) error) (err error) {
	// Nothing of it has to survive a crash: it is renamed when it is whole, and built
	// again where it is not.
	db, err := bolt.Open(file, 0o600, &bolt.Options{NoSync: true, NoFreelistSync: true, NoStatistics: true})
	if err != nil {
		return fmt.Errorf("index the manifest: %w", err)
	}
	defer func() {
		if e := db.Close(); err == nil {
			err = e
		}
	}()
	sheets, titles := filling{db: db, bucket: inSheets}, filling{db: db, bucket: inTitles}
	var names, editions, firsts []pair
	h.Head, err = manifest.Stream(revision, manifest.Each{
		Sheet: func(x manifest.Sheet) error { h.Sheets++; return sheets.add([]byte(x.ID), x.Sheet) },
		Title: func(t manifest.Title) error {
			h.Titles++
			names = append(names, pair{key(manifest.Fold(t.Name), t.ID), []byte(t.Name)})
			for _, v := range t.Variants {
				if v.Ref != "" {
					editions = append(editions, pair{key(v.Ref, v.Store, t.ID), nil})
				}
				for _, l := range v.Locations {
					if a, one, two, ok := firstNames(l.At); ok {
						firsts = append(firsts, pair{key(string(a), one, two, t.ID), nil})
					}
				}
			}
			doc, err := titleWriter.Marshal(t)
			if err != nil {
				return err
			}
			return titles.add([]byte(t.ID), doc)
		},
	})
	if err != nil {
		return err
	}
	if accept != nil {
		if err := accept(h.Head); err != nil {
			return err
		}
	}
	head, err := json.Marshal(h)
	if err == nil {
		err = errors.Join(
			sheets.flush(), titles.flush(), fill(db, inNames, names), fill(db, inEditions, editions),
			fill(db, inFirsts, firsts), fill(db, inHead, []pair{{headKey, head}}),
		)
	}
	if err != nil {
		return fmt.Errorf("index the manifest: %w", err)
	}
	return nil
}

// fill fills a bucket with keys in any order.
func fill(db *bolt.DB, bucket []byte, all []pair) error {
	slices.SortStableFunc(all, func(a, b pair) int { return bytes.Compare(a.key, b.key) })
	f := filling{db: db, bucket: bucket}
	for _, p := range all {
		if err := f.add(p.key, p.value); err != nil {
			return err
		}
	}
	return f.flush()
}

// anyName stands in the index for a name that varies.
const anyName = "*"

// firstNames are the first two names of a location below a folder that many
// titles share, as the index has them: folded where the anchor folds, empty where
// there is no second. ok is false below other anchors.
func firstNames(at string) (a place.Anchor, first, second string, ok bool) {
	l, err := place.Parse(at)
	if err != nil {
		return "", "", "", false
	}
	if d, _ := place.Define(l.Anchor); !d.Shared {
		return "", "", "", false
	}
	names := []string{"", ""}
	for i := range min(2, len(l.Pattern.Segments)) {
		names[i] = anyName
		if s := l.Pattern.Segments[i]; len(s) == 1 && s[0].Kind == place.Literal {
			// Folded for every anchor: below a prefix all names are found in any case.
			names[i] = strings.ToLower(s[0].Text)
		}
	}
	return l.Anchor, names[0], names[1], true
}

// Sheets are the launchers' sheets that the manifest has. One that this version
// cannot read is skipped, and said.
func (k *Manifest) Sheets(ctx context.Context) (all []*sheet.Sheet, notes []string, err error) {
	err = k.view(ctx, func(tx *bolt.Tx) error {
		return tx.Bucket(inSheets).ForEach(func(id, doc []byte) error {
			s, err := sheet.ParseJSON(bytes.Clone(doc))
			if err != nil {
				notes = append(notes, fmt.Sprintf("the manifest's sheet %s is skipped: %v", id, err))
				return nil
			}
			all = append(all, s)
			return nil
		})
	})
	return all, notes, err
}
