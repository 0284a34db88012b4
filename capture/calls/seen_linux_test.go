//go:build amd64 || arm64

package calls

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
	"endroit/capture/cues"
	"endroit/capture/processes"
	"endroit/capture/sampling"
	"endroit/capture/versions"
	"endroit/core/trace"
)

// What /proc tells of a descriptor: where it is in the file, and how it was opened.
func TestDescriptorsAreRead(t *testing.T) {
	name := filepath.Join(t.TempDir(), "a")
	f, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	require.NoError(t, err)
	defer f.Close()
	_, err = f.WriteString("seven b")
	require.NoError(t, err)
	position, flags, ok := processes.FDInfo("/proc/self/fdinfo/" + filepath.Base(fdName(t, f)))
	assert.True(t, ok)
	assert.EqualValues(t, 7, position)
	assert.Equal(t, unix.O_WRONLY, flags&unix.O_ACCMODE)
	assert.NotZero(t, flags&unix.O_APPEND)
	for _, bad := range []string{"", "pos:\tx\nflags:\t0\n", "pos:\t1\n", "flags:\t9\npos:\t1\n"} {
		file := filepath.Join(t.TempDir(), "info")
		require.NoError(t, os.WriteFile(file, []byte(bad), 0o600))
		_, _, ok := processes.FDInfo(file)
		assert.False(t, ok, "%q", bad)
	}
	_, _, ok = processes.FDInfo("/proc/self/fdinfo/100000")
	assert.False(t, ok)
}

// fdName is the entry of a file's descriptor.
func fdName(t *testing.T, f *os.File) string {
	t.Helper()
	entries, err := os.ReadDir("/proc/self/fd")
	require.NoError(t, err)
	i := slices.IndexFunc(entries, func(e os.DirEntry) bool {
		target, _ := os.Readlink("/proc/self/fd/" + e.Name())
		return target == f.Name()
	})
	require.GreaterOrEqual(t, i, 0)
	return entries[i].Name()
}

// Versions are clones where the file system shares blocks, and copies elsewhere; either
// way a change of the file leaves them as they were.
func TestAVersionStaysAsItWas(t *testing.T) {
	folder := t.TempDir()
	name := filepath.Join(folder, "a.sav")
	require.NoError(t, os.WriteFile(name, []byte("before"), 0o600))
	r, w := capturetest.QuietRecorder(t)
	k := versions.New(r, versions.Options{Folder: filepath.Join(folder, "v"), File: 100})
	state, ok := k.Keep(name, "before", false)
	require.True(t, ok)
	assert.Equal(t, "text", state.Looks)
	f := capturetest.Must(os.OpenFile(name, os.O_WRONLY, 0))
	_, err := f.WriteAt([]byte("after!"), 0)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	assert.Equal(t, "before", string(capturetest.Must(os.ReadFile(filepath.Join(folder, "v", "content", state.Digest)))))
	require.NoError(t, os.Remove(name))
	_, ok = k.Keep(name, "end", true)
	assert.False(t, ok, "what is gone has no version")
	link := filepath.Join(folder, "pipe")
	require.NoError(t, unix.Mkfifo(link, 0o600))
	_, ok = k.Keep(link, "end", true)
	assert.False(t, ok, "a pipe is not waited for")
	require.NoError(t, k.Close())
	w()
	var none *versions.Keeper
	_, ok = none.Keep(name, "end", true)
	assert.False(t, ok)
	assert.NoError(t, none.Close())
	none.KeepChanged("end", nil, nil)
}

// quietRecorder is one whose trace nobody reads; done ends it.
// Gaps of one kind are one line with a count.
func TestGapsAreCounted(t *testing.T) {
	r, _ := capturetest.QuietRecorder(t)
	r.Gap("once")
	r.GapTimes("often", 3)
	r.Gap("often")
	_, gaps, err := r.Close()
	require.NoError(t, err)
	require.Len(t, gaps, 2)
	assert.Equal(t, []int{1, 4}, []int{gaps[0].N, gaps[1].N})
	assert.Zero(t, r.Now()%1000, "times are whole microseconds")
}

// A running trace tells where it writes, so that others can read along.
func TestARunningTraceIsFound(t *testing.T) {
	_, err := cues.Find(filepath.Join(t.TempDir(), "none"), 0)
	assert.ErrorIs(t, err, cues.ErrNoTrace)
	folder := capturetest.Must(os.MkdirTemp("", "cue"))
	defer os.RemoveAll(folder)
	r, done := capturetest.QuietRecorder(t)
	defer done()
	l, err := cues.Listen(folder, &cues.Run{Recorder: r, Sampler: sampling.New(r, trace.Header{}, nil), Header: trace.Header{Title: "Tidewrack"}, Path: "/x/y.trace"})
	require.NoError(t, err)
	found, err := cues.Find(folder, 0)
	require.NoError(t, err)
	assert.Equal(t, cues.Running{PID: os.Getpid(), Title: "Tidewrack", Trace: "/x/y.trace"}, found)
	assert.True(t, cues.IsRunning(found.PID))
	assert.False(t, cues.IsRunning(1<<22+1), "more than there can be")
	_, err = cues.Find(folder, 1)
	assert.ErrorContains(t, err, "no trace with process id 1")
	l.Close()
	_, err = cues.Find(folder, 0)
	assert.ErrorIs(t, err, cues.ErrNoTrace)
}
