package identify

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/sheet"
	"endroit/core/trace"
)

// The account that a trace is of: the one that was named, else the one in use,
// else none, and it says so.
func TestTheAccountOfATrace(t *testing.T) {
	inUse, other := sheet.Account{ID: "90210017", Name: "gullwatch", Folder: "/q/90210017", InUse: true}, sheet.Account{ID: "90210444", Folder: "/q/90210444"}
	for name, c := range map[string]struct {
		accounts []sheet.Account
		named    string
		want     *trace.Account
		says     string
	}{
		"in use":        {[]sheet.Account{other, inUse}, "", &trace.Account{ID: "90210017", Folder: "/q/90210017"}, "90210017 gullwatch, the one in use"},
		"named":         {[]sheet.Account{inUse, other}, "90210444", &trace.Account{ID: "90210444", Folder: "/q/90210444"}, ""},
		"named unknown": {[]sheet.Account{inUse}, "7", &trace.Account{ID: "7"}, ""},
		"none in use":   {[]sheet.Account{other}, "", nil, "none: the launcher does not say which is in use (--account)"},
		"no accounts":   {nil, "", nil, ""},
	} {
		header := trace.Header{}
		if c.named != "" {
			header.Account = &trace.Account{ID: c.named}
		}
		said := fillInAccount(&header, sheet.Installed{Accounts: c.accounts})
		assert.Equal(t, c.want, header.Account, name)
		assert.Equal(t, c.says, said, name)
	}
}

// Which installed copy a run is of.
func TestEditionOfARun(t *testing.T) {
	of := func(store, ref, name, folder string) sheet.Installed {
		return sheet.Installed{Edition: sheet.Edition{Store: store, Ref: ref, Name: name, Folder: folder}}
	}
	tide, tide2, fen := of("quayside", "418820", "Tidewrack", "/games/tide"), of("larder", "", "Tidewrack", "/other/tide"), of("larder", "", "Copperfen", "/games/fen")
	all := []sheet.Installed{tide, tide2, fen}
	edition := func(store, ref string) *trace.Edition { return &trace.Edition{Store: store, Ref: ref} }
	for name, c := range map[string]struct {
		header   trace.Header
		programs []string
		want     []sheet.Installed
	}{
		"by the program's folder":         {trace.Header{}, []string{"/games/fen/bin/fen"}, []sheet.Installed{fen}},
		"by the title":                    {trace.Header{Title: "TIDEWRACK"}, []string{"/usr/bin/env"}, []sheet.Installed{tide, tide2}},
		"by the title and the folder":     {trace.Header{Title: "Tidewrack"}, []string{"/other/tide/t"}, []sheet.Installed{tide2}},
		"by the reference":                {trace.Header{Edition: edition("quayside", "418820")}, []string{"/usr/bin/env"}, []sheet.Installed{tide}},
		"another title than the folder's": {trace.Header{Title: "Saltglass"}, []string{"/games/fen/fen"}, nil},
		"another store than the folder's": {trace.Header{Edition: edition("brasslight", "")}, []string{"/games/fen/fen"}, nil},
		"a folder of a like name":         {trace.Header{}, []string{"/games/fenland/x"}, nil},
		"nothing that is known":           {trace.Header{}, []string{"/usr/bin/env"}, nil},
	} {
		got, how := EditionsOf(all, c.header, c.programs)
		assert.Equal(t, c.want, got, name)
		assert.NotEmpty(t, how, name)
	}
}

func TestProgramsInAPrefix(t *testing.T) {
	for _, args := range [][]string{{"wine", "game.exe"}, {"wine64", "x"}, {"./GAME.EXE"}, {"/opt/run", "--", "a b.exe"}} {
		assert.True(t, ForWindows(args), args)
	}
	for _, args := range [][]string{{"./tidewrack"}, {"sh", "wine"}, {"game.exe.sh"}, {}} {
		assert.False(t, ForWindows(args), args)
	}
}

// A program of an edition is named as it is called there; one that is here goes first.
func TestInstallFolderOfAProgram(t *testing.T) {
	install := t.TempDir()
	t.Chdir(t.TempDir())
	for _, name := range []string{"fen.exe", filepath.Join("bin", "deep.exe")} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(install, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(install, name), nil, 0o644))
	}
	assert.Equal(t, filepath.Join(install, "fen.exe"), Program(install, "fen.exe"))
	assert.Equal(t, filepath.Join(install, "bin", "deep.exe"), Program(install, "bin/deep.exe"))
	for _, program := range []string{"cmd.exe", "../fen.exe", "/elsewhere/fen.exe"} {
		assert.Equal(t, program, Program(install, program))
	}
	assert.Equal(t, "fen.exe", Program("", "fen.exe"))
	require.NoError(t, os.WriteFile("fen.exe", nil, 0o644))
	assert.Equal(t, "fen.exe", Program(install, "fen.exe"))
}
