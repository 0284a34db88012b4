package localmanifest

import (
	"bytes"
	"cmp"
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
	"endroit/published"
)

// The index is a file of sorted keys and their values, which is mapped into memory.
// Keys of several parts are as key makes them. Another version is rebuilt.
const indexVersion = 6

var (
	inHead     = []byte("head")     // headKey: indexHead in JSON
	inSheets   = []byte("sheets")   // id: the sheet in JSON
	inTitles   = []byte("titles")   // id: the title in CBOR (RFC 8949), which is read in a third of JSON's time
	inNames    = []byte("names")    // name as manifest.Fold gives it, id: the name
	inPlains   = []byte("plains")   // name as manifest.Plain gives it, id
	inEditions = []byte("editions") // reference, store, title's id
	inFirsts   = []byte("firsts")   // anchor, first name, second name, title's id: see firstNames
	headKey    = []byte("head")
)

// How titles are written and read: by the names that they have in JSON.
var (
	titleWriter = must(cbor.EncOptions{Time: cbor.TimeRFC3339Nano, Sort: cbor.SortBytewiseLexical}.EncMode())
	titleReader = must(cbor.DecOptions{MaxNestedLevels: 64}.DecMode())
)

func must[M any](mode M, err error) M {
	if err != nil {
		panic(err) // the options are constant
	}
	return mode
}

// indexHead says what an index is of.
type indexHead struct {
	Version int    `json:"version"`
	ID      string `json:"id"` // of the files
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
	Head published.Head
	// Titles is how many there are, without those that were merged into others.
	Titles int
	// SheetCount is how many launchers' sheets there are, Size the bytes of the files.
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
// missing, damaged or of another version; told is called then, and may be nil.
func Open(ctx context.Context, folder string, told func()) (*Manifest, error) {
	c, err := readCurrent(folder)
	if err != nil {
		return nil, err
	}
	if k, err := open(ctx, folder, c); err == nil {
		return k, nil
	}
	if told != nil {
		told()
	}
	if err := c.load(folder); err != nil {
		return nil, err
	}
	if err := buildAll(ctx, folder, c); err != nil {
		return nil, err
	}
	return open(ctx, folder, c)
}

func indexFile(folder string, c *current) string { return filepath.Join(folder, c.ID+".index") }

// lockTimeout is how long an index is waited for that somebody has locked: nobody
// here does.
const lockTimeout = 2 * time.Second

// open opens an index that fits what counts.
func open(ctx context.Context, folder string, c *current) (*Manifest, error) {
	k := &Manifest{file: indexFile(folder, c), Head: c.Head, Titles: c.Head.Titles, SheetCount: c.Head.Sheets, Size: c.Size}
	index, err := os.Stat(k.file)
	if err != nil || !index.Mode().IsRegular() {
		return nil, errIndex
	}
	if k.db, err = bolt.Open(k.file, 0o600, &bolt.Options{ReadOnly: true, NoStatistics: true, Timeout: lockTimeout}); err != nil {
		return nil, err
	}
	var h indexHead
	err = k.view(ctx, func(tx *bolt.Tx) error {
		if tx.Size() > index.Size() { // it was cut off
			return errIndex
		}
		for _, b := range buckets {
			if tx.Bucket(b) == nil {
				return errIndex
			}
		}
		return json.Unmarshal(tx.Bucket(inHead).Get(headKey), &h)
	})
	if err == nil && (h.Version != indexVersion || h.ID != c.ID) {
		err = errors.New("an index of other files, or of another version")
	}
	if err != nil {
		_ = k.db.Close()
		return nil, err
	}
	return k, nil
}

// buildAll writes the index of all files.
func buildAll(ctx context.Context, folder string, c *current) error {
	f, err := os.CreateTemp(folder, ".new-*.index")
	if err != nil {
		return err
	}
	_ = f.Close()
	defer os.Remove(f.Name()) // gone already where all went well
	if err := write(ctx, f.Name(), folder, c); err != nil {
		return err
	}
	return os.Rename(f.Name(), indexFile(folder, c))
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

// options of an index that is written: nothing of it has to survive a crash, since it is
// renamed when it is whole, and built again where it is not.
var writing = bolt.Options{NoSync: true, NoStatistics: true}

// write writes the index of all files, a shard at a time.
func write(ctx context.Context, file, folder string, c *current) (err error) {
	db, err := bolt.Open(file, 0o600, &writing)
	if err != nil {
		return fmt.Errorf("index the manifest: %w", err)
	}
	defer func() {
		if e := db.Close(); err == nil {
			err = e
		}
	}()
	titles := filling{db: db, bucket: inTitles}
	var entries [4]pairList
	for _, name := range c.shards() {
		if err := ctx.Err(); err != nil {
			return err
		}
		shard, err := readShard(folder, name, c.Files[name])
		if err != nil {
			return err
		}
		for i := range shard.Titles {
			t := &shard.Titles[i]
			doc, err := titleWriter.Marshal(t)
			if err != nil {
				return err
			}
			if err := titles.add([]byte(t.ID), doc); err != nil {
				return err
			}
			for n, list := range entriesOf(t) {
				for _, p := range list {
					entries[n].add(p)
				}
			}
		}
	}
	if err := titles.flush(); err != nil {
		return fmt.Errorf("index the manifest: %w", err)
	}
	for n, bucket := range entryBuckets {
		if err := fill(db, bucket, &entries[n]); err != nil {
			return fmt.Errorf("index the manifest: %w", err)
		}
		entries[n] = pairList{}
	}
	return db.Update(func(tx *bolt.Tx) error { return finish(tx, folder, c) })
}

// finish writes the sheets and the head.
func finish(tx *bolt.Tx, folder string, c *current) error {
	all, err := readSheets(folder, c)
	if err != nil {
		return err
	}
	if tx.Bucket(inSheets) != nil {
		if err := tx.DeleteBucket(inSheets); err != nil {
			return err
		}
	}
	sheets, err := tx.CreateBucket(inSheets)
	if err != nil {
		return err
	}
	for _, x := range all {
		if err := sheets.Put([]byte(x.ID), x.Sheet); err != nil {
			return err
		}
	}
	head, err := tx.CreateBucketIfNotExists(inHead)
	if err != nil {
		return err
	}
	raw, err := json.Marshal(indexHead{indexVersion, c.ID})
	if err != nil {
		return err
	}
	return head.Put(headKey, raw)
}

// change makes the index of what counts now from a copy of that of what counted before:
// the titles of the shards that differ are taken out and put in.
func change(ctx context.Context, folder string, before, c *current) (err error) {
	k, err := open(ctx, folder, before)
	if err != nil {
		return err
	}
	defer k.Close()
	f, err := os.CreateTemp(folder, ".new-*.index")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	old, err := os.Open(k.file) // an index does not change once it has its name
	if err == nil {
		_, err = io.Copy(f, old) // by the system itself, where it can
		_ = old.Close()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return err
	}
	db, err := bolt.Open(f.Name(), 0o600, &writing)
	if err != nil {
		return err
	}
	err = db.Update(func(tx *bolt.Tx) error {
		for _, name := range c.shards() {
			if old, same := before.Files[name]; same && old == c.Files[name] {
				continue
			}
			shard, err := readShard(folder, name, c.Files[name])
			if err != nil {
				return err
			}
			if err := replace(tx, shard); err != nil {
				return err
			}
		}
		return finish(tx, folder, c)
	})
	if e := db.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(f.Name(), indexFile(folder, c))
	}
	return err
}

// replace puts a shard's titles in place of those that were in its range of ids. Those that
// are the same stay untouched.
func replace(tx *bolt.Tx, shard *manifest.Shard) error {
	titles := tx.Bucket(inTitles)
	docs := make(map[string][]byte, len(shard.Titles))
	for i := range shard.Titles {
		doc, err := titleWriter.Marshal(&shard.Titles[i])
		if err != nil {
			return err
		}
		docs[shard.Titles[i].ID] = doc
	}
	same := map[string]bool{}
	first, last := manifest.Bounds(shard.Shard)
	var ids [][]byte
	cursor := titles.Cursor()
	for id, doc := cursor.Seek([]byte(first)); id != nil && string(id) <= last; id, doc = cursor.Next() {
		if bytes.Equal(docs[string(id)], doc) {
			same[string(id)] = true
			continue
		}
		var t manifest.Title
		if err := titleReader.Unmarshal(doc, &t); err != nil {
			return err
		}
		for n, list := range entriesOf(&t) {
			for _, e := range list {
				if err := tx.Bucket(entryBuckets[n]).Delete(e.key); err != nil {
					return err
				}
			}
		}
		ids = append(ids, bytes.Clone(id))
	}
	for _, id := range ids {
		if err := titles.Delete(id); err != nil {
			return err
		}
	}
	for i := range shard.Titles {
		t := &shard.Titles[i]
		if same[t.ID] {
			continue
		}
		if err := titles.Put([]byte(t.ID), docs[t.ID]); err != nil {
			return err
		}
		for n, list := range entriesOf(t) {
			for _, e := range list {
				if err := tx.Bucket(entryBuckets[n]).Put(e.key, e.value); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// entryBuckets are the buckets by which titles are found, in the order of entriesOf.
var entryBuckets = [4][]byte{inNames, inPlains, inEditions, inFirsts}

var buckets = [][]byte{inHead, inSheets, inTitles, inNames, inPlains, inEditions, inFirsts}

// entriesOf are the entries by which a title is found; none if it was merged.
func entriesOf(t *manifest.Title) (e [4][]pair) {
	if t.MergedInto != "" {
		return e
	}
	for _, n := range t.AllNames() {
		e[0] = append(e[0], pair{key(manifest.Fold(n), t.ID), []byte(n)})
		e[1] = append(e[1], pair{key(manifest.Plain(n), t.ID), nil})
	}
	seen := map[string]bool{}
	for _, v := range t.Variants {
		if v.Ref != "" {
			e[2] = append(e[2], pair{key(v.Ref, v.Store, t.ID), nil})
		}
		for _, l := range v.Locations {
			if a, one, two, ok := firstNames(l.At); ok && !seen[l.At] {
				seen[l.At] = true
				e[3] = append(e[3], pair{key(string(a), one, two, t.ID), nil})
			}
		}
	}
	for _, x := range t.Editions {
		if x.Ref != "" {
			e[2] = append(e[2], pair{key(x.Ref, x.Store, t.ID), nil})
		}
	}
	return e
}

// fill fills a bucket with keys in any order.
func fill(db *bolt.DB, bucket []byte, all *pairList) error {
	all.sort()
	f := filling{db: db, bucket: bucket}
	for i := range all.spans {
		p := all.at(i)
		if err := f.add(p.key, p.value); err != nil {
			return err
		}
	}
	return f.flush()
}

// pairList holds hundreds of thousands of pairs without a pointer for each, which the
// garbage collector would have to follow.
type pairList struct {
	chunks [][]byte
	spans  []pairSpan
}

// pairSpan is where a pair stands: the value behind the key.
type pairSpan struct{ chunk, begin, key, value uint32 }

// pairChunk is how many bytes are allocated at once, unless a pair has more.
const pairChunk = 256 << 10

func (l *pairList) add(p pair) {
	size := len(p.key) + len(p.value)
	last := len(l.chunks) - 1
	if last < 0 || cap(l.chunks[last])-len(l.chunks[last]) < size {
		l.chunks = append(l.chunks, make([]byte, 0, max(pairChunk, size)))
		last++
	}
	l.spans = append(l.spans, pairSpan{uint32(last), uint32(len(l.chunks[last])), uint32(len(p.key)), uint32(len(p.value))})
	l.chunks[last] = append(append(l.chunks[last], p.key...), p.value...)
}

func (l *pairList) at(i int) pair {
	s := l.spans[i]
	value := l.chunks[s.chunk][s.begin+s.key : s.begin+s.key+s.value]
	return pair{l.keyAt(s), value}
}

func (l *pairList) keyAt(s pairSpan) []byte { return l.chunks[s.chunk][s.begin : s.begin+s.key] }

// sort sorts by the keys; equal ones stay in the order in which they came.
func (l *pairList) sort() {
	slices.SortFunc(l.spans, func(a, b pairSpan) int {
		return cmp.Or(bytes.Compare(l.keyAt(a), l.keyAt(b)), cmp.Compare(a.chunk, b.chunk), cmp.Compare(a.begin, b.begin))
	})
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
