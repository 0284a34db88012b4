package machine

import (
	"fmt"
	"io/fs"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/core/place"
)

// eitherWay runs a test on both kinds of a base.
func eitherWay(t *testing.T, test func(t *testing.T, open func(path string) base)) {
	t.Helper()
	for name, open := range map[string]func(string) (base, error){"the kernel's": openBase, "go's": openRooted} {
		t.Run(name, func(t *testing.T) {
			test(t, func(path string) base {
				b, err := open(path)
				require.NoError(t, err)
				t.Cleanup(b.close)
				return b
			})
		})
	}
}

func TestFolderSummarisesItsFiles(t *testing.T) {
	top := tree(t, "file", "folder/inner", "other/x")
	require.NoError(t, os.Symlink("folder", filepath.Join(top, "to-folder")))
	require.NoError(t, os.Symlink("file", filepath.Join(top, "to-file")))
	require.NoError(t, os.Symlink("nowhere", filepath.Join(top, "to-nowhere")))
	require.NoError(t, os.Symlink("/etc", filepath.Join(top, "out")))
	require.NoError(t, os.Symlink("../file", filepath.Join(top, "folder", "up")))
	require.NoError(t, unix.Mkfifo(filepath.Join(top, "pipe"), 0o600))
	l, err := net.Listen("unix", filepath.Join(top, "socket"))
	require.NoError(t, err)
	defer l.Close()
	eitherWay(t, func(t *testing.T, open func(string) base) {
		b, err := openBranch(open(top), top, nil)
		require.NoError(t, err)
		defer b.close()
		for range 2 { // it can be listed again
			entries, err := b.list()
			require.NoError(t, err)
			var names, folders []string
			for _, e := range entries {
				names = append(names, e.name)
				if b.isFolder(e) {
					folders = append(folders, e.name)
				}
				assert.Equal(t, b.isFolder(e), b.isFolder(entry{name: e.name, kind: fs.ModeIrregular}), "where the folder does not tell: %s", e.name)
			}
			slices.Sort(names)
			slices.Sort(folders)
			assert.Equal(t, []string{"file", "folder", "other", "out", "pipe", "socket", "to-file", "to-folder", "to-nowhere"}, names)
			assert.Equal(t, []string{"folder", "other"}, folders, "a link is none")
		}
		for name, want := range map[string]string{"file": "file", "folder": "folder", "to-file": "file", "to-folder": "folder", "pipe": "neither", "socket": "neither", "to-nowhere": "not there", "missing": "not there", "out": "refused"} {
			info, linked, err := b.stat(name)
			assert.Equal(t, strings.HasPrefix(name, "to-") || name == "out", linked, name)
			got := "neither"
			switch {
			case err != nil && os.IsNotExist(err):
				got = "not there"
			case err != nil:
				got = "refused"
			case info.IsDir():
				got = "folder"
			case info.Mode().IsRegular():
				got = "file"
				assert.Equal(t, int64(4), info.Size())
			}
			assert.Equal(t, want, got, name)
		}
		in, err := b.into("to-folder")
		require.NoError(t, err, "a link to a folder below")
		defer in.close()
		info, _, err := in.stat("up")
		require.NoError(t, err, "a link that climbs and stays below")
		assert.True(t, info.Mode().IsRegular())
		for _, name := range []string{"out", "missing", "file", "pipe"} {
			_, err := b.into(name)
			assert.Error(t, err, name)
		}
		_, err = openBranch(open(top), "/etc", []string{"folder", "..", "..", "etc"})
		assert.Error(t, err, "no way leads out")
	})
}

func TestAFolderOfVeryManyNames(t *testing.T) {
	top := t.TempDir()
	want := []string{}
	for i := range 3000 {
		name := fmt.Sprintf("%04d %s", i, "a name of some length, so that one call does not give all")
		want = append(want, name)
		require.NoError(t, os.WriteFile(filepath.Join(top, name), nil, 0o600))
	}
	require.NoError(t, os.WriteFile(filepath.Join(top, "\xff\n"), nil, 0o600))
	want = append(want, "\xff\n")
	eitherWay(t, func(t *testing.T, open func(string) base) {
		b, err := openBranch(open(top), top, nil)
		require.NoError(t, err)
		defer b.close()
		entries, err := b.list()
		require.NoError(t, err)
		var names []string
		for _, e := range entries {
			names = append(names, e.name)
			info, _, err := b.look(e)
			require.NoError(t, err)
			assert.True(t, info.Mode().IsRegular())
		}
		assert.ElementsMatch(t, want, names)
	})
}

// One folder that is asked for again stays open, up to a bound; the answers are
// the same.
func TestAFinderKeepsFoldersOpen(t *testing.T) {
	l, err := place.Parse("xdg-data:tidewrack/slots/slot{slot}.sav")
	require.NoError(t, err)
	f := NewFinder()
	defer f.Close()
	for i := range maxBases + 10 {
		top := tree(t, "tidewrack/slots/slot1.sav")
		for range 2 {
			found, err := f.Find(t.Context(), place.Roots{place.XDGData: top}, l, nil)
			require.NoError(t, err)
			require.Len(t, found.Files, 1)
			assert.Equal(t, top+"/tidewrack/slots", found.Folder)
		}
		assert.Len(t, f.bases.open, min(i+1, maxBases))
	}
	found, err := f.Find(t.Context(), place.Roots{place.XDGData: "/nowhere"}, l, nil)
	require.NoError(t, err)
	assert.Equal(t, "the folder /nowhere does not exist", found.Missing)
}

// What stands in the way of a location is reported: a file where a folder is due, a
// link that leads out.
func TestConflicts(t *testing.T) {
	top := tree(t, "file", "tidewrack/slots", "folder/x.sav")
	require.NoError(t, os.Symlink("/etc", filepath.Join(top, "out")))
	require.NoError(t, os.Symlink("folder", filepath.Join(top, "within")))
	for at, says := range map[string]string{
		"xdg-data:file/slots/*.sav":      "file/slots was left out: not a directory",
		"xdg-data:tidewrack/slots/*.sav": "tidewrack/slots was left out: not a directory",
		"xdg-data:out/*.sav":             "out was left out: ",
		"xdg-data:missing/a/*.sav":       "missing does not exist",
		"xdg-data:tidewrack/slots/":      "the folder exists, and no file in it matches",
		"xdg-data:folder/y.sav":          "y.sav does not exist",
	} {
		f, names := find(t, top, at, nil)
		assert.Empty(t, names, at)
		assert.Contains(t, said(f), says, at)
	}
	f, names := find(t, top, "xdg-data:within/*.sav", nil)
	assert.Equal(t, []string{"within/x.sav"}, names)
	assert.Empty(t, f.Missing)
}

func TestInsideTheSimulatedDrive(t *testing.T) {
	folder, home := prefix(t, map[string]string{"system.reg": machineHive, "user.reg": userHive})
	p := open(t, folder)
	assert.Equal(t, `C:\users\player\Saved Games`, p.Inside(filepath.Join(folder, "drive_c/users/player/Saved Games")))
	assert.Equal(t, `C:\Larder Games`, p.Inside(filepath.Join(folder, "drive_c/Larder Games")), "whether it is there or not")
	assert.Empty(t, p.Inside(home), "what lies outside has no path on it")
	assert.Empty(t, p.Inside(filepath.Join(folder, "drive_c")), "the drive itself is nothing in it")
	for text, want := range map[string]string{`%APPDATA%\Tidewrack`: `C:\users\player\AppData\Roaming\Tidewrack`, `%LOCALAPPDATA%`: `C:\users\player\AppData\Local`, `%USERPROFILE%\x`: `C:\users\player\x`,
		`%PUBLIC%`: `C:\users\Public`, `%PROGRAMDATA%\y\`: `C:\ProgramData\y`, `%SYSTEMDRIVE%\z`: `C:\z`, `%NOWHERE%\x`: "", `C:\plain`: `C:\plain`} {
		assert.Equal(t, want, p.Expand(text), text)
	}
}
