package wine

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A copy is somebody else's: links to the one's home lead to the other's, Windows'
// own files are shared, and what is written in the copy stays there.
func TestCopy(t *testing.T) {
	top := t.TempDir()
	from, to := Prefix{filepath.Join(top, "from"), filepath.Join(top, "home")}, Prefix{filepath.Join(top, "to"), filepath.Join(top, "other")}
	for name, text := range map[string]string{"system.reg": "hive", "drive_c/windows/system32/kernel32.dll": "MZ", "drive_c/users/mira/x": "own"} {
		file := filepath.Join(from.Folder, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	for name, link := range map[string]string{"drive_c/users/mira/Documents": from.Home, "drive_c/users/mira/Music": from.Home + "/Music", "dosdevices/c:": "../drive_c", "dosdevices/z:": "/", "like": from.Home + "-not"} {
		file := filepath.Join(from.Folder, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.Symlink(link, file))
	}
	require.NoError(t, from.Copy(to))
	for name, want := range map[string]string{"drive_c/users/mira/Documents": to.Home, "drive_c/users/mira/Music": to.Home + "/Music", "dosdevices/c:": "../drive_c", "dosdevices/z:": "/", "like": from.Home + "-not"} {
		link, err := os.Readlink(filepath.Join(to.Folder, name))
		require.NoError(t, err, name)
		assert.Equal(t, want, link, name)
	}
	same := func(name string) bool {
		a, err := os.Stat(filepath.Join(from.Folder, name))
		require.NoError(t, err)
		b, err := os.Stat(filepath.Join(to.Folder, name))
		require.NoError(t, err)
		return os.SameFile(a, b)
	}
	assert.True(t, same("drive_c/windows/system32/kernel32.dll"))
	assert.False(t, same("system.reg"))
	assert.False(t, same("drive_c/users/mira/x"))
	text, err := os.ReadFile(filepath.Join(to.Folder, "drive_c/users/mira/x"))
	require.NoError(t, err)
	assert.Equal(t, "own", string(text))
}
