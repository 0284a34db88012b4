//go:build amd64 || arm64

package versions

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
)

// A file that somebody holds a lease on is not opened: that would break it.
func TestLeasesAreLeftAlone(t *testing.T) {
	folder := t.TempDir()
	name := filepath.Join(folder, "leased.sav")
	require.NoError(t, os.WriteFile(name, []byte("x"), 0o600))
	f := capturetest.Must(os.OpenFile(name, os.O_RDWR, 0))
	defer f.Close()
	if _, err := unix.FcntlInt(f.Fd(), unix.F_SETLEASE, unix.F_WRLCK); err != nil {
		t.Skipf("no leases here: %v", err)
	}
	r, _ := capturetest.QuietRecorder(t)
	k := New(r, Options{Folder: filepath.Join(folder, "v"), File: 100})
	_, ok := k.Keep(name, "cue saved", true)
	assert.False(t, ok)
	lease := capturetest.Must(unix.FcntlInt(f.Fd(), unix.F_GETLEASE, 0))
	assert.Equal(t, unix.F_WRLCK, lease, "it is not broken")
	_, gaps, err := r.Close()
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(gaps), "holds a lease")
}
