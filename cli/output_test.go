package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/sheet"
	"endroit/core/trace"
)

func TestDurationsForPeople(t *testing.T) {
	for d, want := range map[time.Duration]string{0: "0.0 s", 9940 * time.Millisecond: "9.9 s", 31 * time.Second: "31 s", 125 * time.Second: "2 min 5 s", 3 * time.Hour: "3.0 h"} {
		assert.Equal(t, want, inTerms(d))
	}
	assert.Equal(t, "1 file", count(1, "file", "files"))
	assert.Equal(t, "12,345 files", count(12345, "file", "files"))
	assert.Equal(t, "0 B", bytesInTerms(-1))
}

// What comes from outside cannot move the terminal's cursor or hide.
func TestTextFromOutsideIsShownHarmlessly(t *testing.T) {
	for text, want := range map[string]string{
		"plain é 漢\tx\n":       `plain é 漢\tx\n`,
		"\x1b[2Jgone":          `\u001B[2Jgone`,
		"a\rb":                 `a\u000Db`,
		"bad \xff byte":        `bad \xFF byte`,
		"turned \u202eround":   `turned \u202Eround`,
		"no\u200bwidth":        `no\u200Bwidth`,
		"\u0085next\u2028line": `\u0085next\u2028line`,
	} {
		assert.Equal(t, want, shown(text), "%q", text)
	}
}

func TestWithoutATerminalNobodyIsAsked(t *testing.T) {
	in, err := os.Open(os.DevNull)
	require.NoError(t, err)
	defer in.Close()
	var said bytes.Buffer
	a := &app{in: in, out: &said, err: &said}
	yes, err := a.ask("Send it?")
	assert.ErrorContains(t, err, "pass --yes to go ahead")
	assert.False(t, yes)
	assert.Empty(t, said.String())
	told, end := a.progress("looking")
	assert.Nil(t, told, "nor is progress drawn")
	end()
}

func TestAFileIsNeverWrittenOver(t *testing.T) {
	name := filepath.Join(t.TempDir(), "tidewrack.trace")
	f, err := newFile(name)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	info, err := os.Stat(name)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	_, err = newFile(name)
	assert.ErrorContains(t, err, "is there already")
	_, err = newFile(filepath.Join(name, "below"))
	assert.Error(t, err)
}

// The account that a trace is of: the one that was named, else the one in use,
// else none, and that is said.
func TestTheAccountOfATrace(t *testing.T) {
	inUse, other := sheet.Account{ID: "90210017", Name: "gullwatch", Folder: "/q/90210017", InUse: true}, sheet.Account{ID: "90210444", Folder: "/q/90210444"}
	for name, c := range map[string]struct {
		accounts []sheet.Account
		named    string
		want     *trace.Account
		says     string
	}{
		"in use":        {[]sheet.Account{other, inUse}, "", &trace.Account{ID: "90210017", Folder: "/q/90210017"}, "account 90210017 gullwatch, the one in use"},
		"named":         {[]sheet.Account{inUse, other}, "90210444", &trace.Account{ID: "90210444", Folder: "/q/90210444"}, ""},
		"named unknown": {[]sheet.Account{inUse}, "7", &trace.Account{ID: "7"}, ""},
		"none in use":   {[]sheet.Account{other}, "", nil, "account none: the launcher does not say which is in use (--account)"},
		"no accounts":   {nil, "", nil, ""},
	} {
		header, said := trace.Header{}, ""
		if c.named != "" {
			header.Account = &trace.Account{ID: c.named}
		}
		(&app{}).fillInAccount(&header, sheet.Installed{Accounts: c.accounts}, func(what, text string) { said += what + " " + text })
		assert.Equal(t, c.want, header.Account, name)
		assert.Equal(t, c.says, said, name)
	}
}

// Which installed copy a run is of.
func TestTheEditionThatIsMeant(t *testing.T) {
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
		got, how := editionsMeant(all, c.header, c.programs)
		assert.Equal(t, c.want, got, name)
		assert.NotEmpty(t, how, name)
	}
}

func TestWhatRunsInAPrefix(t *testing.T) {
	for _, args := range [][]string{{"wine", "game.exe"}, {"wine64", "x"}, {"./GAME.EXE"}, {"/opt/run", "--", "a b.exe"}} {
		assert.True(t, runsInPrefix(args), args)
	}
	for _, args := range [][]string{{"./tidewrack"}, {"sh", "wine"}, {"game.exe.sh"}, {}} {
		assert.False(t, runsInPrefix(args), args)
	}
}

func TestTimesOfARun(t *testing.T) {
	for text, want := range map[string]time.Duration{"95s": 95 * time.Second, "1m35s": 95 * time.Second, "1:35": 95 * time.Second, "95": 95 * time.Second, "0": 0, "0.5": 500 * time.Millisecond, "2:05.25": 125250 * time.Millisecond, "1500ms": 1500 * time.Millisecond, "61:00": 61 * time.Minute} {
		got, err := parseTime(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "soon", "-1", "-5s", "1:60", "1:-2", ":5", "1:2:3", "NaN", "1e99", "x:10", "70000:00"} {
		_, err := parseTime(text)
		assert.ErrorContains(t, err, "write 95s, 1m35s or 1:35", "%q", text)
	}
	for _, word := range capture.Cues {
		assert.NotEmpty(t, cueMeans[word], word)
	}
}

// A program of an edition is named as it is called there; one that is here goes first.
func TestWhereAProgramIsInstalled(t *testing.T) {
	install := t.TempDir()
	t.Chdir(t.TempDir())
	for _, name := range []string{"fen.exe", filepath.Join("bin", "deep.exe")} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(install, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(install, name), nil, 0o644))
	}
	assert.Equal(t, filepath.Join(install, "fen.exe"), whereInstalled(install, "fen.exe"))
	assert.Equal(t, filepath.Join(install, "bin", "deep.exe"), whereInstalled(install, "bin/deep.exe"))
	for _, program := range []string{"cmd.exe", "../fen.exe", "/elsewhere/fen.exe"} {
		assert.Equal(t, program, whereInstalled(install, program))
	}
	assert.Equal(t, "fen.exe", whereInstalled("", "fen.exe"))
	require.NoError(t, os.WriteFile("fen.exe", nil, 0o644))
	assert.Equal(t, "fen.exe", whereInstalled(install, "fen.exe"))
}

func TestATextFromRightToLeftIsIsolated(t *testing.T) {
	assert.Equal(t, "\u2068שלום\u2069", shown("שלום"))
	assert.Equal(t, "\u2068saves of مرحبا\u2069", shown("saves of مرحبا"))
	assert.Equal(t, "\u2068\\u2069שלום\\u202E\u2069", shown("\u2069שלום\u202e"), "nothing in it ends its own isolation")
	assert.Equal(t, "霧の灯 é", shown("霧の灯 é"))
}

func TestASubmissionSaysThatNamesStayBehind(t *testing.T) {
	for at, hidden := range map[string]bool{"xdg-data:tidewrack/ANNA.sav": true, "xdg-data:tidewrack/slot1.sav": false} {
		fp := &footprint.Footprint{OS: "linux", Files: []footprint.File{{Place: at, Kind: footprint.Save, Writes: 1, Reasons: []string{"its name"}}}}
		d := &draft.Draft{Format: draft.Format, Title: "Tidewrack", OS: "linux", Locations: []draft.Location{{At: "xdg-data:tidewrack/*.sav", Holds: draft.Save}}}
		body, err := contribution.Prepare(d, fp)
		require.NoError(t, err)
		var out bytes.Buffer
		require.NoError(t, (&app{out: &out}).preview(body, 100))
		assert.NotContains(t, out.String(), "ANNA")
		assert.Equal(t, hidden, strings.Contains(out.String(), "are sent as name-1, name-2 and so on"), out.String())
	}
}
