package running

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLook(t *testing.T) {
	install, saves := t.TempDir(), t.TempDir()
	title := Title{Install: install, Folders: []string{saves}}
	assert.Empty(t, Look(t.Context(), title))

	// A program that is installed there runs.
	sleep, err := exec.LookPath("sleep")
	require.NoError(t, err)
	data, err := os.ReadFile(sleep)
	require.NoError(t, err)
	game := filepath.Join(install, "tidewrack")
	require.NoError(t, os.WriteFile(game, data, 0o755))
	run := exec.Command(game, "60")
	require.NoError(t, run.Start())
	found := Look(t.Context(), title)
	require.NoError(t, run.Process.Kill())
	_ = run.Wait()
	require.Len(t, found, 1)
	assert.Equal(t, run.Process.Pid, found[0].PID)
	assert.Equal(t, "tidewrack", found[0].Name)
	assert.Contains(t, found[0].String(), "runs from "+install)
	assert.Empty(t, Look(t.Context(), title))

	// Another has one of the files open; one that only looks at the folder has not.
	f, err := os.Create(filepath.Join(saves, "a.sav"))
	require.NoError(t, err)
	defer f.Close()
	folder, err := os.Open(saves)
	require.NoError(t, err)
	defer folder.Close()
	for _, c := range []struct {
		open *os.File
		want int
	}{{f, 1}, {folder, 0}} {
		run := exec.Command("sleep", "60")
		run.ExtraFiles = []*os.File{c.open}
		require.NoError(t, run.Start())
		found := Look(t.Context(), title)
		require.NoError(t, run.Process.Kill())
		_ = run.Wait()
		require.Len(t, found, c.want)
		if c.want > 0 {
			assert.Contains(t, found[0].Why, "a.sav open")
		}
	}
	assert.False(t, within("/games/tidewrack2/x", "/games/tidewrack"))
}
