//go:build amd64 || arm64

package calls

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// A random sequence of operations is run under observation. The program writes down what
// the kernel said of each; from that and from its arguments alone the events follow that
// the trace has to tell, and from those the files that there are afterwards.

// step is an operation and what became of it.
type step struct {
	Op, A, B string
	Flags    int
	Done     bool
	Was      bool // the name was there before
	Folder   bool // what A was
	Both     bool // of an exchange: B was a folder
}

var randomNames = []string{"a", "b", "c", "d/a", "d/b", "e/a", "e/f/a", "d", "e", "e/f", "l", "l/a"}

func init() {
	capturetest.Acts["random"] = func() error {
		seed, err := strconv.ParseUint(os.Getenv("ENDROIT_SEED"), 10, 64)
		if err != nil {
			return err
		}
		out, err := os.Create(os.Getenv("ENDROIT_STEPS"))
		if err != nil {
			return err
		}
		w := json.NewEncoder(out)
		r := rand.New(rand.NewPCG(seed, 1))
		for range 60 {
			s := step{A: randomNames[r.IntN(len(randomNames))], B: randomNames[r.IntN(len(randomNames))]}
			s.take(r)
			if err := w.Encode(s); err != nil {
				return err
			}
		}
		return out.Close()
	}
}

// take makes the step.
func (s *step) take(r *rand.Rand) {
	a, b := s.A, s.B
	s.A, s.B = realName(a, false), realName(b, false) // as they are recorded
	info, err := os.Lstat(a)
	s.Was, s.Folder = err == nil, err == nil && info.IsDir()
	if b, err := os.Lstat(b); err == nil {
		s.Both = b.IsDir()
	}
	switch r.IntN(12) {
	case 0, 1, 2:
		s.Op = "open"
		s.Flags = []int{unix.O_RDONLY, unix.O_WRONLY | unix.O_CREAT, unix.O_RDWR | unix.O_CREAT | unix.O_TRUNC, unix.O_WRONLY | unix.O_APPEND, unix.O_WRONLY | unix.O_CREAT | unix.O_EXCL, unix.O_RDONLY | unix.O_DIRECTORY}[r.IntN(6)]
		if s.Flags&unix.O_EXCL == 0 {
			s.A = realName(a, true)
		}
		_, err := os.Stat(a)
		s.Was = err == nil
		info, _ := os.Stat(a)
		s.Folder = s.Was && info.IsDir()
		fd, err := unix.Open(a, s.Flags, 0o600)
		if s.Done = err == nil; s.Done {
			_ = unix.Close(fd)
		}
	case 3, 4:
		s.Op, s.Done = "mkdir", unix.Mkdir(a, 0o700) == nil
	case 5:
		s.Op, s.Done = "unlink", unix.Unlink(a) == nil
	case 6:
		s.Op, s.Done = "rmdir", unix.Rmdir(a) == nil
	case 7, 8:
		s.Op = "rename"
		one, err1 := os.Lstat(a)
		two, err2 := os.Lstat(b)
		s.Done = unix.Rename(a, b) == nil && !(err1 == nil && err2 == nil && os.SameFile(one, two))
	case 9:
		s.Op = "exchange"
		one, err1 := os.Lstat(a)
		two, err2 := os.Lstat(b)
		s.Done = unix.Renameat2(unix.AT_FDCWD, a, unix.AT_FDCWD, b, unix.RENAME_EXCHANGE) == nil && !(err1 == nil && err2 == nil && os.SameFile(one, two))
	case 10:
		s.Op, s.Done = "link", unix.Link(a, b) == nil
	case 11:
		s.Op, s.Done = "symlink", unix.Symlink("d", a) == nil
	}
}

// realName is the name of what a path leads to, from the folder.
func realName(name string, follow bool) string {
	here, _ := os.Getwd()
	for range 10 {
		dir, err := filepath.EvalSymlinks(filepath.Join(here, filepath.Dir(name)))
		if err != nil {
			return name
		}
		name = strings.TrimPrefix(filepath.Join(dir, filepath.Base(name)), here+"/")
		to, err := os.Readlink(name)
		if err != nil || !follow {
			return name
		}
		name = filepath.Join(filepath.Dir(name), to)
	}
	return name
}

// told is the event that has to be recorded for a step; empty if it has to be none.
func (s step) told() string {
	a, b := s.A, s.B
	switch {
	case s.Op == "open" && !s.Done:
		return "?" // missed, or refused
	case s.Op == "open" && s.Folder:
		return "list " + a
	case s.Op == "open" && !s.Was:
		return "create " + a
	case s.Op == "open" && s.Flags&unix.O_TRUNC != 0:
		return "replace " + a
	case s.Op == "open" && s.Flags&unix.O_APPEND != 0:
		return "append " + a
	case s.Op == "open" && s.Flags&unix.O_ACCMODE != unix.O_RDONLY:
		return "update " + a
	case s.Op == "open":
		return "read " + a
	case !s.Done:
		return ""
	}
	return map[string]string{"mkdir": "make-folder " + a, "unlink": "remove " + a, "rmdir": "remove-folder " + a, "rename": "rename " + a + " " + b, "exchange": "exchange " + a + " " + b, "link": "link " + a + " " + b, "symlink": "symlink " + a}[s.Op]
}

func TestRandomOperationsAreToldAsTheyWere(t *testing.T) {
	rounds := 60
	if testing.Short() {
		rounds = 10
	}
	for seed := range rounds {
		folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
		steps := filepath.Join(t.TempDir(), "steps")
		t.Chdir(folder)
		t.Setenv("HOME", folder)
		t.Setenv("ENDROIT_ACT", "random")
		t.Setenv("ENDROIT_SEED", strconv.Itoa(seed))
		t.Setenv("ENDROIT_STEPS", steps)
		var buf bytes.Buffer
		result, err := Run(context.Background(), Options{Command: []string{os.Args[0]}, Out: &buf, Stderr: os.Stderr, CueFolder: filepath.Join(t.TempDir(), "c")})
		require.NoError(t, err)
		require.Equal(t, 0, result.Status)
		whole := bytes.Clone(buf.Bytes())
		got := capturetest.ReadBack(t, &buf, folder)
		require.Empty(t, got.Gaps)

		d := json.NewDecoder(bytes.NewReader(capturetest.Must(os.ReadFile(steps))))
		var want []string
		for d.More() {
			var s step
			require.NoError(t, d.Decode(&s))
			if e := s.told(); e != "" {
				want = append(want, e)
			}
		}
		compareEvents(t, fmt.Sprintf("seed %d", seed), want, got)

		// What the events say is there at the end, is there.
		there := map[string]bool{}
		for _, e := range got.All {
			from, to := got.NameOf[e.File], got.NameOf[e.To]
			switch e.Op {
			case trace.Create, trace.MakeFolder, trace.Symlink:
				there[from] = true
			case trace.Remove, trace.RemoveFolder:
				delete(there, from)
			case trace.Rename:
				there[to] = true
				delete(there, from)
			case trace.Link:
				there[to] = true
			}
		}
		var model, real []string
		for _, name := range slices.Sorted(maps.Keys(there)) {
			if !strings.HasPrefix(name, "/") {
				model = append(model, name)
			}
		}
		require.NoError(t, filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
			if path != folder {
				real = append(real, strings.TrimPrefix(path, folder+"/"))
			}
			return err
		}))
		slices.Sort(real)
		assert.Equal(t, real, model, "seed %d", seed)

		// The footprint has the same files, as they are.
		r, err := trace.NewReader(bytes.NewReader(whole), trace.DefaultLimits)
		require.NoError(t, err)
		fp, err := footprint.FromTrace(r)
		require.NoError(t, err)
		for _, f := range fp.Files {
			if !strings.HasPrefix(f.Path, folder+"/") {
				continue
			}
			info, err := os.Lstat(f.Path)
			if f.After.Is == trace.IsFile && err == nil {
				assert.EqualValues(t, info.Size(), f.After.Size, "seed %d: %s", seed, f.Path)
			}
			if info == nil || info.Mode()&fs.ModeSymlink == 0 {
				assert.Equal(t, err != nil, f.After.Is == trace.IsAbsent, "seed %d: %s", seed, f.Path)
			}
		}
	}
}

// compareEvents holds the events of a trace against those that have to be. Files that a
// folder took along are recorded as well.
func compareEvents(t *testing.T, what string, want []string, got capturetest.Observed) {
	t.Helper()
	var list []string
	for _, e := range got.All {
		name := got.NameOf[e.File]
		if strings.HasPrefix(name, "/") || e.Op == trace.Changed || e.Op == trace.Position || e.What == trace.WithFolder || name == filepath.Base(got.Folder) {
			continue
		}
		text := string(e.Op) + " " + name
		if e.To != 0 {
			text += " " + got.NameOf[e.To]
		}
		list = append(list, text)
	}
	i := 0
	for _, w := range want {
		if w == "?" { // an opening that failed: told as missed, or not at all
			if i < len(list) && strings.HasPrefix(list[i], "missed ") {
				i++
			}
			continue
		}
		if i >= len(list) || w != list[i] {
			assert.Fail(t, "another event", "%s: wanted %q as number %d of\n%s\nwanted\n%s", what, w, i, strings.Join(list, "\n"), strings.Join(want, "\n"))
			return
		}
		i++
	}
	assert.Equal(t, len(list), i, "%s: more was told than happened: %v", what, list[min(i, len(list)):])
}
