package kept

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
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
const indexVersion = 3

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
	Head    manifest.Head `json:"head"`
}

// key joins parts so that those with the same first parts stand together, and
// unkey takes them apart.
func key(parts ...string) []byte {
	var b bytes.Buffer
	for _, p := range parts {
		_, _ = escape.WriteString(&b, p)
		b.WriteByte(0)
	}
	return b.Bytes()
}

func unkey(k []byte) []string {
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

// Kept is the local manifest. It is safe for concurrent use.
type Kept struct {
	Head   manifest.Head
	Digest string
	Titles int // how many there are
	db     *bolt.DB
	file   string

	damaged atomic.Bool
}

// Close ends it. An index that was found damaged goes.
func (k *Kept) Close() error {
	err := k.db.Close()
	if k.damaged.Load() {
		_ = os.Remove(k.file)
	}
	return err
}

// errIndex says that an index is none, or is damaged.
var errIndex = errors.New("the index of the local manifest is damaged; it is made again the next time")

// view looks things up. What is damaged in an index shows when it is come to: the
// index is removed then, where the system lets go of an open file.
func (k *Kept) view(look func(tx *bolt.Tx) error) (err error) {
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
func Open(folder string, told func()) (*Kept, error) {
	d, err := digest(folder)
	if err != nil {
		return nil, err
	}
	if k, err := open(folder, d); err == nil {
		return k, nil
	}
	if told != nil {
		told()
	}
	m, d, err := Read(folder)
	if err != nil {
		return nil, err
	}
	if err := build(folder, m, d); err != nil {
		return nil, err
	}
	return open(folder, d)
}

func indexFile(folder, digest string) string { return filepath.Join(folder, digest+".index") }

// lockTimeout is how long an index is waited for that somebody has locked: nobody
// here does.
const lockTimeout = 2 * time.Second

// open opens an index that fits its revision.
func open(folder, d string) (*Kept, error) {
	k := &Kept{Digest: d, file: indexFile(folder, d)}
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
	err = k.view(func(tx *bolt.Tx) error {
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
	if err == nil && (h.Version != indexVersion || h.Digest != d || h.Size != revision.Size() || h.Time != revision.ModTime().UnixNano()) {
		err = errors.New("an index of another file, or of another version")
	}
	if err != nil {
		_ = k.db.Close()
		return nil, err
	}
	k.Head, k.Titles = h.Head, h.Titles
	return k, nil
}

// build writes the index of a revision beside it.
func build(folder string, m *manifest.Manifest, d string) error {
	info, err := os.Stat(filepath.Join(folder, d+".json"))
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(folder, ".new-*.index")
	if err != nil {
		return err
	}
	_ = f.Close()
	defer os.Remove(f.Name())
	head := indexHead{indexVersion, d, info.Size(), info.ModTime().UnixNano(), len(m.Titles), m.Head}
	if err := write(f.Name(), m, head); err != nil {
		return fmt.Errorf("index the manifest: %w", err)
	}
	return os.Rename(f.Name(), indexFile(folder, d))
}

func write(file string, m *manifest.Manifest, h indexHead) (err error) {
	// Nothing of it has to survive a crash: it is renamed when it is whole, and built
	// again where it is not.
	db, err := bolt.Open(file, 0o600, &bolt.Options{NoSync: true, NoFreelistSync: true, NoStatistics: true})
	if err != nil {
		return err
	}
	defer func() {
		if e := db.Close(); err == nil {
			err = e
		}
	}()
	head, err := json.Marshal(h)
	if err != nil {
		return err
	}
	if err := put(db, inHead, 1, func(int) ([]byte, []byte, error) { return headKey, head, nil }); err != nil {
		return err
	}
	if err := put(db, inSheets, len(m.Sheets), func(i int) ([]byte, []byte, error) {
		return []byte(m.Sheets[i].ID), m.Sheets[i].Sheet, nil
	}); err != nil {
		return err
	}
	if err := put(db, inTitles, len(m.Titles), func(i int) ([]byte, []byte, error) {
		doc, err := titleWriter.Marshal(m.Titles[i])
		return []byte(m.Titles[i].ID), doc, err
	}); err != nil {
		return err
	}
	names := map[string]string{}
	var editions, firsts [][]byte
	for _, t := range m.Titles {
		names[string(key(manifest.Fold(t.Name), t.ID))] = t.Name
		for _, v := range t.Variants {
			if v.Ref != "" {
				editions = append(editions, key(v.Ref, v.Store, t.ID))
			}
			for _, l := range v.Locations {
				if a, one, two, ok := firstNames(l.At); ok {
					firsts = append(firsts, key(string(a), one, two, t.ID))
				}
			}
		}
	}
	sorted := make([][]byte, 0, len(names))
	for k := range names {
		sorted = append(sorted, []byte(k))
	}
	if err := putSorted(db, inNames, sorted, func(k []byte) []byte { return []byte(names[string(k)]) }); err != nil {
		return err
	}
	none := func([]byte) []byte { return nil }
	if err := putSorted(db, inEditions, editions, none); err != nil {
		return err
	}
	return putSorted(db, inFirsts, firsts, none)
}

// putSorted fills a bucket, by keys in any order.
func putSorted(db *bolt.DB, bucket []byte, keys [][]byte, value func(key []byte) []byte) error {
	slices.SortFunc(keys, bytes.Compare)
	return put(db, bucket, len(keys), func(i int) ([]byte, []byte, error) { return keys[i], value(keys[i]), nil })
}

// atOnce is how many entries are written in one transaction, which holds them in
// memory.
const atOnce = 20_000

// put fills a bucket with n entries, by rising keys.
func put(db *bolt.DB, bucket []byte, n int, entry func(i int) (key, value []byte, err error)) error {
	for from := 0; from == 0 || from < n; from += atOnce {
		err := db.Update(func(tx *bolt.Tx) error {
			b, err := tx.CreateBucketIfNotExists(bucket)
			if err != nil {
				return err
			}
			b.FillPercent = 1 // nothing is put between them
			for i := from; i < min(n, from+atOnce); i++ {
				k, v, err := entry(i)
				if err != nil {
					return err
				}
				if err := b.Put(k, v); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
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
// cannot read is passed over, and said.
func (k *Kept) Sheets() (all []*sheet.Sheet, notes []string, err error) {
	err = k.view(func(tx *bolt.Tx) error {
		return tx.Bucket(inSheets).ForEach(func(id, doc []byte) error {
			s, err := sheet.ParseJSON(bytes.Clone(doc))
			if err != nil {
				notes = append(notes, fmt.Sprintf("the manifest's sheet %s is passed over: %v", id, err))
				return nil
			}
			all = append(all, s)
			return nil
		})
	})
	return all, notes, err
}
