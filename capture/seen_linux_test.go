//go:build amd64 || arm64

package capture

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

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
	position, flags, ok := fdInfo("/proc/self/fdinfo/" + filepath.Base(fdName(t, f)))
	assert.True(t, ok)
	assert.EqualValues(t, 7, position)
	assert.Equal(t, unix.O_WRONLY, flags&unix.O_ACCMODE)
	assert.NotZero(t, flags&unix.O_APPEND)
	for _, bad := range []string{"", "pos:\tx\nflags:\t0\n", "pos:\t1\n", "flags:\t9\npos:\t1\n"} {
		file := filepath.Join(t.TempDir(), "info")
		require.NoError(t, os.WriteFile(file, []byte(bad), 0o600))
		_, _, ok := fdInfo(file)
		assert.False(t, ok, "%q", bad)
	}
	_, _, ok = fdInfo("/proc/self/fdinfo/100000")
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
	r, w := quietRecorder(t)
	k := newKeeping(r, Versions{Folder: filepath.Join(folder, "v"), File: 100})
	state, ok := k.keep(name, "before", false)
	require.True(t, ok)
	assert.Equal(t, "text", state.Looks)
	f := must(os.OpenFile(name, os.O_WRONLY, 0))
	_, err := f.WriteAt([]byte("after!"), 0)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	assert.Equal(t, "before", string(must(os.ReadFile(filepath.Join(folder, "v", "content", state.Digest)))))
	require.NoError(t, os.Remove(name))
	_, ok = k.keep(name, "end", true)
	assert.False(t, ok, "what is gone has no version")
	link := filepath.Join(folder, "pipe")
	require.NoError(t, unix.Mkfifo(link, 0o600))
	_, ok = k.keep(link, "end", true)
	assert.False(t, ok, "a pipe is not waited for")
	require.NoError(t, k.close())
	w()
	var none *keeping
	_, ok = none.keep(name, "end", true)
	assert.False(t, ok)
	assert.NoError(t, none.close())
	none.keepChanged("end", nil, nil)
}

// quietRecorder is one whose trace nobody reads; done ends it.
func quietRecorder(t *testing.T) (r *recorder, done func()) {
	t.Helper()
	w, err := trace.NewWriter(discard{}, trace.Header{})
	require.NoError(t, err)
	r = newRecorder(must(os.Stat("/")).ModTime())
	r.begin(w)
	return r, func() {
		_, _, err := r.close()
		require.NoError(t, err)
	}
}

type discard struct{}

func (discard) Write(p []byte) (int, error) { return len(p), nil }

// Gaps of one kind are one line with a count.
func TestGapsAreCounted(t *testing.T) {
	r, _ := quietRecorder(t)
	r.gap("once")
	r.gapTimes("often", 3)
	r.gap("often")
	_, gaps, err := r.close()
	require.NoError(t, err)
	require.Len(t, gaps, 2)
	assert.Equal(t, []int{1, 4}, []int{gaps[0].N, gaps[1].N})
	assert.Zero(t, r.now()%1000, "times are whole microseconds")
}

// A running trace tells where it writes, so that others can read along.
func TestARunningTraceIsFound(t *testing.T) {
	_, err := Find(filepath.Join(t.TempDir(), "none"), 0)
	assert.ErrorIs(t, err, ErrNoTrace)
	folder := must(os.MkdirTemp("", "cue"))
	defer os.RemoveAll(folder)
	r, done := quietRecorder(t)
	defer done()
	l, err := listenForCues(folder, &marking{r: r, looks: newLooks(r, trace.Header{}, nil), header: trace.Header{Title: "Tidewrack"}, path: "/x/y.trace"})
	require.NoError(t, err)
	found, err := Find(folder, 0)
	require.NoError(t, err)
	assert.Equal(t, Running{PID: os.Getpid(), Title: "Tidewrack", Trace: "/x/y.trace"}, found)
	assert.True(t, IsRunning(found.PID))
	assert.False(t, IsRunning(1<<22+1), "more than there can be")
	_, err = Find(folder, 1)
	assert.ErrorContains(t, err, "no trace with process id 1")
	l.close()
	_, err = Find(folder, 0)
	assert.ErrorIs(t, err, ErrNoTrace)
}
