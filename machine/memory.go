package machine

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"github.com/fxamacker/cbor/v2"

	"endroit/core/hive"
	"endroit/core/place"
	"endroit/safefile"
)

// How the memory is written and read: CBOR (RFC 8949), in a third of JSON's time.
var (
	memoryWriter, _ = cbor.EncOptions{Time: cbor.TimeRFC3339Nano}.EncMode() // the options are constant
	memoryReader, _ = cbor.DecOptions{MaxMapPairs: maxHives, MaxArrayElements: maxHives}.DecMode()
)

// maxHives bounds what is read of the memory's lists.
const maxHives = 1 << 17

// memory keeps what was read of the hives of prefixes from one time to the next: a
// hive has megabytes, of which a few keys matter. An entry counts only for the same
// file, of the same size and times of change, that was at rest when it was read.
type memory struct {
	file  string // empty where nothing is kept
	keys  []string
	asked []string // the same, as they were given

	lock    sync.Mutex
	before  map[string]remembered
	now     map[string]remembered
	changed bool
}

// remembered is what was read of one hive.
type remembered struct {
	Size int64     `json:"size"`
	Time time.Time `json:"time"`
	// Same changes with everything that is done to the file, where the system tells:
	// its number, and when its entry was changed, which no program can set back.
	Same string     `json:"same,omitempty"`
	Root string     `json:"root"`
	Keys []hive.Key `json:"keys"`
}

// kept is the file.
type keptHives struct {
	Version int                   `json:"version"`
	Keys    []string              `json:"keys"` // that were asked for
	Hives   map[string]remembered `json:"hives"`
}

const (
	memoryVersion = 2
	maxMemory     = 64 << 20 // bytes of the file
)

// remember opens the memory for keys. What cannot be read of it is read again.
func remember(roots place.Roots, keys []string) *memory {
	m := &memory{keys: slices.Sorted(slices.Values(keys)), asked: keys, now: map[string]remembered{}}
	cache := roots[place.XDGCache]
	if cache == "" {
		return m
	}
	m.file = filepath.Join(cache, "endroit", "hives.cbor")
	data, err := safefile.Read(m.file, maxMemory)
	if err != nil {
		return m
	}
	var k keptHives
	if memoryReader.Unmarshal(data, &k) == nil && k.Version == memoryVersion && slices.Equal(k.Keys, m.keys) {
		m.before = k.Hives
	}
	return m
}

// hive gives what was read of a file that is still the same; nil if it has to be
// read. A nil memory remembers nothing.
func (m *memory) hive(file string, keys []string) *hive.Hive {
	if m == nil || !slices.Equal(keys, m.asked) {
		return nil
	}
	info, err := os.Stat(file)
	if err != nil {
		return nil
	}
	r, ok := m.before[file]
	if !ok || r.Size != info.Size() || !r.Time.Equal(info.ModTime()) || r.Same != sameFile(info) {
		return nil
	}
	m.lock.Lock()
	defer m.lock.Unlock()
	m.now[file] = r
	return hive.New(r.Root, r.Keys)
}

// keep remembers what was read of a file.
func (m *memory) keep(file string, info fs.FileInfo, keys []string, h *hive.Hive) {
	if m == nil || !slices.Equal(keys, m.asked) {
		return
	}
	m.lock.Lock()
	defer m.lock.Unlock()
	m.now[file], m.changed = remembered{info.Size(), info.ModTime(), sameFile(info), h.Root, h.Keys}, true
}

// save writes the memory, if it changed. That it cannot be written costs time
// alone, so nothing is reported.
func (m *memory) save() {
	if m.file == "" || !m.changed && len(m.now) == len(m.before) {
		return
	}
	data, err := memoryWriter.Marshal(keptHives{memoryVersion, m.keys, m.now})
	if err != nil || len(data) > maxMemory || os.MkdirAll(filepath.Dir(m.file), 0o700) != nil {
		return
	}
	_ = safefile.Write(m.file, data)
}
