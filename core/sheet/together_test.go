package sheet

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func standin(t testing.TB, name string) *Sheet {
	t.Helper()
	text, err := os.ReadFile("../../standin/launchers/" + name + ".yaml")
	require.NoError(t, err)
	s, err := Parse(text)
	require.NoError(t, err)
	return s
}

// starting is a sheet whose launcher hands over to others.
func starting(t testing.TB, id string, others ...string) *Sheet {
	t.Helper()
	text := fmt.Sprintf("format: endroit/sheet/1\nid: %s\nname: %s\nsystems:\n  linux:\n    home: [xdg-data:%s/]\n    starts:\n", id, id, id)
	for _, o := range others {
		text += fmt.Sprintf("      - {launcher: %s, files: shelf.json, as: json, ref: $.ref}\n", o)
	}
	s, err := Parse([]byte(text))
	require.NoError(t, err)
	return s
}

func TestLaunchersThatHandOverInACircle(t *testing.T) {
	a, b, c := starting(t, "aa", "bb"), starting(t, "bb", "cc", "dd"), starting(t, "cc")
	assert.Nil(t, Circle(a, []*Sheet{b, c}))
	back := starting(t, "cc", "aa")
	assert.Equal(t, []string{"aa", "bb", "cc", "aa"}, Circle(a, []*Sheet{b, back}).Way)
	clashes := Clashes(back, []*Sheet{a, b, c})
	require.Len(t, clashes, 1)
	assert.Contains(t, clashes[0].Error(), "cc, then aa, then bb, then cc")
	assert.Equal(t, "systems.linux.starts", clashes[0].Field)

	// A circle that one does not belong to is the others' matter, and ends too.
	assert.Nil(t, Circle(starting(t, "ee", "aa"), []*Sheet{a, b, back}))
	_, err := Parse([]byte("format: endroit/sheet/1\nid: aa\nname: A\nsystems:\n  linux:\n    home: [xdg-data:aa/]\n    starts: [{launcher: aa, files: s.json, as: json, ref: $.r}]\n"))
	assert.ErrorContains(t, err, "a launcher cannot hand over to itself")
}

func TestSheetConflicts(t *testing.T) {
	quayside, brasslight := standin(t, "quayside"), standin(t, "brasslight")
	assert.Empty(t, Clashes(quayside, []*Sheet{quayside, brasslight}), "it replaces itself")
	other := *brasslight
	other.Addresses = []string{"quayside.example/title/old/{ref}"}
	other.Systems = map[string]System{"linux": {Home: quayside.Systems["linux"].Home}}
	clashes := Clashes(&other, []*Sheet{quayside})
	require.Len(t, clashes, 2)
	assert.Equal(t, "addresses[0]", clashes[0].Field)
	assert.Contains(t, clashes[1].Reason, "Quayside is installed in xdg-data:quayside/ too")
}

func TestComparingSheets(t *testing.T) {
	now, next := standin(t, "quayside"), standin(t, "quayside")
	assert.Empty(t, Compare(now, next))
	y := next.Systems["linux"]
	y.Prefixes = &Prefixes{Folder: "prefixes/{ref}/", User: "somebody"}
	y.Cloud = nil
	y.Home = append(y.Home, "xdg-config:quayside/")
	next.Systems["linux"] = y
	assert.Equal(t, []Difference{
		{"systems.linux.cloud.as", "nested-text", ""},
		{"systems.linux.cloud.files", "settings/cloud.qk", ""},
		{"systems.linux.cloud.on", "$.cloud['keep-copies']", ""},
		{"systems.linux.cloud.titles.as", "nested-text", ""},
		{"systems.linux.cloud.titles.each", "$.cloud.titles[?@.reference]", ""},
		{"systems.linux.cloud.titles.files", "settings/cloud.qk", ""},
		{"systems.linux.cloud.titles.folder", "$.folder", ""},
		{"systems.linux.cloud.titles.on", "$.copies", ""},
		{"systems.linux.cloud.titles.ref", "$.reference", ""},
		{"systems.linux.home[1]", "", "xdg-config:quayside/"},
		{"systems.linux.prefixes.user", "player", "somebody"},
	}, Compare(now, next))
	all := Compare(nil, now)
	assert.Greater(t, len(all), 20)
	assert.Equal(t, Difference{Field: "addresses[0]", After: "quayside.example/title/{ref}"}, all[0])
}

func TestASheetInWords(t *testing.T) {
	text := ""
	for _, r := range standin(t, "quayside").Describe("linux") {
		text += r.What + ": " + r.Where + " (" + r.How + ")\n"
	}
	for _, want := range []string{
		"installed in: ~/.local/share/quayside/ (xdg-data:quayside/)", "libraries: settings/libraries.qk (read as nested-text, each $.libraries.*, folder $.path)",
		"prefixes: prefixes/{ref}/ (in the library of the title; the user inside is called player)", "account in use: settings/accounts.qk", "switch for cloud copies: settings/cloud.qk",
	} {
		assert.Contains(t, text, want)
	}
	larder := standin(t, "larder").Describe("windows")
	assert.Equal(t, "no launcher: plain installers", larder[0].Where)
	assert.True(t, strings.HasPrefix(larder[1].Where, `HKEY_LOCAL_MACHINE\Software\Microsoft\Windows\CurrentVersion\Uninstall`+"\n"))
	assert.Nil(t, standin(t, "larder").Describe("macos"))
	rows := standin(t, "brasslight").Describe("linux")
	assert.Equal(t, "hands over to quayside", rows[len(rows)-1].What)

	in := standin(t, "quayside").InsidePrefix("linux", "50 5310")
	assert.Equal(t, `"${XDG_DATA_HOME:-$HOME/.local/share}"/quayside/prefixes/'50 5310'`, in.Prefix)
	assert.Equal(t, "player", in.User)
	assert.Empty(t, standin(t, "quayside").InsidePrefix("windows", "1").Prefix)
	assert.Empty(t, standin(t, "larder").InsidePrefix("linux", "1").Prefix)
}

func TestJoiningWhatLaunchersFound(t *testing.T) {
	library := func(editions ...Edition) []Library { return []Library{{Editions: editions}} }
	quayside := Found{Launcher: "quayside", Name: "Quayside", System: "linux", Home: "/q", Accounts: []Account{{ID: "1", InUse: true}},
		Libraries: library(Edition{Store: "quayside", Ref: "505310", Name: "Lantern Hollow", Folder: "/q/l", Prefix: "/q/p"}, Edition{Store: "quayside", Ref: "7", Name: "Gone", Folder: "/q/g", Missing: "it is gone"})}
	larder := Found{Launcher: "larder", Name: "Larder", System: "windows", Prefix: "/wine", Libraries: library(Edition{Store: "larder", Name: "Copperfen", Folder: "/wine/c"})}
	brasslight := Found{Launcher: "brasslight", Name: "Brasslight", Home: "/b", Starts: []Started{{"quayside", "505310", "/b/shelf"}, {"quayside", "7", "/b/shelf"}}}
	third := Found{Launcher: "third", Name: "Third", Home: "/t", Starts: []Started{{"brasslight", "505310", "/t/list"}}}

	all, notes := Join([]Found{third, brasslight, quayside, larder})
	require.Len(t, all, 2)
	lantern, copperfen := all[0], all[1]
	assert.Equal(t, []string{"quayside", "third", "brasslight"}, lantern.Starters(), "by way of another too")
	assert.Equal(t, "quayside", lantern.Store, "the edition stays the store's that sold it")
	assert.Equal(t, "/q/p", lantern.Prefix)
	assert.Equal(t, "1", lantern.Accounts[0].ID)
	assert.Empty(t, copperfen.Launcher)
	assert.Equal(t, "/wine", copperfen.Prefix)
	assert.Equal(t, "windows", copperfen.System)
	assert.Equal(t, []Note{{"/b/shelf", "Brasslight starts 7 of quayside, which is not installed"}}, notes)

	gone := MissingEditions([]Found{third, brasslight, quayside, larder})
	require.Len(t, gone, 1)
	assert.Equal(t, "it is gone", gone[0].Missing)
	assert.Equal(t, "Quayside", gone[0].LauncherName)

	// Nobody lays out what is handed over in a circle.
	quayside.Libraries, quayside.Starts = nil, []Started{{"brasslight", "505310", "/q/list"}}
	all, notes = Join([]Found{quayside, brasslight})
	assert.Empty(t, all)
	require.Len(t, notes, 3)
	assert.Contains(t, notes[0].What, "in a circle (quayside, then brasslight, then quayside)")
}
