package sampling

import (
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"endroit/capture"
	"endroit/core/hive"
	"endroit/core/place"
	"endroit/core/trace"
)

// hiveLimit is the size in bytes up to which a hive is read.
const hiveLimit = 256 << 20

// hiveRoots are the hives of a prefix, and the key that each hangs below.
var hiveRoots = []struct{ file, key string }{
	{"user.reg", "HKEY_CURRENT_USER"},
	{"system.reg", "HKEY_LOCAL_MACHINE"},
	{"userdef.reg", `HKEY_USERS\.Default`},
}

// registry follows the registry of a prefix: the prefix's server writes it to its
// hives every half minute and as it ends, and what is in them then is compared.
type registry struct {
	r     *capture.Recorder
	hives []*watchedHive
	keys  map[string]*capture.File // by folded path
}

type watchedHive struct {
	file, root string
	last       *hive.Hive
	size       int64
	time       time.Time
}

// newRegistry reads a prefix's hives as they are before the run.
func newRegistry(r *capture.Recorder, folder string) *registry {
	g := &registry{r: r, keys: map[string]*capture.File{}}
	for _, root := range hiveRoots {
		h := &watchedHive{file: filepath.Join(folder, root.file), root: root.key}
		if info, err := os.Stat(h.file); err == nil {
			if h.last, err = readHive(h.file); err != nil {
				r.Gap(fmt.Sprintf(
					"the registry in %s could not be read before the run, so its changes are not told: %v",
					root.file, err,
				))
				continue
			}
			h.size, h.time = info.Size(), info.ModTime()
		}
		g.hives = append(g.hives, h)
	}
	return g
}

func readHive(file string) (*hive.Hive, error) {
	var f *os.File
	err := error(fs.ErrPermission)
	capture.Behalf.Load().Do(func() { f, err = capture.OpenQuietly(file) })
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, hiveLimit+1))
	if err != nil {
		return nil, err
	}
	if len(data) > hiveLimit {
		return nil, fmt.Errorf("it is larger than %d MiB", hiveLimit>>20)
	}
	return hive.Parse(data)
}

// look compares the hives that were written since the last look. At the end what
// cannot be read is a gap; before, it may be being written.
func (g *registry) look(atEnd bool) {
	if g == nil {
		return
	}
	for _, h := range g.hives {
		info, err := os.Stat(h.file)
		if err != nil || info.Size() == h.size && info.ModTime().Equal(h.time) {
			continue
		}
		now, err := readHive(h.file)
		if err != nil {
			if atEnd {
				g.r.Gap(fmt.Sprintf("the registry in %s could not be read after the run: %v", filepath.Base(h.file), err))
			}
			continue
		}
		at := min(max(info.ModTime().Sub(g.r.Start), 0), g.r.Now())
		for _, c := range hive.Compare(h.last, now) {
			g.change(h.root, c, at)
		}
		h.last, h.size, h.time = now, info.Size(), info.ModTime()
	}
}

// change records what happened to one key.
func (g *registry) change(root string, c hive.Change, at time.Duration) {
	if slices.Contains(strings.Split(c.Path, `\`), "") {
		return // no key that a location could name
	}
	name := keyPath(root, c.Path)
	id := strings.ToLower(name)
	g.r.Mu.Lock()
	defer g.r.Mu.Unlock()
	f := g.keys[id]
	if f == nil {
		f = g.r.Declare(name, keyState(c.Before), 0, at)
		g.keys[id] = f
		g.r.Changed = append(g.r.Changed, f)
		f.Changed = true
	}
	e := trace.Event{At: at, File: f.N, Op: trace.Changed, What: named(c.Set, c.Gone)}
	switch {
	case c.Before == nil:
		e.Op = trace.Create
	case c.After == nil:
		e.Op = trace.Remove
	}
	if c.After != nil {
		e.Size = int64(len(c.After.Values))
	}
	f.Key = keyState(c.After)
	g.r.RecordFound(e)
}

// states are those of the keys that changed, as they are at the end.
func (g *registry) states() (list []trace.After) {
	if g == nil {
		return nil
	}
	for _, f := range g.keys {
		list = append(list, trace.After{File: f.N, State: f.Key})
	}
	slices.SortFunc(list, func(a, b trace.After) int { return a.File - b.File })
	return list
}

// keyPath is a key as a location.
func keyPath(root, below string) string {
	return place.Of(place.Registry, strings.Split(root+`\`+below, `\`), true).String()
}

func keyState(k *hive.Key) trace.State {
	if k == nil {
		return trace.State{Is: trace.IsAbsent}
	}
	s := trace.State{Is: trace.IsKey, Size: int64(len(k.Values)), Digest: k.Digest()}
	if !k.Time.IsZero() {
		s.Time = k.Time.UTC()
	}
	var names []string
	for _, v := range k.Values {
		names = append(names, v.Name)
	}
	if len(names) > 0 {
		s.Looks = "values: " + listed(names)
	}
	return s
}

// namesListed is how many values of a key are named.
const namesListed = 12

func listed(names []string) string {
	names = slices.Clone(names)
	for i, n := range names {
		if n == "" {
			names[i] = "the default value"
		}
	}
	if more := len(names) - namesListed; more > 0 {
		names = append(names[:namesListed], fmt.Sprintf("and %d more", more))
	}
	return strings.ToValidUTF8(strings.Join(names, ", "), "\uFFFD")
}

// named says which values were set and which removed.
func named(set, gone []string) string {
	var parts []string
	if len(set) > 0 {
		parts = append(parts, "set "+listed(set))
	}
	if len(gone) > 0 {
		parts = append(parts, "removed "+listed(gone))
	}
	return strings.Join(parts, "; ")
}
