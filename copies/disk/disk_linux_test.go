package disk

import (
	"bytes"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
	"pgregory.net/rapid"
)

func open(t *testing.T, name string) *os.File {
	f, err := os.OpenFile(filepath.Join(t.TempDir(), name), os.O_RDWR|os.O_CREATE, 0o600)
	require.NoError(t, err)
	t.Cleanup(func() { _ = f.Close() })
	return f
}

// A sparse file stays sparse, with the same content and the same holes.
func TestHolesAreKept(t *testing.T) {
	from := open(t, "from")
	const size = 8 << 20
	require.NoError(t, from.Truncate(size))
	for _, at := range []int64{1 << 20, 5<<20 + 4096} {
		_, err := from.WriteAt(bytes.Repeat([]byte("sea"), 20_000), at)
		require.NoError(t, err)
	}
	info, err := from.Stat()
	require.NoError(t, err)
	a := Read(from, info)
	require.Len(t, a.Holes, 3)
	to := open(t, "to")
	copied, err := Copy(t.Context(), to, from, a.Holes, size, SHA256|BLAKE3)
	require.NoError(t, err)
	assert.Equal(t, int64(size), copied.Size)
	again, err := Digest(t.Context(), to, SHA256|BLAKE3)
	require.NoError(t, err)
	assert.Equal(t, copied, again)
	assert.NotEmpty(t, copied.SHA256)
	assert.NotEmpty(t, copied.BLAKE3)
	info, err = to.Stat()
	require.NoError(t, err)
	assert.Equal(t, int64(size), info.Size())
	assert.Less(t, info.Sys().(*syscall.Stat_t).Blocks*512, int64(size/4))
	assert.Equal(t, a.Holes, Read(to, info).Holes)
}

// Whatever holes are claimed, the content is the same.
func TestHolesAreOnlyWhereZerosAre(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		data := rapid.SliceOfN(rapid.SampledFrom([]byte{0, 0, 0, 1}), 0, 300).Draw(r, "data")
		from := open(t, "from")
		_, err := from.Write(data)
		require.NoError(t, err)
		_, err = from.Seek(0, 0)
		require.NoError(t, err)
		var holes [][2]int64
		for at := int64(0); ; {
			at += rapid.Int64Range(0, 40).Draw(r, "gap")
			n := rapid.Int64Range(1, 40).Draw(r, "length")
			if at+n > int64(len(data)) {
				break
			}
			holes = append(holes, [2]int64{at, n})
			at += n
		}
		to := open(t, "to")
		_, err = read(t.Context(), from, to, holes, 1000, SHA256)
		require.NoError(t, err)
		got, err := os.ReadFile(to.Name())
		require.NoError(t, err)
		assert.True(t, bytes.Equal(data, got))
	})
}

func TestMoreThanIsExpectedIsNotCopied(t *testing.T) {
	from, to := open(t, "from"), open(t, "to")
	require.NoError(t, from.Truncate(1<<40))
	copied, err := Copy(t.Context(), to, from, nil, 10, SHA256)
	require.NoError(t, err)
	assert.Greater(t, copied.Size, int64(10))
	info, err := to.Stat()
	require.NoError(t, err)
	assert.Zero(t, info.Size())
}

func TestExtendedAttributes(t *testing.T) {
	from := open(t, "from")
	if err := unix.Fsetxattr(int(from.Fd()), "user.slot", []byte("three"), 0); err != nil {
		t.Skip("the file system has none")
	}
	info, err := from.Stat()
	require.NoError(t, err)
	a := Read(from, info)
	assert.Equal(t, map[string][]byte{"user.slot": []byte("three")}, a.Xattrs)
	to := open(t, "to")
	assert.Empty(t, SetXattrs(to, a.Xattrs))
	assert.Equal(t, a.Xattrs, xattrs(to))
	assert.Equal(t, []string{"security.x"}, SetXattrs(to, map[string][]byte{"security.x": nil}))
}

func TestSpace(t *testing.T) {
	var full *SpaceError
	require.ErrorAs(t, CheckSpace(t.TempDir(), 1<<60), &full)
	assert.ErrorContains(t, full, "bytes free, and 1152921504606846976 are needed")
	assert.NoError(t, CheckSpace(t.TempDir(), 1))
	assert.NoError(t, CheckSpace(filepath.Join(t.TempDir(), "none"), 1<<60), "what cannot tell has room")
}
