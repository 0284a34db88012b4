package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/standing"
	"endroit/machine"
	"endroit/standin/winetest"
)

// The Windows build, run by Wine, finds what the Linux build finds in the prefix.
func TestTheWindowsBuildInWine(t *testing.T) {
	p := winetest.Prefix(t)
	exe := p.Build(t, "endroit/cmd/endroit")
	assert.Contains(t, p.Run(t, exe, "version"), "endroit")

	title, err := manifest.Apply(nil, manifest.Accepted{Evidence: standing.Evidence{Contribution: 1, By: "mira", ReviewedBy: "anselm", Observer: "change notifications"},
		Draft: &draft.Draft{Title: "Tidewrack", OS: "windows", Runtime: "native", Locations: []draft.Location{
			{At: "roaming-app-data:Tidewrack/{account}/slot{slot}.sav", Holds: draft.Save}, {At: "saved-games:Tidewrack/", Holds: draft.Save}, {At: "local-low-app-data:Tidewrack/a.cfg", Holds: draft.Config}}}})
	require.NoError(t, err)
	doc, err := manifest.Canonical(title)
	require.NoError(t, err)
	body, err := manifest.Assemble(manifest.Head{Revision: 1, Previous: strings.Repeat("0", 64), Published: time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)}, [][]byte{doc})
	require.NoError(t, err)

	inside, err := machine.OpenPrefix(p.Folder)
	require.NoError(t, err)
	home := inside.Roots["home"]
	kept := filepath.Join("AppData", "Local", "endroit", "manifest")
	for name, data := range map[string][]byte{
		filepath.Join(kept, manifest.Digest(body)+".json"): body, filepath.Join(kept, "current"): []byte(manifest.Digest(body)),
		"AppData/Roaming/TIDEWRACK/1234567/Slot2.SAV": []byte("x"), "Saved Games/tidewrack/deep/a.bin": []byte("x"),
	} {
		file := filepath.Join(home, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	out := p.Run(t, exe, "locate", "tidewrack")
	for _, want := range []string{`save     C:\users\` + inside.User + `\AppData\Roaming\TIDEWRACK`, `1234567\Slot2.SAV`, `\Saved Games\tidewrack`, `deep\a.bin`, `AppData\LocalLow\Tidewrack is not there`} {
		assert.Contains(t, out, want)
	}
	assert.NotContains(t, out, "              C:", "files are shown below their folder")
}
