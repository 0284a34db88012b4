package watch

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture"
	"endroit/capture/cues"
	"endroit/capture/versions"
	"endroit/core/trace"
	"endroit/standin/winetest"
)

// watching is what was seen of a folder, by the names below it.
type watching struct {
	result capture.Result
	header trace.Header
	ops    map[string][]trace.Op
	told   map[string][]string // What
	to     map[string]string   // of a renaming
	files  map[string]trace.File
	after  map[string]trace.State
	cues   []string
	gaps   string
}

// watchWhile watches a folder while something happens, and reads the trace back.
func watchWhile(t *testing.T, change func(o *Options), happens func(folder string, cue func(word string))) watching {
	t.Helper()
	folder, err := filepath.EvalSymlinks(winetest.Temporary(t))
	require.NoError(t, err)
	game := filepath.Join(folder, "game")
	for name, text := range map[string]string{"old.sav": "before", "goes.tmp": "x", "sub/deep/inner.cfg": "a=1", "same.txt": "same"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(game, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(game, name), []byte(text), 0o644))
	}
	ctx, cancel := context.WithCancel(t.Context())
	var out bytes.Buffer
	sockets, err := os.MkdirTemp("", "cue") // short: sockets have short paths
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(sockets) })
	ready := make(chan struct{})
	o := Options{Folders: []Folder{{Folder: game, Own: true}}, Out: &out, Path: filepath.Join(game, "x.trace"), CueFolder: sockets, Ready: func(folders, files int) { close(ready) }}
	if change != nil {
		change(&o)
	}
	done := make(chan struct{})
	var result capture.Result
	var failed error
	go func() {
		defer close(done)
		result, failed = Run(ctx, o)
	}()
	select {
	case <-ready:
	case <-done:
		require.NoError(t, failed)
	}
	happens(game, func(word string) {
		m, err := cues.Mark(sockets, word, 0)
		require.NoError(t, err)
		assert.Equal(t, os.Getpid(), m.PID)
	})
	time.Sleep(time.Second) // what is notified comes a little later
	cancel()
	<-done
	require.NoError(t, failed)

	w := watching{result: result, ops: map[string][]trace.Op{}, told: map[string][]string{}, to: map[string]string{}, files: map[string]trace.File{}, after: map[string]trace.State{}}
	r, err := trace.NewReader(&out, trace.DefaultLimits)
	require.NoError(t, err)
	w.header = r.Header
	names := map[int]string{}
	for line, err := range r.Lines() {
		require.NoError(t, err)
		switch {
		case line.File != nil:
			name := strings.TrimPrefix(line.File.Path, capture.TracePath(game)+"/")
			names[line.File.N] = name
			w.files[name] = *line.File
		case line.Event != nil:
			name := names[line.Event.File]
			assert.Zero(t, line.Event.Process, "who wrote cannot be known")
			w.ops[name] = append(w.ops[name], line.Event.Op)
			w.told[name] = append(w.told[name], line.Event.What)
			if line.Event.To != 0 {
				w.to[name] = names[line.Event.To]
			}
		case line.After != nil:
			w.after[names[line.After.File]] = line.After.State
		case line.Cue != nil:
			w.cues = append(w.cues, line.Cue.Word)
		case line.Gap != nil:
			w.gaps += line.Gap.What + "\n"
		}
	}
	assert.Empty(t, r.Cut())
	return w
}

// temporary is a folder for a test, which is removed as far as the system lets it:
// Debian's Wine 8 refuses what Go asks for.
func TestWatchSeesWhatChanges(t *testing.T) {
	pause := func() { time.Sleep(300 * time.Millisecond) }
	w := watchWhile(t, nil, func(game string, cue func(string)) {
		winetest.Write(t, filepath.Join(game, "old.sav"), "after this")
		winetest.Write(t, filepath.Join(game, "new.sav"), "new")
		pause()
		cue("saved")
		require.NoError(t, os.Remove(filepath.Join(game, "goes.tmp")))
		winetest.Write(t, filepath.Join(game, "sub", "deep", "inner.cfg"), "a=22")
		pause()
		winetest.Write(t, filepath.Join(game, "part.new"), "whole")
		pause()
		require.NoError(t, os.Rename(filepath.Join(game, "part.new"), filepath.Join(game, "whole.sav")))
		winetest.Write(t, filepath.Join(game, "made", "below", "far.sav"), "far")
		pause()
		winetest.Write(t, filepath.Join(game, "x.trace"), "the trace itself")
		require.NoError(t, os.Mkdir(filepath.Join(game, "empty"), 0o755))
		pause()
		require.NoError(t, os.Remove(filepath.Join(game, "empty")))
	})
	assert.Contains(t, w.ops["old.sav"], trace.Changed)
	assert.NotContains(t, w.ops["old.sav"], trace.Create)
	assert.EqualValues(t, 10, w.after["old.sav"].Size)
	assert.Len(t, w.after["old.sav"].Digest, 64)
	assert.EqualValues(t, 6, w.files["old.sav"].Before.Size)
	assert.Equal(t, trace.Create, w.ops["new.sav"][0])
	assert.Equal(t, trace.IsAbsent, w.files["new.sav"].Before.Is)
	assert.Equal(t, []trace.Op{trace.Remove}, w.ops["goes.tmp"])
	assert.Equal(t, trace.IsAbsent, w.after["goes.tmp"].Is)
	assert.Contains(t, w.ops["sub/deep/inner.cfg"], trace.Changed)
	assert.Contains(t, w.ops["part.new"], trace.Rename)
	assert.Equal(t, "whole.sav", w.to["part.new"])
	assert.Contains(t, w.ops["made"], trace.MakeFolder)
	assert.NotEmpty(t, w.ops["made/below/far.sav"])
	assert.Contains(t, w.ops["empty"], trace.RemoveFolder)
	assert.NotContains(t, w.files, "same.txt")
	assert.NotContains(t, w.files, "x.trace", "the trace is no finding")
	assert.Equal(t, []string{"saved"}, w.cues)
	assert.Contains(t, w.gaps, "reads and the programs that wrote cannot be seen")
	assert.NotContains(t, w.gaps, "lost")
	assert.Equal(t, map[string]string{"linux": "linux", "windows": "windows", "darwin": "macos"}[runtime.GOOS], w.header.OS)
	assert.Equal(t, "change notifications", w.header.Observer)
	assert.Positive(t, w.result.Changed)
	assert.NotContains(t, w.header.User, `\`)
}

func TestWatchToADepth(t *testing.T) {
	w := watchWhile(t, func(o *Options) { o.Folders[0].Depth = 2 }, func(game string, _ func(string)) {
		winetest.Write(t, filepath.Join(game, "sub", "seen.sav"), "x")
		winetest.Write(t, filepath.Join(game, "sub", "deep", "inner.cfg"), "a=22")
		winetest.Write(t, filepath.Join(game, "made", "seen.sav"), "x")
		time.Sleep(100 * time.Millisecond)
		winetest.Write(t, filepath.Join(game, "made", "deeper", "unseen.sav"), "x")
	})
	assert.Contains(t, w.files, "sub/seen.sav")
	assert.Contains(t, w.files, "made/seen.sav")
	assert.NotContains(t, w.files, "sub/deep/inner.cfg")
	assert.NotContains(t, w.files, "made/deeper/unseen.sav")
}

// What no notification told is found by comparing, and said to be.
func TestWatchComparesAtTheEnd(t *testing.T) {
	w := watchWhile(t, func(o *Options) {
		ready := o.Ready
		o.Ready = func(folders, files int) {
			assert.Equal(t, 3, folders)
			assert.Equal(t, 6, files)
			ready(folders, files)
		}
	}, func(game string, cue func(string)) {
		quietly := time.Date(2026, 1, 2, 3, 4, 5, 0, time.UTC)
		winetest.Write(t, filepath.Join(game, "old.sav"), "behind")
		require.NoError(t, os.Chtimes(filepath.Join(game, "old.sav"), quietly, quietly))
	})
	assert.NotEmpty(t, w.ops["old.sav"])

	// The comparison alone: nothing is notified of.
	folder, err := filepath.EvalSymlinks(winetest.Temporary(t))
	require.NoError(t, err)
	for _, name := range []string{"a", "b", "c"} {
		winetest.Write(t, filepath.Join(folder, name), name)
	}
	var out bytes.Buffer
	tw, err := trace.NewWriter(&out, watchHeader(Options{}, time.Now()))
	require.NoError(t, err)
	r := capture.NewRecorder(time.Now())
	r.Begin(tw)
	x := &watch{o: Options{Folders: []Folder{{Folder: folder}}}, r: r, known: capture.ScanFolders([]string{folder}, 0, capture.TreeLimit), depth: map[string]int{}, unwatched: 4}
	winetest.Write(t, filepath.Join(folder, "a"), "longer than it was")
	require.NoError(t, os.Remove(filepath.Join(folder, "b")))
	winetest.Write(t, filepath.Join(folder, "d"), "new")
	x.compare()
	_, gaps, err := r.Close()
	require.NoError(t, err)
	require.Len(t, gaps, 1)
	assert.Contains(t, gaps[0].What, "4 folders gave no notifications")
	assert.Len(t, r.Files, 3)
	back, err := trace.NewReader(&out, trace.DefaultLimits)
	require.NoError(t, err)
	var ops []trace.Op
	for line, err := range back.Lines() {
		require.NoError(t, err)
		if line.Event != nil {
			ops = append(ops, line.Event.Op)
			assert.Equal(t, foundByComparing, line.Event.What)
		}
	}
	assert.Equal(t, []trace.Op{trace.Changed, trace.Remove, trace.Create}, ops)
}

func TestWatchKeepsVersions(t *testing.T) {
	var kept string
	w := watchWhile(t, func(o *Options) {
		kept = versions.Beside(o.Path)
		o.Versions = versions.Options{Folder: kept, File: 100}
	}, func(game string, cue func(string)) {
		winetest.Write(t, filepath.Join(game, "old.sav"), "after this")
		winetest.Write(t, filepath.Join(game, "large.sav"), strings.Repeat("x", 101))
		require.Eventually(t, func() bool { // once the change was notified of, a cue keeps it
			cue("saved")
			time.Sleep(300 * time.Millisecond)
			list, _ := versions.Read(kept)
			return len(list) >= 5
		}, time.Minute, 10*time.Millisecond)
		require.NoError(t, os.Remove(filepath.Join(game, "old.sav")))
	})
	list, err := versions.Read(kept)
	require.NoError(t, err)
	var of []string
	for _, v := range list {
		if strings.HasSuffix(v.Path, "/old.sav") {
			data, err := os.ReadFile(v.Content(kept))
			require.NoError(t, err)
			of = append(of, v.Why+": "+string(data))
		}
		assert.NotContains(t, v.Path, "large.sav")
	}
	assert.Equal(t, []string{"before: before", "cue saved: after this"}, of)
	for name := range w.files {
		assert.NotContains(t, name, ".versions", "what is kept is no finding")
	}

	w = watchWhile(t, func(o *Options) {
		o.Versions = versions.Options{Folder: versions.Beside(o.Path), File: 100, Total: 8}
	}, func(string, func(string)) {})
	assert.Contains(t, w.gaps, "what files held before was not kept")
}
