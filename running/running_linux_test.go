package running

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

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

func TestWatchSeesWhoWrites(t *testing.T) {
	folder := t.TempDir()
	saves := filepath.Join(folder, "saves")
	require.NoError(t, os.Mkdir(saves, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(saves, "was-there"), nil, 0o600))
	for _, c := range []struct{ name, does, file, by string }{
		{"by its name", `exec 3> a.sav; echo 1 >&3; read wait`, "a.sav", "sh"},
		{"by another name first", `exec 3> b.part; echo 1 >&3; read wait; mv b.part b.sav`, "b.sav", "sh"},
		{"one that reads is not the writer", `exec 3< was-there; read wait; read wait`, "was-there", ""},
		{"in a new folder", `mkdir new; read wait; exec 3> new/d.sav; echo 1 >&3; read wait`, "new/d.sav", "sh"},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := Watch(t.Context(), []string{saves, filepath.Join(folder, "not-there")})
			run := exec.Command("sh", "-c", c.does)
			run.Dir = saves
			in, err := run.StdinPipe()
			require.NoError(t, err)
			require.NoError(t, run.Start())
			for range 2 {
				time.Sleep(200 * time.Millisecond)                                                      // the program holds the file meanwhile
				require.NoError(t, os.WriteFile(filepath.Join(saves, "was-there"), []byte("1"), 0o600)) // by this program
				_, _ = in.Write([]byte("\n"))
			}
			require.NoError(t, in.Close())
			_ = run.Wait()
			w.Close()
			p, ok := w.By(filepath.Join(saves, c.file))
			assert.Equal(t, c.by != "", ok)
			assert.Equal(t, c.by, p.Name)
			_, ok = w.By(filepath.Join(folder, "elsewhere"))
			assert.False(t, ok)
		})
	}
}
