// Package versions keeps the content of small files beside a trace: as it was before the
// run changed it, at each cue and at the end.
//
//	keeper := versions.New(recorder, versions.Options{Folder: versions.Beside(name), File: versions.DefaultFile})
//	state, ok := keeper.Keep(path, "before", false)
package versions

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

	"endroit/capture"
	"endroit/core/content"
	"endroit/core/trace"
)

// Options says where the content of small files is kept, and how much. The zero
// value keeps none.
type Options struct {
	Folder string // made when the first is kept
	File   int64  // bytes, of one file
	Total  int64  // bytes, of all; DefaultTotal if 0
}

// What is kept by default.
const (
	DefaultFile  = 16 << 20
	DefaultTotal = 1 << 30
)

// Beside is the folder for the versions of a trace.
func Beside(trace string) string { return trace + ".versions" }

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

// Keeper writes versions. Any goroutine may call it.
type Keeper struct {
	Options Options
	r       *capture.Recorder
	mu      sync.Mutex
	index   *os.File
	have    map[string]bool // digests
	last    map[string]trace.State
	total   int64
	full    bool
	n       int
}

func New(r *capture.Recorder, o Options) *Keeper {
	if o.Folder == "" || o.File <= 0 {
		return nil
	}
	if o.Total <= 0 {
		o.Total = DefaultTotal
	}
	return &Keeper{Options: o, r: r, have: map[string]bool{}, last: map[string]trace.State{}}
}

// MaxVersions bounds the index.
const MaxVersions = 100_000

// Keep keeps the content of a file as it is, if it is small and not what was kept of
// it last, and returns its state with the digest. ok is false where nothing is known
// of the content. again reads it even where size and time are what they were: a
// program that writes through a memory map need not change them.
func (k *Keeper) Keep(path, why string, again bool) (state trace.State, ok bool) {
	return k.KeepFrom(path, path, why, again)
}

// KeepFrom is keep for a file that is reached by another path than its own.
func (k *Keeper) KeepFrom(path, probe, why string, again bool) (state trace.State, ok bool) {
	if k == nil {
		return state, false
	}
	state = capture.StateOf(probe, probe != path) // a link of /proc leads to it; one in its own place is a link
	if state.Is != trace.IsFile || state.Size > k.Options.File {
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
		k.r.Gap("a file was not read for its versions, since a program holds a lease on it, which opening it would break")
		return state, false
	}
	if k.n >= MaxVersions {
		k.full = true
		k.r.Gap(fmt.Sprintf("%d versions lie beside the trace, and no more are kept: later ones were not", k.n))
		return state, false
	}
	if k.total+state.Size > k.Options.Total {
		k.full = true
		k.r.Gap(fmt.Sprintf(
			"the versions beside the trace reached their limit (%s in total): later ones were not kept",
			inMiB(k.Options.Total),
		))
		return state, false
	}
	err, same := error(fs.ErrPermission), false
	capture.Behalf.Load().Do(func() {
		if state, err = k.take(probe, state); err != nil {
			return
		}
		if same = seen && was.Digest == state.Digest; !same {
			err = k.note(Version{Path: path, Why: why, At: k.r.Now(), Digest: state.Digest, Size: state.Size, Time: state.Time})
		}
	})
	switch {
	case err == nil:
		k.last[path] = state
		return state, true
	case !errors.Is(err, os.ErrNotExist) && !errors.Is(err, os.ErrPermission):
		k.r.Gap("a version of a file could not be kept beside the trace: " + Reason(err))
		k.full = NoSpace(err)
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

// StopIfRemoved keeps nothing more once an observed program removes the versions, or a folder
// that holds nothing else any more: what is kept must not be in the way of that.
func (k *Keeper) StopIfRemoved(path string, folder bool) {
	if k == nil {
		return
	}
	inside := trace.Within(path, k.Options.Folder)
	if !inside && !(folder && trace.Within(k.Options.Folder, path) && holdsOnly(path, k.Options.Folder)) {
		return
	}
	k.mu.Lock() // what is being kept is kept first
	defer k.mu.Unlock()
	if !k.full {
		k.full = true
		k.r.Gap("the folder of the trace's versions was removed during the run: later ones were not kept")
	}
	if folder {
		capture.Behalf.Load().Do(func() {
			_ = os.RemoveAll(k.Options.Folder)
			if inside && path != k.Options.Folder {
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

// Reason is an error without the person's paths: a gap is sent along with a footprint.
func Reason(err error) string {
	var p *os.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return err.Error()
}

// take brings the content in: as a clone where the file system can, else by copying.
func (k *Keeper) take(path string, state trace.State) (trace.State, error) {
	folder := filepath.Join(k.Options.Folder, "content")
	for _, dir := range []string{k.Options.Folder, folder} { // not those above: whoever removed them wants them gone
		if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
			return state, err
		}
	}
	in, err := capture.OpenQuietly(path)
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
		if info, err := out.Stat(); err == nil && info.Size() > k.Options.File {
			return state, errGrew
		}
		state.Size, err = io.Copy(io.MultiWriter(sum, head), out)
	} else {
		state.Size, err = io.Copy(io.MultiWriter(out, sum, head), io.LimitReader(in, k.Options.File+1))
	}
	if err != nil {
		return state, err
	}
	if state.Size > k.Options.File {
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
func (k *Keeper) note(v Version) error {
	if k.index == nil {
		f, err := os.OpenFile(filepath.Join(k.Options.Folder, "index.jsonl"), os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
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

// KeepChanged keeps what was changed since it was kept last.
func (k *Keeper) KeepChanged(why string, files []*capture.File, own func(path string) bool) {
	if k == nil {
		return
	}
	for _, f := range files {
		if f.Key.Is == "" && own(f.Path) {
			_, _ = k.Keep(f.Path, why, f.Size <= rereadLimit)
		}
	}
}

func (k *Keeper) Close() error {
	if k == nil || k.index == nil {
		return nil
	}
	return k.index.Close()
}

// Read reads the index of the versions beside a trace, in the order in which
// they were kept. None if the folder is not there. A last line that was cut short is
// left out.
func Read(folder string) (list []Version, err error) {
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
		if n > MaxVersions {
			return nil, fmt.Errorf("%s has more than %d lines, more than any index of versions", f.Name(), MaxVersions)
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
