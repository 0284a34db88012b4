package localmanifest

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/core/manifest"
	"endroit/published/publishedtest"
)

// smallDisk names, in the process that the test starts, the folder on a small disk.
const smallDisk = "ENDROIT_SMALL_DISK"

// A disk that becomes full in the middle of a fetch, wherever that is, leaves in use what
// was there; with more room the fetch goes on.
func TestAFullDisk(t *testing.T) {
	folder := os.Getenv(smallDisk)
	if folder == "" {
		inANamespace(t, t.TempDir())
		return
	}
	keep(t, folder, 1, "Tidewrack")
	var titles []manifest.Title
	for i := range 3000 {
		titles = append(titles, named(fmt.Sprintf("Title %05d", i)))
	}
	news, err := publishedtest.News(2, titles, nil)
	require.NoError(t, err)
	const least, most = 200, 4000 // KB
	failed := 0
	for size := least; ; size += 120 {
		require.Less(t, size, most)
		require.NoError(t, unix.Mount("", folder, "", unix.MS_REMOUNT, fmt.Sprintf("size=%dk", size)))
		_, err := Fetch(t.Context(), folder, news, Options{})
		if err == nil {
			break
		}
		failed++
		require.ErrorIs(t, err, syscall.ENOSPC, "%d KB", size)
		k, err := Open(t.Context(), folder, nil)
		require.NoError(t, err, "%d KB", size)
		found, _, err := k.Find(t.Context(), "Tidewrack")
		require.NoError(t, err)
		assert.Len(t, found, 1)
		assert.Equal(t, 1, k.Head.Revision)
		require.NoError(t, k.Close())
	}
	assert.Greater(t, failed, 4, "the disk was full at different moments")
	k, err := Open(t.Context(), folder, nil)
	require.NoError(t, err)
	defer k.Close()
	assert.Equal(t, 3000, k.Titles)
}

// inANamespace runs the test again where it may mount a disk of its own.
func inANamespace(t *testing.T, folder string) {
	self, err := os.Executable()
	require.NoError(t, err)
	run := exec.Command(
		"unshare", "--user", "--map-root-user", "--mount", "sh", "-c", `mount -t tmpfs -o size=1m tmpfs "$0" && exec "$@"`,
		folder, self, "-test.run=^"+t.Name()+"$", "-test.v",
	)
	run.Env = append(os.Environ(), smallDisk+"="+folder)
	said, err := run.CombinedOutput()
	if !strings.Contains(string(said), "=== RUN") {
		t.Skipf("no disk can be mounted here: %s", said)
	}
	require.NoError(t, err, string(said))
}
