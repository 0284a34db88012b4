package cli_test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/localmanifest"
	"endroit/machine"
	"endroit/published/publishedtest"
	"endroit/standin/winetest"
)

// The Windows build, run by Wine, finds what the Linux build finds in the prefix.
func TestTheWindowsBuildInWine(t *testing.T) {
	p := winetest.Prefix(t)
	exe := p.Build(t, "endroit/cmd/endroit")
	assert.Contains(t, p.Run(t, exe, "version"), "endroit")

	title, err := (&record.Title{ID: publishedtest.ID("Tidewrack"), Name: "Tidewrack"}).Observe(
		&draft.Draft{Title: "Tidewrack", OS: "windows", Runtime: "native", Locations: []draft.Location{
			{At: "roaming-app-data:Tidewrack/{account}/slot{slot}.sav", Holds: draft.Save}, {At: "saved-games:Tidewrack/", Holds: draft.Save}, {At: "local-low-app-data:Tidewrack/a.cfg", Holds: draft.Config}}},
		standing.Evidence{Contribution: 1, Person: "mira", Accepted: time.Now()},
	)
	require.NoError(t, err)
	published, _ := title.Published(time.Now())

	inside, err := machine.OpenPrefix(t.Context(), p.Folder)
	require.NoError(t, err)
	home := inside.Roots["home"]
	kept := filepath.Join("AppData", "Local", "endroit", "manifest")
	put(t, filepath.Join(home, kept), 1, []manifest.Title{published}, nil)
	for name, data := range map[string][]byte{
		"AppData/Roaming/TIDEWRACK/1234567/Slot2.SAV": []byte("x"), "Saved Games/tidewrack/deep/a.bin": []byte("x"),
	} {
		file := filepath.Join(home, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	out := p.Run(t, exe, "locate", "tidewrack")
	for _, want := range []string{`progress  C:\users\` + inside.User + `\AppData\Roaming\TIDEWRACK`, `1234567\Slot2.SAV`, `\Saved Games\tidewrack`, `deep\a.bin`, `AppData\LocalLow\Tidewrack does not exist`} {
		assert.Contains(t, out, want)
	}
	assert.NotContains(t, out, "              C:", "files are shown below their folder")
}

// A Windows program that is traced in its prefix comes to Windows locations,
// whatever drives and links it goes by.
func TestAWindowsProgramIsTracedInItsPrefix(t *testing.T) {
	p := winetest.Prefix(t)
	endroit := filepath.Join(t.TempDir(), "endroit")
	out, err := exec.Command("go", "build", "-o", endroit, "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	work := t.TempDir()
	run := func(args ...string) string {
		t.Helper()
		c := exec.CommandContext(t.Context(), endroit, args...)
		c.Dir = work
		c.Env = append(os.Environ(), "HOME="+p.Home, "XDG_RUNTIME_DIR="+work, "WINEDLLOVERRIDES=mscoree,mshtml=", "WINEDEBUG=-all", "DISPLAY=")
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	game := `mkdir %APPDATA%\Fen & echo reeds > %APPDATA%\Fen\game.sav & mkdir %USERPROFILE%\Documents\Fen & echo volume=3 > %USERPROFILE%\Documents\Fen\fen.cfg & reg add HKCU\Software\Fen /v Wind /d 3 /f`
	said := run("trace", "--title", "Copperfen", "--prefix", p.Folder, "--out", "a.trace", "--", "cmd.exe", "/c", game)
	assert.NotContains(t, said, "was already running")
	found := run("footprint", "a.trace")
	assert.Contains(t, found, "roaming-app-data:Fen/game.sav")
	assert.Contains(t, found, `\AppData\Roaming\Fen\game.sav; confidence`, "as the program sees it")
	assert.Contains(t, found, "documents:Fen/fen.cfg", "through the link to the person's own documents")
	assert.Contains(t, found, filepath.Join(p.Home, "Fen", "fen.cfg"))
	assert.NotContains(t, found, "dosdevices/c:")
	assert.NotContains(t, found, "user.reg", "the registry's files are no finding")
	assert.Contains(t, run("footprint", "a.trace", "--kind", "system"), "it is the prefix's registry file")
	assert.Contains(t, found, "registry:HKEY_CURRENT_USER/Software/Fen/", "the registry's changes are findings")
	assert.Contains(t, run("trace", "show", "a.trace", "--events", "--op", "create"), "registry:HKEY_CURRENT_USER/Software/Fen/ (set Wind)")
	drafted := run("propose", "a.trace")
	assert.Contains(t, drafted, "settings  registry:HKEY_CURRENT_USER/Software/Fen/")
	assert.Contains(t, drafted, "progress  roaming-app-data:Fen/game.sav")

	// A server that was already running is reported, or ended.
	require.NoError(t, p.Rest(t.Context()))
	assert.Zero(t, machine.PrefixServer(p.Folder))
	waiting := exec.CommandContext(t.Context(), "wine", "cmd", "/c", "pause")
	waiting.Env = append(os.Environ(), "HOME="+p.Home, "WINEPREFIX="+p.Folder, "WINEDEBUG=-all", "DISPLAY=")
	in, err := waiting.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, waiting.Start())
	defer func() {
		_ = in.Close()
		_ = waiting.Wait()
	}()
	require.Eventually(t, func() bool { // it starts as a child of another that ends at once
		pid := machine.PrefixServer(p.Folder)
		time.Sleep(300 * time.Millisecond)
		return pid != 0 && pid == machine.PrefixServer(p.Folder)
	}, time.Minute, 50*time.Millisecond)
	said = run("trace", "--prefix", p.Folder, "--out", "b.trace", "--", "cmd.exe", "/c", "echo x")
	assert.Contains(t, said, "was already running: files that it opens are not observed; --end-server ends it first")
	assert.Contains(t, run("trace", "show", "b.trace"), "not seen: the prefix's server was already running")
	said = run("trace", "--prefix", p.Folder, "--end-server", "--out", "c.trace", "--", "cmd.exe", "/c", "echo x")
	assert.NotContains(t, said, "was already running")
}

// put makes titles and sheets the local manifest in a folder.
func put(t require.TestingT, folder string, revision int, titles []manifest.Title, sheets []manifest.Sheet) {
	news, err := publishedtest.News(revision, titles, sheets)
	require.NoError(t, err)
	_, err = localmanifest.Fetch(context.Background(), folder, news, localmanifest.Options{})
	require.NoError(t, err)
}
