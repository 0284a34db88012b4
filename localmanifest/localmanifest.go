// Package localmanifest is the manifest as it is kept on this machine: the published files
// of one revision, and an index of them, so that looking a title up does not read all.
//
//	err := localmanifest.Fetch(ctx, folder, news, nil)
//	k, err := localmanifest.Open(ctx, folder, nil)
//	found, near, err := k.Find(ctx, "tidewrack")
package localmanifest

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/gofrs/flock"
	"golang.org/x/sync/errgroup"

	"endroit/core/manifest"
	"endroit/published"
	"endroit/safefile"
)

// What lies in the folder.
const (
	// currentFile says which files count, so that an interrupted fetch leaves what was
	// there before.
	currentFile = "current.json"
	filesFolder = "files" // by digest
	lockFile    = "lock"
)

// TrustFolder is where it is kept whom a local manifest trusts.
func TrustFolder(folder string) string { return filepath.Join(folder, "trust") }

// Errors that callers decide on.
var (
	ErrNone    = errors.New("there is no manifest on this machine yet; get it with endroit fetch")
	ErrDamaged = errors.New("get the manifest again with endroit fetch")
	ErrBusy    = errors.New("another endroit fetch is running")
)

// current is the revision that counts.
type current struct {
	Head published.Head `json:"head"`
	ID   string         `json:"id"`   // names its files: see idOf
	Size int64          `json:"size"` // of them, in bytes
	// Files are read apart, where they are needed.
	Files map[string]published.File `json:"-"` // by name
}

// currentOf is a revision of these files.
func currentOf(head published.Head, files map[string]published.File) *current {
	c := &current{Head: head, Files: files}
	sum := sha256.New()
	fmt.Fprintln(sum, head.Revision)
	for _, name := range slices.Sorted(maps.Keys(files)) {
		fmt.Fprintln(sum, name, files[name].Digest())
		c.Size += files[name].Length
	}
	c.ID = hex.EncodeToString(sum.Sum(nil)[:8])
	return c
}

// listFile is the list of the files.
func (c *current) listFile(folder string) string { return filepath.Join(folder, c.ID+".files.json") }

// load reads the list of the files.
func (c *current) load(folder string) error {
	text, err := safefile.Read(c.listFile(folder), maxList)
	if err == nil {
		err = json.Unmarshal(text, &c.Files)
	}
	if err == nil && currentOf(c.Head, c.Files).ID != c.ID {
		err = errors.New("it was modified")
	}
	if err != nil {
		return fmt.Errorf("%s: %w; %w", c.listFile(folder), err, ErrDamaged)
	}
	return nil
}

// save makes it count.
func (c *current) save(folder string) error {
	list, err := json.Marshal(c.Files)
	if err == nil {
		err = safefile.Write(c.listFile(folder), list)
	}
	if err != nil {
		return err
	}
	raw, err := json.Marshal(c)
	if err != nil {
		return err
	}
	return safefile.Write(filepath.Join(folder, currentFile), raw)
}

// shards are the names of the files of titles, in the order of the titles' ids.
func (c *current) shards() []string {
	var names []string
	for name := range c.Files {
		if published.ShardIn(name) != "" {
			names = append(names, name)
		}
	}
	slices.SortFunc(names, func(a, b string) int {
		first := func(name string) string { f, _ := manifest.Bounds(published.ShardIn(name)); return f }
		return strings.Compare(first(a), first(b))
	})
	return names
}

// The bounds of what is read of this program's own.
const (
	maxCurrent = 64 << 10
	maxList    = 64 << 20
)

func readCurrent(folder string) (*current, error) {
	file := filepath.Join(folder, currentFile)
	text, err := safefile.Read(file, maxCurrent)
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrNone
	}
	if err != nil {
		return nil, err
	}
	c := &current{}
	if err := json.Unmarshal(text, c); err != nil || len(c.ID) != 16 || filepath.Base(c.ID) != c.ID {
		return nil, fmt.Errorf("%s is damaged; %w", file, ErrDamaged)
	}
	return c, nil
}

// Current is the head of the local revision; ErrNone if there is none.
func Current(folder string) (published.Head, error) {
	c, err := readCurrent(folder)
	if err != nil {
		return published.Head{}, err
	}
	return c.Head, nil
}

// Has reports whether the local manifest is of a revision, and ready.
func Has(ctx context.Context, folder string, revision int) bool {
	c, err := readCurrent(folder)
	if err != nil || c.Head.Revision != revision {
		return false
	}
	k, err := open(ctx, folder, c)
	return err == nil && k.Close() == nil
}

// readFile reads a file that is kept, and checks its digest.
func readFile(folder, name string, f published.File) ([]byte, error) {
	data, err := safefile.Read(filepath.Join(folder, filesFolder, f.Digest()), f.Length)
	if err != nil {
		return nil, fmt.Errorf("the local manifest lacks a file (%s: %w); %w", name, err, ErrDamaged)
	}
	if sha256.Sum256(data) != f.SHA256 {
		return nil, fmt.Errorf("the local manifest was truncated or modified (%s); %w", name, ErrDamaged)
	}
	return data, nil
}

func readShard(folder, name string, f published.File) (*manifest.Shard, error) {
	data, err := readFile(folder, name, f)
	if err != nil {
		return nil, err
	}
	return manifest.ReadShard(published.ShardIn(name), data)
}

func readSheets(folder string, c *current) ([]manifest.Sheet, error) {
	f, ok := c.Files[published.SheetsName]
	if !ok {
		return nil, nil
	}
	data, err := readFile(folder, published.SheetsName, f)
	if err != nil {
		return nil, err
	}
	return manifest.ReadSheets(data)
}

// Fetched is what a fetch did.
type Fetched struct {
	Changed bool
	Files   int   // that were moved
	Bytes   int64 // of them
}

// Options of a fetch.
type Options struct {
	Told func(done, of int) // as files come; may be nil
}

// atOnceFiles is how many files are moved at a time.
const atOnceFiles = 8

// Fetch makes a revision the local one: it moves the files that are not here yet, indexes
// what changed, and only then lets it count. Files that came before it was interrupted are
// not moved again.
func Fetch(ctx context.Context, folder string, news *published.News, o Options) (Fetched, error) {
	if err := os.MkdirAll(filepath.Join(folder, filesFolder), 0o700); err != nil {
		return Fetched{}, fmt.Errorf("keep the manifest: %w", err)
	}
	lock := flock.New(filepath.Join(folder, lockFile))
	switch mine, err := lock.TryLock(); {
	case err != nil:
		return Fetched{}, fmt.Errorf("keep the manifest: %w", err)
	case !mine:
		return Fetched{}, ErrBusy
	}
	defer lock.Unlock()
	next := currentOf(news.Head, news.Files)
	before, err := readCurrent(folder)
	if err == nil && before.ID == next.ID {
		if k, err := open(ctx, folder, before); err == nil {
			return Fetched{}, k.Close()
		}
	}
	if err == nil {
		err = before.load(folder)
	}
	if err != nil {
		before = nil // all of it comes again
	}
	done, err := move(ctx, folder, news, before, o)
	if err != nil {
		return done, err
	}
	done.Changed = true
	err = errIndex
	if before != nil {
		err = change(ctx, folder, before, next)
	}
	if err != nil && !errors.Is(err, manifest.ErrFormat) { // what is signed, and yet not what it should be, stays so
		err = buildAll(ctx, folder, next)
	}
	if err != nil {
		return done, err
	}
	if err := next.save(folder); err != nil {
		return done, fmt.Errorf("keep the manifest: %w", err)
	}
	tidy(folder, next)
	return done, nil
}

// move fetches the files that are not here.
func move(ctx context.Context, folder string, news *published.News, before *current, o Options) (done Fetched, err error) {
	var missing []string
	for _, name := range slices.Sorted(maps.Keys(news.Files)) {
		f := news.Files[name]
		if before != nil && before.Files[name] == f {
			if info, err := os.Stat(filepath.Join(folder, filesFolder, f.Digest())); err == nil && info.Size() == f.Length {
				continue
			}
		}
		if _, err := readFile(folder, name, f); err == nil {
			continue // it came before
		}
		if published.ShardIn(name) != "" || name == published.SheetsName { // others are a later version's
			missing = append(missing, name)
		}
	}
	var lock sync.Mutex
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(atOnceFiles)
	for _, name := range missing {
		group.Go(func() error {
			data, err := news.Get(ctx, name)
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(folder, filesFolder, news.Files[name].Digest()), data, 0o600); err != nil {
				return fmt.Errorf("keep the manifest: %w", err)
			}
			lock.Lock()
			defer lock.Unlock()
			done.Files++
			done.Bytes += int64(len(data))
			if o.Told != nil {
				o.Told(done.Files, len(missing))
			}
			return nil
		})
	}
	return done, group.Wait()
}

// tidy removes what does not count any more.
func tidy(folder string, c *current) {
	keep := map[string]bool{c.ID + ".index": true, c.ID + ".files.json": true}
	for _, f := range c.Files {
		keep[f.Digest()] = true
	}
	for _, pattern := range []string{"*.index", "*.files.json", ".new-*", filesFolder + "/*"} {
		old, _ := filepath.Glob(filepath.Join(folder, pattern))
		for _, o := range old {
			if !keep[filepath.Base(o)] {
				_ = os.Remove(o)
			}
		}
	}
}
