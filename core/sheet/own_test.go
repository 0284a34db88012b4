package sheet

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
)

func TestALauncherKeepsItsHomeForItself(t *testing.T) {
	s, err := Parse([]byte(quayside(t)))
	require.NoError(t, err)
	for at, free := range map[string]bool{
		"xdg-data:quayside/settings/":                        false,
		"xdg-data:quayside/settings/sign-in.qk":              false,
		"home:.local/share/quayside/settings/*.qk":           false,
		"xdg-data:quay*/*.qk":                                false,
		"xdg-data:quayside/":                                 false,
		"local-app-data:Quayside/settings/":                  false,
		"home:AppData/Local/quayside/x":                      false,
		"xdg-data:quayside/installed/Tidewrack/saves/":       true,
		"xdg-data:quayside/**/x.sav":                         false,
		"install:settings/":                                  true,
		"account-data:418820/remote/":                        true,
		"xdg-data:tidewrack/":                                true,
		"xdg-data:quaysides/":                                true,
		"home:.local/share/quayside/installed/Tidewrack/a.c": true,
	} {
		l, err := place.Parse(at)
		require.NoError(t, err, at)
		err = CheckOwnFiles(l, []*Sheet{s})
		if free {
			assert.NoError(t, err, at)
		} else {
			assert.ErrorContains(t, err, "belongs to Quayside itself", at)
		}
	}
	part := s.Systems["linux"]
	require.NotNil(t, part.Accounts)
	at := "xdg-data:quayside/" + part.Accounts.Folder + "418820/remote/"
	l, err := place.ParseAny(at)
	require.NoError(t, err, at)
	assert.NoError(t, CheckOwnFiles(l, []*Sheet{s}), at)
}

func TestLaunchersFilesOnThisMachine(t *testing.T) {
	got := KeepsOf([]Found{
		{Name: "Quayside", Home: "/h/quayside", Libraries: []Library{{Folder: "/h/quayside", Editions: []Edition{{Folder: "/h/quayside/installed/T", Prefix: "/h/quayside/p/1"}}}, {Folder: "/games"}}, Accounts: []Account{{Folder: "/h/quayside/a/1"}}},
		{Name: "none"},
	})
	assert.Equal(t, []Keeps{{"Quayside", "/h/quayside", []string{"/h/quayside/installed/T", "/h/quayside/p/1", "/games", "/h/quayside/a/1"}}}, got)
}
