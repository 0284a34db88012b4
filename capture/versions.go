package capture

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"endroit/core/content"
	"endroit/core/trace"
)

// Versions says where the content of small files is kept, and how much. The zero
// value keeps none.
type Versions struct {
	Folder string // made when the first is kept
	File   int64  // bytes, of one file
	Total  int64  // bytes, of all; DefaultTotal if 0
}

// What is kept if nothing else is said.
const (
	DefaultVersion = 16 << 20
	DefaultTotal   = 1 << 30
)

// VersionsBeside is the folder for the versions of a trace.
func VersionsBeside(trace string) string { return trace + ".versions" }

// Version is one content of one file.
type Version struct {
	Path   string        `json:"path"`
	Why    string        `json:"why"` // before, cue WORD, or end
	At     time.Duration `json:"at"`  // since the start
	Digest string        `json:"digest"`
	Size   int64         `json:"size"`
	Time   time.Time     `json:"time"`            // of its last change
	Bytes  []byte        `json:"bytes,omitempty"` // the path, if it is not UTF-8
}

// Content is the file that holds a version's content.
func (v Version) Content(folder string) string {
	return filepath.Join(folder, "content", v.Digest)
}

// keeping writes versions. Any goroutine may call it.
type keeping struct {
	o     Versions
	r     *recorder
	mu    sync.Mutex
	index *os.File
	have  map[string]bool // digests
	last  map[string]trace.State
	total int64
	full  bool
	n     int
}

func newKeeping(r *recorder, o Versions) *keeping {
	if o.Folder == "" || o.File <= 0 {
		return nil
	}
	if o.Total <= 0 {
		o.Total = DefaultTotal
	}
	return &keeping{o: o, r: r, have: map[string]bool{}, last: map[string]trace.State{}}
}

// maxVersions bounds the index.
const maxVersions = 100_000

// keep keeps the content of a file as it is, if it is small and not what was kept of
// it last, and returns its state with the digest. ok is false where nothing is known
// of the content. again reads it even where size and time are what they were: a
// program that writes through a memory map need not change them.
func (k *keeping) keep(path, why string, again bool) (state trace.State, ok bool) {
	return k.keepFrom(path, path, why, again)
}

// keepFrom is keep for a file that is reached by another path than its own.
func (k *keeping) keepFrom(path, probe, why string, again bool) (state trace.State, ok bool) {
	if k == nil {
		return state, false
	}
	state = stateOf(probe, probe != path) // a link of /proc leads to it; one in its own place is a link
	if state.Is != trace.IsFile || state.Size > k.o.File {
		return state, false
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	was, seen := k.last[path]
	if seen && !again && was.Size == state.Size && was.Time.Equal(state.Time) {
		return was, true
	}
	if k.full {
		return state, false
	}
	if leased(probe) {
		k.r.gap("a file was not read for its versions, since a program holds a lease on it, which opening it would break")
		return state, false
	}
	if k.n >= maxVersions {
		k.full = true
		k.r.gap(fmt.Sprintf("%d versions lie beside the trace, and no more are kept: later ones were not", k.n))
		return state, false
	}
	if k.total+state.Size > k.o.Total {
		k.full = true
		k.r.gap(fmt.Sprintf("the versions beside the trace would have come to more than their limit (%s in all): later ones were not kept", inMiB(k.o.Total)))
		return state, false
	}
	err, same := error(fs.ErrPermission), false
	behalf.Load().Do(func() {
		if state, err = k.take(probe, state); err != nil {
			return
		}
		if same = seen && was.Digest == state.Digest; !same {
			err = k.note(Version{Path: path, Why: why, At: k.r.now(), Digest: state.Digest, Size: state.Size, Time: state.Time})
		}
	})
	switch {
	case err == nil:
		k.last[path] = state
		return state, true
	case !errors.Is(err, os.ErrNotExist) && !errors.Is(err, os.ErrPermission):
		k.r.gap("a version of a file could not be kept beside the trace: " + reason(err))
		k.full = noSpace(err)
	}
	return state, false
}

// inMiB is a size in words: exact, as it was given.
func inMiB(n int64) string {
	if n%(1<<20) == 0 {
		return fmt.Sprintf("%d MiB", n>>20)
	}
	return fmt.Sprintf("%d bytes", n)
}

// makeWay keeps nothing more once an observed program removes the versions, or a folder
// that holds nothing else any more: what is kept must not be in the way of that.
func (k *keeping) makeWay(path string, folder bool) {
	if k == nil {
		return
	}
	inside := trace.Within(path, k.o.Folder)
	if !inside && !(folder && trace.Within(k.o.Folder, path) && holdsOnly(path, k.o.Folder)) {
		return
	}
	k.mu.Lock() // what is being kept is kept first
	defer k.mu.Unlock()
	if !k.full {
		k.full = true
		k.r.gap("the folder of the trace's versions was removed in the midst: later ones were not kept")
	}
	if folder {
		behalf.Load().Do(func() {
			_ = os.RemoveAll(k.o.Folder)
			if inside && path != k.o.Folder {
				_ = os.MkdirAll(path, 0o700) // which is what the program removes
			}
		})
	}
}

// holdsOnly reports whether a folder holds nothing, or nothing but another one, at any
// depth.
func holdsOnly(folder, other string) bool {
	for folder != other {
		entries, err := os.ReadDir(folder)
		if err == nil && len(entries) == 0 {
			return true
		}
		if err != nil || len(entries) > 1 {
			return false
		}
		folder = filepath.Join(folder, entries[0].Name())
		if !trace.Within(other, folder) {
			return false
		}
	}
	return true
}

// reason is an error without the person's paths: a gap is sent along with a footprint.
func reason(err error) string {
	var p *os.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return err.Error()
}

// take brings the content in: as a clone where the file system can, else by copying.
func (k *keeping) take(path string, state trace.State) (trace.State, error) {
	folder := filepath.Join(k.o.Folder, "content")
	for _, dir := range []string{k.o.Folder, folder} { // not those above: whoever removed them wants them gone
		if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
			return state, err
		}
	}
	in, err := OpenQuietly(path)
	if err != nil {
		return state, err
	}
	defer in.Close()
	out, err := os.CreateTemp(folder, "part-")
	if err != nil {
		return state, err
	}
	defer os.Remove(out.Name()) // gone already where all went well
	defer out.Close()
	sum, head := sha256.New(), &heading{}
	if cloned := clone(out, in); cloned {
		if info, err := out.Stat(); err == nil && info.Size() > k.o.File {
			return state, errGrew
		}
		state.Size, err = io.Copy(io.MultiWriter(sum, head), out)
	} else {
		state.Size, err = io.Copy(io.MultiWriter(out, sum, head), io.LimitReader(in, k.o.File+1))
	}
	if err != nil {
		return state, err
	}
	if state.Size > k.o.File {
		return state, errGrew
	}
	state.Digest = hex.EncodeToString(sum.Sum(nil))
	state.Looks = content.Looks(head.data)
	if k.have[state.Digest] {
		return state, nil
	}
	if err := out.Close(); err != nil {
		return state, err
	}
	if err := os.Rename(out.Name(), filepath.Join(folder, state.Digest)); err != nil {
		return state, err
	}
	k.have[state.Digest] = true
	k.total += state.Size
	return state, nil
}

var errGrew = errors.New("it grew while it was read")

// heading keeps the first bytes that are written to it.
type heading struct{ data []byte }

func (h *heading) Write(p []byte) (int, error) {
	h.data = append(h.data, p[:min(len(p), content.HeadSize-len(h.data))]...)
	return len(p), nil
}

// note writes a version into the index.
func (k *keeping) note(v Version) error {
	if k.index == nil {
		f, err := os.OpenFile(filepath.Join(k.o.Folder, "index.jsonl"), os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
		if err != nil {
			return err
		}
		k.index = f
	}
	if clean := strings.ToValidUTF8(v.Path, "\uFFFD"); clean != v.Path {
		v.Path, v.Bytes = clean, []byte(v.Path)
	}
	line, err := json.Marshal(v)
	if err != nil {
		return err
	}
	k.n++
	_, err = k.index.Write(append(line, '\n'))
	return err
}

// rereadLimit is the size in bytes up to which a file is read at a cue though neither
// size nor time changed.
const rereadLimit = 1 << 20

// keepChanged keeps what was changed since it was kept last.
func (k *keeping) keepChanged(why string, files []*seenFile, own func(path string) bool) {
	if k == nil {
		return
	}
	for _, f := range files {
		if f.key.Is == "" && own(f.path) {
			_, _ = k.keep(f.path, why, f.size <= rereadLimit)
		}
	}
}

func (k *keeping) close() error {
	if k == nil || k.index == nil {
		return nil
	}
	return k.index.Close()
}

// ReadVersions reads the index of the versions beside a trace, in the order in which
// they were kept. None if the folder is not there. A last line that was cut short is
// left out.
func ReadVersions(folder string) (list []Version, err error) {
	f, err := os.Open(filepath.Join(folder, "index.jsonl"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<20)
	for n := 1; lines.Scan(); n++ {
		var v Version
		if err := json.Unmarshal(lines.Bytes(), &v); err != nil {
			if !lines.Scan() {
				break
			}
			return nil, fmt.Errorf("%s: line %d is not one of an index of versions: %w", f.Name(), n, err)
		}
		if n > maxVersions {
			return nil, fmt.Errorf("%s has more than %d lines, more than any index of versions", f.Name(), maxVersions)
		}
		if raw, err := hex.DecodeString(v.Digest); err != nil || len(raw) != sha256.Size {
			return nil, fmt.Errorf("%s: line %d has no digest", f.Name(), n)
		}
		if v.Bytes != nil {
			v.Path = string(v.Bytes)
		}
		list = append(list, v)
	}
	return list, lines.Err()
}
