package machine

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
)

// Below a Windows anchor names compare without regard to case on a case-sensitive
// disk too; elsewhere they do not.
func TestFindOnACaseSensitiveDisk(t *testing.T) {
	top := tree(t, "tw/slots/slot1.sav", "TW/slots/Slot9.SAV")
	_, names := find(t, top, "xdg-data:tw/slots/slot{slot}.sav", nil)
	assert.Equal(t, []string{"tw/slots/slot1.sav"}, names)
	_, names = find(t, top, "saved-games:tw/slots/slot{slot}.sav", nil)
	assert.Equal(t, []string{"TW/slots/Slot9.SAV", "tw/slots/slot1.sav"}, names)
}

func TestUserDirs(t *testing.T) {
	assert.Equal(t, "/home/mira/Papers", userDirs("# a comment\nXDG_DOCUMENTS_DIR=\"$HOME/Papers\"\n", "/home/mira"))
	assert.Equal(t, "/data/docs", userDirs("XDG_DOCUMENTS_DIR=\"/data/docs\"", "/home/mira"))
	assert.Empty(t, userDirs("XDG_MUSIC_DIR=\"/x\"", "/home/mira"))
}

func TestRootsFollowTheEnvironment(t *testing.T) {
	home := t.TempDir()
	t.Setenv("HOME", home)
	t.Setenv("XDG_DATA_HOME", "/data/mira")
	for _, v := range []string{"XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME", "XDG_DOCUMENTS_DIR"} {
		t.Setenv(v, "")
	}
	require.NoError(t, os.MkdirAll(filepath.Join(home, ".config"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(home, ".config/user-dirs.dirs"), []byte(`XDG_DOCUMENTS_DIR="$HOME/Papers"`), 0o644))
	r, err := Roots()
	require.NoError(t, err)
	assert.Equal(t, "/data/mira", r[place.XDGData])
	assert.Equal(t, home+"/Papers", r[place.Documents])
	assert.Equal(t, home+"/.config", r[place.XDGConfig])
}

func TestSandboxesHaveFoldersOfTheirOwn(t *testing.T) {
	assert.Empty(t, Sandboxes(t.TempDir()))
	home := tree(t, ".var/app/example.Tidewrack/data/tidewrack/slots/slot1.sav", ".var/app/example.Tidewrack/.local/state/tidewrack/x", ".var/app/a-file", ".local/share/tidewrack/slots/slot1.sav")
	all := Sandboxes(home)
	require.Len(t, all, 1)
	assert.Equal(t, "example.Tidewrack", all[0].ID)
	l, err := place.Parse("xdg-data:tidewrack/slots/slot{slot}.sav")
	require.NoError(t, err)
	f, err := Find(t.Context(), all[0].Roots, l, nil)
	require.NoError(t, err)
	require.Len(t, f.Files, 1)
	assert.Equal(t, filepath.Join(home, ".var/app/example.Tidewrack/data/tidewrack/slots/slot1.sav"), f.Files[0].Path)
	_, err = Find(t.Context(), all[0].Roots, place.Of(place.Home, []string{".tidewrack"}, false), nil)
	assert.ErrorIs(t, err, ErrNoRoot, "the home is not the sandbox's")
}

// Where the kernel, or a sandbox, does not let a way be kept below a folder, Go's
// own means do it.
func TestFindWithoutTheKernelsHelp(t *testing.T) {
	if !beneath() {
		t.Log("the other tests go this way already")
	}
	with := beneath
	beneath = func() bool { return false }
	defer func() { beneath = with }()
	for name, test := range map[string]func(*testing.T){"find": TestFind, "links": TestLinksThatLeadOutAreNotFollowed, "match": TestFindAgreesWithMatch, "sheets": TestASheetDoesNotFollowALinkOut, "launchers": TestEveryLauncherIsSurveyed, "missing": TestMissingFilesAreReported} {
		t.Run(name, test)
	}
}
