package contribution

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/footprint"
	"endroit/core/sheet"
)

func TestSheetResultsAreSentAsCounts(t *testing.T) {
	on := true
	found := []sheet.Found{
		{Home: "/h", Cloud: &on, Accounts: []sheet.Account{{ID: "90210017", InUse: true}, {ID: "2"}}, Starts: []sheet.Started{{}}, Notes: []sheet.Note{{}},
			Libraries: []sheet.Library{{Folder: "/h", Editions: []sheet.Edition{{Name: "Tidewrack", Prefix: "/p"}, {Missing: "gone"}}}, {Folder: "/m", Missing: "unplugged"}}},
		{Prefix: "/p", Libraries: []sheet.Library{{Editions: []sheet.Edition{{}}}}},
	}
	f := FindingsOf("linux", found)
	assert.Equal(t, &Findings{OS: "linux", Installations: 2, Libraries: 2, Titles: 3, Missing: 2, Prefixes: 1, Accounts: 2, InUse: true, Cloud: true, Starts: 1, Odd: 1}, f)
	assert.Contains(t, f.String(), "2 installations, 2 libraries, 3 titles")

	text, err := os.ReadFile("../../standin/launchers/larder.yaml")
	require.NoError(t, err)
	s, err := sheet.Parse(text)
	require.NoError(t, err)
	b := &Sheet{Head: Head{Name: SheetKind}, Sheet: s, Found: f}
	require.NoError(t, b.Check(t.Context()))
	assert.Equal(t, SheetKind, b.Kind())
	assert.Equal(t, "Larder", b.About().Title)
	raw, err := Encode(b)
	require.NoError(t, err)
	assert.NotContains(t, string(raw), "90210017")
	assert.NotContains(t, string(raw), "draft")
	f.OS = "beos"
	assert.ErrorContains(t, b.Check(t.Context()), "found.os")
	b.Found = nil
	assert.ErrorContains(t, b.Check(t.Context()), "what it found")
}

func TestSheetNoteHasNoPersonalNames(t *testing.T) {
	b := PrepareSheet(&sheet.Sheet{Name: "Mira's"}, &Findings{}, "as on heron, in /home/mira/Games, says Mira of account 76561198000000042", &footprint.Self{User: "mira", Host: "heron", Home: "/home/mira"})
	assert.Equal(t, "as on {host}, in ~/Games, says {user} of account {account}", b.Note)
	assert.Equal(t, "Mira's", b.Sheet.Name, "what is published is unchanged")
}
