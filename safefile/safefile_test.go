package safefile

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWrite(t *testing.T) {
	folder := t.TempDir()
	name := filepath.Join(folder, "x")
	for _, text := range []string{"first", "second"} {
		require.NoError(t, Write(name, []byte(text)))
		got, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.Equal(t, text, string(got))
	}
	// Where it cannot be put, what is there stays, and nothing else is left.
	require.NoError(t, os.Mkdir(filepath.Join(folder, "folder"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "folder", "in"), nil, 0o600))
	assert.ErrorContains(t, Write(filepath.Join(folder, "folder"), []byte("x")), "write ")
	assert.Error(t, Write(filepath.Join(folder, "nowhere", "x"), nil))
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, entries, 2)
}

func TestRead(t *testing.T) {
	name := filepath.Join(t.TempDir(), "x")
	require.NoError(t, os.WriteFile(name, []byte("12345"), 0o600))
	got, err := Read(name, 5)
	require.NoError(t, err)
	assert.Equal(t, "12345", string(got))
	_, err = Read(name, 4)
	var large *ErrLarge
	require.ErrorAs(t, err, &large)
	assert.ErrorContains(t, err, name+" is larger than 4 bytes")
	_, err = Read(name+"y", 4)
	assert.ErrorIs(t, err, os.ErrNotExist)
	// What has no end, or no size, is read no further either.
	_, err = Read("/dev/zero", 1<<20)
	if _, e := os.Stat("/dev/zero"); e == nil {
		assert.ErrorAs(t, err, &large)
	}
}
