package place

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestForms(t *testing.T) {
	for _, c := range []struct{ at, os, runtime, usual, form string }{
		{"xdg-data:tidewrack/slots/slot{slot}.sav", "linux", "native", "~/.local/share/tidewrack/slots/slot{slot}.sav", `"${XDG_DATA_HOME:-$HOME/.local/share}"/tidewrack/slots`},
		{"xdg-config:tidewrack/settings.ini", "linux", "native", "~/.config/tidewrack/settings.ini", `"${XDG_CONFIG_HOME:-$HOME/.config}"/tidewrack/settings.ini`},
		{"home:.tidewrack", "linux", "native", "~/.tidewrack", `"$HOME"/.tidewrack`},
		{"home:.tide wrack/saves/", "linux", "native", "~/.tide wrack/saves/", `"$HOME"/'.tide wrack'/saves`},
		{"var-games:tidewrack.scores", "linux", "native", "/var/games/tidewrack.scores", "/var/games/tidewrack.scores"},
		{"roaming-app-data:Tidewrack/{account}/profile.bin", "windows", "native", `%APPDATA%\Tidewrack\{account}\profile.bin`, `%APPDATA%\Tidewrack`},
		{"saved-games:Lantern Hollow/{account}/", "linux", "prefix", `%USERPROFILE%\Saved Games\Lantern Hollow\{account}\`, `%USERPROFILE%\Saved Games\Lantern Hollow`},
		{"local-low-app-data:Fen/a.dat", "windows", "native", `%USERPROFILE%\AppData\LocalLow\Fen\a.dat`, `%USERPROFILE%\AppData\LocalLow\Fen\a.dat`},
		{"mac-application-support:Tidewrack/**/save.dat", "macos", "native", "~/Library/Application Support/Tidewrack/**/save.dat", `"$HOME"/Library/'Application Support'/Tidewrack`},
		{"xdg-data:tw/50%25 done.sav", "linux", "native", "~/.local/share/tw/50%25 done.sav", `"${XDG_DATA_HOME:-$HOME/.local/share}"/tw/'50% done.sav'`},
		{"install:saves/", "linux", "native", "", ""},
		{"registry:HKEY_CURRENT_USER/Software/Tidewrack/", "windows", "native", "", `HKEY_CURRENT_USER\Software\Tidewrack`},
	} {
		l, err := Parse(c.at)
		require.NoError(t, err, c.at)
		assert.Equal(t, c.usual, l.Usual(c.os, c.runtime), c.at)
		forms := l.Forms(c.os, c.runtime)
		if c.form == "" {
			assert.Empty(t, forms, c.at)
			continue
		}
		require.NotEmpty(t, forms, c.at)
		assert.Equal(t, c.form, forms[0].Text, c.at)
	}
}

func TestFormsOfWindowsAndAPrefix(t *testing.T) {
	texts := func(forms []Form) map[string]string {
		out := map[string]string{}
		for _, f := range forms {
			out[f.For] = f.Text
		}
		return out
	}
	at := func(text string) Location {
		l, err := Parse(text)
		require.NoError(t, err)
		return l
	}
	assert.Equal(t, map[string]string{ForFileManager: `%APPDATA%\Tide & Co\slots`, ForPowerShell: `"$env:APPDATA\Tide & Co\slots"`},
		texts(at("roaming-app-data:Tide & Co/slots/slot{slot}.sav").Forms("windows", "native")))
	quayside := Inside{`"$HOME"/.local/share/quayside/prefixes/505310`, "player"}
	assert.Equal(t, map[string]string{
		ForFileManager: `%USERPROFILE%\Saved Games\Lantern Hollow`,
		ForPrograms:    `C:\users\player\Saved Games\Lantern Hollow`,
		ForShell:       `"$HOME"/.local/share/quayside/prefixes/505310/drive_c/users/player/'Saved Games'/'Lantern Hollow'`,
	}, texts(at("saved-games:Lantern Hollow/{account}/").FormsIn(quayside)))
	assert.Equal(t, `C:\Games\Fen`, texts(at("prefix-drive:Games/Fen/").FormsIn(Inside{}))[ForPrograms])
	assert.Equal(t, map[string]string{ForFileManager: `%APPDATA%\Fen`}, texts(at("roaming-app-data:Fen/").FormsIn(Inside{})), "without the user's name there is no path on the drive")
	assert.Equal(t, map[string]string{ForRegistry: `HKEY_CURRENT_USER\Software\Fen`}, texts(at("registry:HKEY_CURRENT_USER/Software/Fen/").FormsIn(quayside)))
	assert.Equal(t, "\"$env:A\\x`$y``z\"", PowerShellQuote("%A%\\x$y`z"))
	assert.Equal(t, `'C:\it''s'`, PowerShellQuote(`C:\it's`))
	assert.Equal(t, "'C:\\it’’s ‘‘so‛‛ ‚‚'", PowerShellQuote("C:\\it’s ‘so‛ ‚"), "typographic quotes are quotes there")
	assert.Equal(t, "\"$env:A\\`“x`” `„\"", PowerShellQuote("%A%\\“x” „"))
	assert.Equal(t, `"${XDG_DATA_HOME:-$HOME/.local/share}"/quayside`, at("xdg-data:quayside/").ShellRoot())
}

func TestOnWhatAnAnchorIs(t *testing.T) {
	d, ok := Define(Documents)
	require.True(t, ok)
	assert.Contains(t, d.On("linux", "native"), "user-dirs.dirs")
	assert.Contains(t, d.On("windows", "native"), "FOLDERID_Documents")
	assert.Equal(t, d.On("windows", "native"), d.On("linux", "prefix"))
	assert.Equal(t, "~/Documents", d.On("macos", "native"))
	_, ok = Define("treasure")
	assert.False(t, ok)
}

// What is quoted is one word for a shell, to the byte.
func TestAShellReadsWhatWasQuoted(t *testing.T) {
	bash, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("there is no bash here")
	}
	asRead := func(texts []string) []string {
		script := "printf '%s\\0'"
		for _, text := range texts {
			script += " " + ShellQuote(text)
		}
		out, err := exec.Command(bash, "-c", script).Output()
		require.NoError(t, err, script)
		return strings.Split(strings.TrimSuffix(string(out), "\x00"), "\x00")
	}
	hard := []string{"plain", "two words", "it's", `back\slash`, "$HOME", "`id`", "$(id)", "a\nb", "tab\t", "-n", "*", "?", "~", "#x", "!!", "é", "n\xff\xfe", "\x1b[2J", "\u202e", "'", "''", `"`, "a;b", "a&b", "\u200b", ""}
	assert.Equal(t, hard, asRead(hard))
	rapid.Check(t, func(rt *rapid.T) {
		texts := []string{}
		for _, b := range rapid.SliceOfN(rapid.SliceOfN(rapid.ByteRange(1, 255), 1, 12), 1, 20).Draw(rt, "texts") {
			texts = append(texts, string(b))
		}
		require.Equal(rt, texts, asRead(texts))
	})
}

func TestNothingQuotedReachesTheTerminalRaw(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		for _, r := range ShellQuote(string(rapid.SliceOfN(rapid.ByteRange(1, 255), 0, 30).Draw(rt, "bytes"))) {
			require.True(rt, r == ' ' || r >= 0x21 && r != 0x7f && !special(r, 3) || strings.ContainsRune(`%*?{}/\`, r), "%q", r)
		}
	})
}

func TestLocationsAsText(t *testing.T) {
	l, err := Parse("xdg-data:tidewrack/slots/slot{slot}.sav")
	require.NoError(t, err)
	text, err := l.MarshalText()
	require.NoError(t, err)
	var back Location
	require.NoError(t, back.UnmarshalText(text))
	assert.Equal(t, l, back)
	assert.Error(t, back.UnmarshalText([]byte("xdg-data:*")), "it is as strict as Parse")
}
