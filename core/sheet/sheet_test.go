package sheet

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/yamldoc"
)

func quayside(t testing.TB) string {
	t.Helper()
	text, err := os.ReadFile("../../standin/launchers/quayside.yaml")
	require.NoError(t, err)
	return string(text)
}

func TestMistakesInASheetAreFoundWhereTheyStand(t *testing.T) {
	good := quayside(t)
	_, err := Parse([]byte(good))
	require.NoError(t, err)
	for _, c := range []struct{ old, new, says string }{
		{"sheet/1", "sheet/2", "reads endroit/sheet/1"},
		{"id: quayside", "id: Quay Side", "lowercase letters"},
		{"name: Quayside", "name: ''", "missing"},
		{"title/{ref}", "title/", "an address must contain {ref} once, after the store's own name: quayside.example/title/{ref}"},
		{"quayside.example/title/{ref}", "'{ref}.example'", "an address must contain {ref} once, after the store's own name: quayside.example/title/{ref}"},
		{"  linux:", "  beos:", "it must be linux, windows or macos"},
		{"home: [xdg-data:quayside/]", "home: []", "there is none"},
		{"home: [xdg-data:quayside/]", "home: [xdg-data:quayside]", "must end with a slash"},
		{"home: [xdg-data:quayside/]", "home: ['xdg-data:quay*/']", "without wildcards"},
		{"home: [xdg-data:quayside/]", "home: [home:.config/]", "reaches too far"},
		{"home: [xdg-data:quayside/]", "home: [/opt/quayside/]", "no colon"},
		{"files: settings/libraries.qk", "files: ../libraries.qk", "is not allowed in a path"},
		{"files: settings/libraries.qk", "files: /etc/passwd", "begins with a slash"},
		{"files: settings/libraries.qk", "files: '**/libraries.qk'", "does not search folders of any depth"},
		{"files: settings/libraries.qk", "files: settings/", "must not end with a slash"},
		{"as: nested-text", "as: parchment", "; the formats are"},
		{"each: $.libraries.*", "each: libraries", "not a JSONPath"},
		{"folder: $.path", "folder: ''", "it must be a JSONPath, such as $.name"},
		{"folder: prefixes/{ref}/", "folder: prefixes/", "it must contain"},
		{"folder: prefixes/{ref}/", "folder: prefixes/{ref}", "must end with a slash"},
		{"folder: accounts/{account}/", "folder: accounts/{slot}/", "it must contain"},
		{"below: installed/", "below: ../", "is not allowed in a path"},
		{"ref: $.reference", "reference: $.reference", "unknown field"},
		{"name: Quayside", "name: &a Quayside", "anchors and aliases"},
		{"home: [xdg-data:quayside/]", "x-home: []", "libraries lie below it"},
		{"files: settings/libraries.qk", "files: '*/*'", "matches everything in its folder"},
		{"files: titles/{ref}.entry", "files: '{ref}'", "matches everything in its folder"},
		{"folder: accounts/{account}/", "folder: '{account}/'", "matches everything in its folder"},
		{"files: settings/cloud.qk", "x-files: none", "name files, or registry keys"},
		{"files: settings/cloud.qk", "keys: [HKEY_CURRENT_USER/Software/Quayside/]\n      files: settings/cloud.qk", "not both"},
		{"files: settings/cloud.qk", "keys: [HKEY_CURRENT_USER/Software/Quayside/]", "needs no form"},
		{"each: $.libraries.*", "each: $..a..b", "more than once"},
		{"each: $.libraries.*", "each: $.a[?@.b == $.c]", "a filter looks at its own node"},
		{"each: $.libraries.*", "each: $.a[?@.*]", "by names and positions alone"},
		{"each: $.libraries.*", "each: $.a[?@..b]", "by names and positions alone"},
		{"each: $.libraries.*", "each: $.a[?@[?@.b]]", "by names and positions alone"},
		{"each: $.libraries.*", "each: $.a[?@[0,0][0,0]]", "by names and positions alone"},
		{"each: $.libraries.*", "each: $.a[?@[:]]", "by names and positions alone"},
		{"each: $.libraries.*", "each: $['" + strings.Repeat("a", 300) + "']", "at most 300"},
		{"user: player", "user: ..\\\\player", "no name of a user"},
		{"quayside.example/title/{ref}", "'{ref}/title'", "an address must contain {ref} once, after the store's own name: quayside.example/title/{ref}"},
	} {
		text := strings.Replace(good, c.old, c.new, 1)
		require.NotEqual(t, good, text, c.old)
		_, err := Parse([]byte(text))
		var e *yamldoc.Error
		if assert.ErrorAs(t, err, &e, c.new) {
			assert.Contains(t, e.Error(), c.says, c.new)
			assert.Positive(t, e.Line, c.new)
			assert.Equal(t, "sheet", e.What)
		}
	}
	for _, fine := range []string{"each: $.a[?@.b == '$..c..']", "each: $.a[?@.b, ?@.c][*]", "each: $.a[?@['*'][0]].b[?match(@.c, '[a-z]*')]", "each: $..title", `each: '$["a\"$..b..c"]'`} {
		text := strings.Replace(good, "each: $.libraries.*", fine, 1)
		_, err := Parse([]byte(text))
		assert.NoError(t, err, fine)
	}
	withoutLauncher := func(titles string) error {
		_, err := Parse([]byte("format: endroit/sheet/1\nid: larder\nname: Larder\nsystems:\n  windows:\n" + titles))
		return err
	}
	for keys, says := range map[string]string{
		"[HKEY_LOCAL_MACHINE/Software/Larder/]":                         "",
		"[hkey_local_machine/software/Microsoft/Windows/Uninstall/]":    "",
		"[HKEY_LOCAL_MACHINE/Software/]":                                "at least one key",
		"[HKEY_LOCAL_MACHINE/Software/Microsoft/]":                      "settings of all programs",
		"[HKEY_USERS/Software/Larder/]":                                 "begins with HKEY_CURRENT_USER",
		"[HKEY_LOCAL_MACHINE/System/Larder/]":                           "below Software",
		"['HKEY_LOCAL_MACHINE/Software/*/']":                            "without wildcards",
		"[HKEY_LOCAL_MACHINE/Software/Larder]":                          "must end with a slash",
		"[" + strings.Repeat("HKEY_CURRENT_USER/Software/L/,", 9) + "]": "at most 8",
	} {
		err := withoutLauncher("    titles: {keys: " + keys + ", name: $.n, folder: $.f}\n")
		if says == "" {
			assert.NoError(t, err, keys)
		} else {
			assert.ErrorContains(t, err, says, keys)
		}
	}
	assert.ErrorContains(t, withoutLauncher("    titles: {files: a.json, as: json, name: $.n, folder: $.f}\n"), "titles lie below it")
	assert.ErrorContains(t, withoutLauncher("    {}\n"), "which registry key")
	assert.ErrorContains(t, withoutLauncher("    inside: {keys: [HKEY_CURRENT_USER/Software/L/], name: $.n}\n"), "it describes the folder that it is in, so it must be a file")
	assert.ErrorContains(t, withoutLauncher("    inside: {files: a.toml, as: toml, name: $.n}\n    accounts: {folder: 'a/{account}/'}\n"), "accounts lie below it")
}

func TestASheetThatIsTooLargeOrSomebodysOwn(t *testing.T) {
	good := quayside(t)
	_, err := Parse(make([]byte, MaxBytes+1))
	assert.ErrorContains(t, err, "at most")
	_, err = ParseJSON(make([]byte, MaxBytes+1))
	assert.ErrorContains(t, err, "at most")
	_, err = ParseJSON([]byte("{"))
	assert.Error(t, err)
	_, err = Parse([]byte(strings.Repeat("[", 60_000)))
	assert.ErrorContains(t, err, "it is nested more than 100 levels deep")
	_, err = Parse([]byte(good + "x-mine: 1\n"))
	assert.NoError(t, err)
}

func TestTheReferenceInAStorePagesAddress(t *testing.T) {
	s, err := Parse([]byte(quayside(t)))
	require.NoError(t, err)
	for address, want := range map[string]string{
		"https://quayside.example/title/418820":                  "418820",
		"http://www.quayside.example/title/418820/Tidewrack?x=1": "418820",
		"quayside.example/title/418820#reviews":                  "418820",
		"https://quayside.example/title/":                        "",
		"https://quayside.example/other/418820":                  "",
		"https://brasslight.example/title/418820":                "",
		"418820": "",
		"":       "",
	} {
		assert.Equal(t, want, s.RefIn(address), address)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(quayside(f)))
	f.Fuzz(func(t *testing.T, data []byte) {
		if s, err := Parse(data); err == nil {
			s.RefIn("https://quayside.example/title/418820")
		}
	})
}
