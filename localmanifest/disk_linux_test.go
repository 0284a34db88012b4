package localmanifest

import (
	"fmt"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/manifest"
	"endroit/published/publishedtest"
	"endroit/standin/smalldisk"
)

// A disk that becomes full in the middle of a fetch, wherever that is, leaves in use what
// was there; with more room the fetch goes on.
func TestAFullDisk(t *testing.T) {
	folder := smalldisk.Folder(t)
	if folder == "" {
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
		smalldisk.Resize(t, folder, size)
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
