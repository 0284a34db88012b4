package cli_test

import (
	"bufio"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/machine"
	"endroit/standin/winetest"
)

const windowsDraft = `format: endroit/draft/1
title: Tidewrack
edition: {store: quayside, ref: "418820"}
os: windows
runtime: native
locations:
  - at: roaming-app-data:Tidewrack/slots/
    holds: save
    seen: ["roaming-app-data:Tidewrack/slots/slot1.sav (new, 543 B)"]
  - at: registry:HKEY_CURRENT_USER/Software/Tidewrack/
    holds: config
    seen: ["registry:HKEY_CURRENT_USER/Software/Tidewrack/ (3 values)"]
`

// A game of Windows with a save and a registry key: copied, put back and undone from outside
// of its prefix, while nothing runs there and while it does, and by the Windows build inside.
func TestCopiesOfAWindowsGameInWine(t *testing.T) {
	p := winetest.Prefix(t)
	endroit := filepath.Join(t.TempDir(), "endroit")
	out, err := exec.Command("go", "build", "-o", endroit, "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	game := p.Build(t, "endroit/standin/tidewrack")
	require.NoError(t, os.MkdirAll(filepath.Join(filepath.Dir(game), "data"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(game), "data", "world.pak"), make([]byte, 2<<20), 0o600))
	work := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(work, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	draftFile := write("tidewrack.draft.yaml", windowsDraft)
	play := func(lines string) string { return p.Run(t, game, "-pace", "free", write("lines.play", lines)) }
	run := func(code int, args ...string) string {
		t.Helper()
		c := exec.CommandContext(t.Context(), endroit, args...)
		c.Dir = work
		c.Env = append(os.Environ(), "HOME="+p.Home, "XDG_RUNTIME_DIR="+work, "DISPLAY=", "NO_COLOR=1")
		out, err := c.CombinedOutput()
		assert.Equal(t, code, c.ProcessState.ExitCode(), "%v: %s", err, out)
		return string(out)
	}
	slot := filepath.Join(insideOf(t, p.Folder), "Tidewrack", "slots", "slot1.sav")
	content := func() string {
		data, err := os.ReadFile(slot)
		require.NoError(t, err)
		return string(data)
	}

	play("save 1\nset volume 20\n")
	first := content()
	require.NoError(t, p.Rest(t.Context()))
	said := run(0, "copy", draftFile, "--prefix", p.Folder, "--name", "first")
	assert.Contains(t, said, `HKEY_CURRENT_USER\Software\Tidewrack in the registry of `+p.Folder)
	assert.Contains(t, said, "registry key with 3 values")
	assert.NotContains(t, said, "left out")
	assert.Contains(t, run(0, "copies", "--check"), "2 files")

	// Nothing runs in the prefix: its hive is changed.
	play("load 1\nset volume 99\nset language fr\nsave 1\nplay 200\nsave 1\n")
	require.NoError(t, p.Rest(t.Context()))
	second := content()
	require.NotEqual(t, first, second)
	back := []string{
		"putback", "first", "--draft", draftFile, "--prefix", p.Folder, "--holds", "save", "--holds", "config", "--yes", "--although", "observed",
		"--although", "newer",
	}
	said = run(0, back...)
	assert.Contains(t, said, "registry of "+p.Folder+"\n    replace ")
	assert.Equal(t, first, content())
	assert.Contains(t, play("show volume\nshow language\n"), "volume is 20\nlanguage is en\n")
	require.NoError(t, p.Rest(t.Context()))
	run(0, "undo", "--yes")
	assert.Equal(t, second, content())
	assert.Contains(t, play("show volume\nshow language\n"), "volume is 99\nlanguage is fr\n")

	// It runs: that has to be said yes to, and then its server is asked.
	in := hold(t, p, game)
	assert.NotZero(t, machine.PrefixServer(p.Folder))
	assert.Contains(t, run(8, back...), "serves programs that run in the prefix")
	run(0, append(back, "--although", "running")...)
	assert.Equal(t, first, content())
	require.NoError(t, in.Close())
	require.NoError(t, p.Rest(t.Context()))
	assert.Contains(t, play("show volume\nshow language\n"), "volume is 20\nlanguage is en\n")

	// The Windows build, inside.
	exe := p.Build(t, "endroit/cmd/endroit")
	inside := filepath.Join(p.Folder, "drive_c", "work")
	require.NoError(t, os.MkdirAll(inside, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(inside, "tidewrack.draft.yaml"), []byte(windowsDraft), 0o600))
	const draftInside = `C:\work\tidewrack.draft.yaml`
	said = p.Run(t, exe, "copy", draftInside, "--name", "inside")
	assert.Contains(t, said, `HKEY_CURRENT_USER\Software\Tidewrack`)
	assert.Contains(t, said, "registry key with 3 values")
	assert.Contains(t, p.Run(t, exe, "copies", "--check"), "inside")
	play("set volume 70\nload 1\nplay 200\nsave 1\n")
	within := []string{
		"putback", "inside", "--draft", draftInside, "--holds", "save", "--holds", "config", "--yes", "--although", "observed",
		"--although", "newer",
	}
	// A file that is in use is noticed by how it is shared.
	in = hold(t, p, game)
	_, err = p.Prefix.Run(t.Context(), exe, within...)
	require.ErrorContains(t, err, "running: a program has ")
	assert.ErrorContains(t, err, `slot1.sav open`)
	require.NoError(t, in.Close())
	require.Eventually(t, func() bool {
		_, err := p.Prefix.Run(t.Context(), exe, within...)
		if err != nil {
			t.Log(err)
		}
		return err == nil
	}, 8*time.Second, 100*time.Millisecond)
	assert.Equal(t, first, content())
	assert.Contains(t, play("show volume\n"), "volume is 20\n")
	p.Run(t, exe, "undo", "--yes")
	assert.Contains(t, play("show volume\n"), "volume is 70\n")
	assert.NotEqual(t, first, content())
}

// insideOf is the folder of roaming application data in a prefix.
func insideOf(t *testing.T, folder string) string {
	inside, err := machine.OpenPrefix(t.Context(), folder)
	require.NoError(t, err)
	return filepath.FromSlash(inside.Roots["roaming-app-data"])
}

// hold starts the game, which keeps slot 1 open until its input is closed.
func hold(t *testing.T, p winetest.Made, game string) io.WriteCloser {
	c := exec.Command("wine", game, "-pace", "free", "-")
	c.Env = append(os.Environ(), "HOME="+p.Home, "WINEPREFIX="+p.Folder, "WINEDEBUG=-all", "DISPLAY=")
	in, err := c.StdinPipe()
	require.NoError(t, err)
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	t.Cleanup(func() {
		_ = in.Close()
		_ = c.Wait()
	})
	_, err = io.WriteString(in, "hold 1\n")
	require.NoError(t, err)
	says, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	require.Contains(t, says, "holds slot 1")
	return in
}
