package place

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParseRefusesWithAReason(t *testing.T) {
	for text, reason := range map[string]string{
		"":                                       "no colon",
		"xdg-data":                               "no colon",
		"desktop:x/":                             "no anchor \"desktop\"",
		"xdg-data:":                              "empty",
		"xdg-data:/etc/passwd":                   "begins with a slash",
		"xdg-data:a//b":                          "at 2: an empty segment",
		"xdg-data:a/../b":                        "is not allowed in a path",
		"xdg-data:./b":                           "is not allowed in a path",
		`xdg-data:a\b`:                           "backslash",
		"xdg-data:a/{slots}":                     "no named part {slots}",
		"xdg-data:a/{slot":                       "{ without }",
		"xdg-data:a/slot}":                       "} without {",
		"xdg-data:a/{slot}{account}":             "two variable parts without text between them",
		"xdg-data:a/*{slot}":                     "two variable parts without text between them",
		"xdg-data:a/{slot}-{slot}":               "twice in one segment",
		"xdg-data:a/x**":                         "two variable parts without text between them",
		"xdg-data:a/**/**/b":                     "two ** in a row",
		"xdg-data:a/**":                          "ends in **",
		"xdg-data:a/**/b/**/c/**/d":              "3 times **",
		"xdg-data:a/%41":                         "write it as a/A",
		"xdg-data:a/%2a":                         "hexadecimal",
		"xdg-data:a/%00":                         "NUL",
		"xdg-data:a/ b":                          "write it as a/%20b",
		"xdg-data:a/\x1b[2J":                     "write it as a/%1B[2J",
		"xdg-data:a/" + strings.Repeat("x/", 40): "at most 32",
		"xdg-data:" + strings.Repeat("x", 2000):  "at most 1024",
	} {
		_, err := Parse(text)
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), reason, text)
		}
	}
}

func TestWideLocationsAreRefused(t *testing.T) {
	for _, text := range []string{
		"home:*", "home:**/save.dat", "home:*/", "home:*.sav", "home:.*/", "home:?", "home:{user}/",
		"home:.config/", "home:.config/*", "home:.con*/", "home:.local/", "home:.local/share/", "home:.local/**/x.sav",
		"home:.local/share/**/x", "home:**/tidewrack/", "home:Documents/", "home:Documents/*.txt", "home:.CONFIG/",
		"home:.ssh/", "home:.ssh/id_*", "home:.ss?/id", "home:.gnupg/tidewrack.sav", "home:.netrc", "home:.SSH/config",
		"home:.config/chromium/Default/Cookies", "xdg-config:chromium/", "xdg-data:keyrings/x",
		"xdg-data:*/", "xdg-data:ab*/", "xdg-data:{slot}/save", "documents:My Games/", "documents:my games/*",
		"install:*", "install:**/*", "install:{slot}", "account-data:*", "account-data:{account}/",
		"prefix-drive:users/", "prefix-drive:users/{user}/", "prefix-drive:users/*/AppData/", "prefix-drive:users/x/AppData/Roaming/*",
		"prefix-drive:Windows/system32/", "prefix-drive:users/{user}/**/x.sav",
		"registry:Software/x/", "registry:HKEY_CURRENT_USER/", "registry:HKEY_CURRENT_USER/Software/", "registry:HKEY_CURRENT_USER/Software/Microsoft/x",
		"roaming-app-data:microsoft/credentials/x",
		"home:.bashrc", "home:.bash*", "home:.PROFILE", "home:.zsh*", "home:.local/bin/tidewrack", "home:bin/", "xdg-config:dconf/user", "home:.config/fish/config.fish", "xdg-data:applications/tidewrack.desktop",
		"home:.wine/drive_c/users/mira/", "home:.wine/drive_c/users/*/AppData/", "home:.var/app/example.Launcher/data/", "home:.var/app/*/data/tidewrack/a.sav", "home:Library/LaunchAgents/x.plist",
	} {
		_, err := Parse(text)
		var wide *WideError
		assert.ErrorAs(t, err, &wide, text)
	}
	for _, text := range []string{
		"xdg-data:tidewrack/slots/*.sav", "xdg-data:tw/", "home:.tidewrack", "home:.tidewrack/", "home:.tide*-scores", "install:saves/", "install:*.sav",
		"roaming-app-data:Tidewrack/{account}/profile.bin", "registry:HKEY_CURRENT_USER/Software/Tidewrack/",
		"account-data:{ref}/remote/", "documents:My Games/Tidewrack/**/*.sav", "home:.local/share/tidewrack/", "var-games:tide.scores",
		"prefix-drive:users/{user}/Documents/Tidewrack/", "install:**/profile.bin", "home:.var/app/example.Tidewrack/data/tidewrack/slots/", "home:.wine/drive_c/users/mira/Tidewrack/", "home:.bin-a-tidewrack",
	} {
		_, err := Parse(text)
		assert.NoError(t, err, text)
	}
}

func TestMatch(t *testing.T) {
	for _, c := range []struct {
		at, file string
		want     Captures // nil: no match
	}{
		{"xdg-data:tw/a.sav", "tw/a.sav", Captures{}},
		{"xdg-data:tw/a.sav", "tw/A.sav", nil},
		{"roaming-app-data:Tw/a.sav", "tW/A.SAV", Captures{}},
		{"roaming-app-data:Straße/x", "STRAßE/x", Captures{}},
		{"xdg-data:tw/*.sav", "tw/.sav", Captures{}},
		{"xdg-data:tw/*.sav", "tw/a.sav.bak", nil},
		{"xdg-data:tw/*.sav", "tw/b/a.sav", nil},
		{"xdg-data:tw/?.sav", "tw/é.sav", Captures{}},
		{"xdg-data:tw/?.sav", "tw/ab.sav", nil},
		{"xdg-data:tw/slot{slot}.sav", "tw/slot12.sav", Captures{"slot": "12"}},
		{"xdg-data:tw/slot{slot}.sav", "tw/slot.sav", nil},
		{"xdg-data:tw/{slot}.{user}.sav", "tw/1.2.x.sav", Captures{"slot": "1", "user": "2.x"}},
		{"xdg-data:tw/{slot}a*a", "tw/aaa", Captures{"slot": "a"}},
		{"xdg-data:tw/{account}/{account}.sav", "tw/77/77.sav", Captures{"account": "77"}},
		{"xdg-data:tw/{account}/{account}.sav", "tw/77/78.sav", nil},
		{"xdg-data:tw/", "tw/a/b/c", Captures{}},
		{"xdg-data:tw/", "tw", nil},
		{"xdg-data:tw/**/x", "tw/x", Captures{}},
		{"xdg-data:tw/**/x", "tw/a/b/x", Captures{}},
		{"xdg-data:tw/**/saves/", "tw/a/saves/b/c", Captures{}},
		{"xdg-data:tw/a%FFb", "tw/a\xffb", Captures{}},
		{"xdg-data:tw/*b", "tw/a\xffb", Captures{}},
		{"xdg-data:tw/slot?.s*v", "tw/slot3.sav", Captures{}},
		{"xdg-data:tw/*ab", "tw/aab", Captures{}},
		{"xdg-data:tw/*a?*b", "tw/aab", Captures{}},
	} {
		l, err := Parse(c.at)
		require.NoError(t, err)
		got, ok := l.Match(strings.Split(c.file, "/"), nil)
		if assert.Equal(t, c.want != nil, ok, "%s on %s", c.at, c.file) && ok {
			assert.Equal(t, len(c.want), len(got))
			for k, v := range c.want {
				assert.Equal(t, v, got[k], "%s on %s", c.at, c.file)
			}
		}
	}
	l, _ := Parse("xdg-data:tw/{user}/x")
	_, ok := l.Match([]string{"tw", "mira", "x"}, Captures{"user": "tobin"})
	assert.False(t, ok, "a part that is known must have the known text")
}

func TestOverlap(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"xdg-data:tw/a*", "xdg-data:tw/*b", true},
		{"xdg-data:tw/a*", "xdg-data:tw/b*", false},
		{"xdg-data:tw/", "xdg-data:tw/slots/x.sav", true},
		{"xdg-data:tw/", "xdg-data:tw", false},
		{"xdg-data:tw/**/x", "xdg-data:tw/a/b/y", false},
		{"xdg-data:tw/**/x", "xdg-data:tw/a/**/x", true},
		{"xdg-config:tw/c.ini", "home:.config/tw/*.ini", true},
		{"xdg-config:tw/c.ini", "xdg-data:tw/c.ini", false},
		{"roaming-app-data:TW/a", "prefix-drive:users/{user}/AppData/Roaming/tw/A", true},
		{"xdg-data:tw/{slot}x", "xdg-data:tw/x", false},
	} {
		a, err := Parse(c.a)
		require.NoError(t, err)
		b, err := Parse(c.b)
		require.NoError(t, err)
		assert.Equal(t, c.want, Overlap(a, b), "%s and %s", c.a, c.b)
		assert.Equal(t, c.want, Overlap(b, a), "%s and %s", c.b, c.a)
	}
}

// anyPart draws parts that may stand next to each other.
var anySegment = rapid.Custom(func(t *rapid.T) Segment {
	var s Segment
	names := []string{"account", "slot", "user", "ref"}
	variable := false
	for range rapid.IntRange(1, 4).Draw(t, "parts") {
		switch k := rapid.IntRange(0, 3).Draw(t, "kind"); {
		case k == 1 && !variable:
			s, variable = append(s, Part{Kind: Any}), true
		case k == 2:
			s, variable = append(s, Part{Kind: One}), false
		case k == 3 && !variable && len(names) > 0:
			s, variable = append(s, Part{Named, names[0]}), true
			names = names[1:]
		default:
			if n := len(s); n == 0 || s[n-1].Kind != Literal {
				s, variable = append(s, Part{Literal, fileName.Draw(t, "literal")}), false
			}
		}
	}
	return s
})

// fileName draws names as hostile as Linux allows them.
var fileName = rapid.Custom(func(t *rapid.T) string {
	if rapid.Bool().Draw(t, "plain") {
		return rapid.StringMatching(`[A-Za-z0-9 ._%*?{}\\:-]{1,12}`).Filter(notDots).Draw(t, "name")
	}
	b := rapid.SliceOfN(rapid.ByteRange(1, 255), 1, 12).Filter(func(b []byte) bool {
		return !strings.Contains(string(b), "/") && notDots(string(b))
	}).Draw(t, "bytes")
	return string(b)
})

func notDots(s string) bool { return s != "." && s != ".." }

func TestParseAndPrintAreInverses(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := Pattern{Segments: []Segment{LiteralSegment("tidewrack")}, Folder: rapid.Bool().Draw(t, "folder")}
		p.Segments = append(p.Segments, rapid.SliceOfN(anySegment, 1, 4).Draw(t, "segments")...)
		l := Location{XDGData, p}
		again, err := ParseAny(l.String())
		require.NoError(t, err)
		require.Equal(t, l, again)
	})
}

func TestALocationMadeOfAFileMatchesThatFileAlone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names := rapid.SliceOfN(fileName, 1, 5).Draw(t, "names")
		other := rapid.SliceOfN(fileName, 1, 5).Draw(t, "other")
		l := Of(XDGData, names, false)
		_, ok := l.Match(names, nil)
		require.True(t, ok)
		_, ok = l.Match(other, nil)
		require.Equal(t, strings.Join(names, "/") == strings.Join(other, "/"), ok)
	})
}

// The short cuts agree with the whole comparison.
func TestSegmentsMeetWhereTheyHaveANameInCommon(t *testing.T) {
	some := rapid.Custom(func(t *rapid.T) Segment {
		var s Segment
		for range rapid.IntRange(1, 3).Draw(t, "parts") {
			kind := rapid.SampledFrom([]PartKind{Literal, Literal, Any, One, Named}).Draw(t, "kind")
			s = append(s, Part{kind, map[bool]string{true: rapid.SampledFrom([]string{"k", "K", "\u212a", "ab", "aB", "s", "\u017f", "é", "É", "\xff"}).Draw(t, "text")}[kind == Literal]})
		}
		return s
	})
	rapid.Check(t, func(t *rapid.T) {
		m := matcher{fold: rapid.Bool().Draw(t, "fold")}
		a, b := some.Draw(t, "a"), some.Draw(t, "b")
		assert.Equal(t, m.haveCommon(a, b), m.segmentsMeet(a, b))
	})
}

// A location that meets no guard on its way meets none at all.
func TestGuardedPlacesAreCheckedAlongThePath(t *testing.T) {
	names := []string{"users", "USERS", "player", ".local", "share", "Documents", "My Games", "*", "a*", "u*", "?sers", "{user}", "**", "tide", ".ssh", ".bashrc", "bin", "AppData", "Roaming", "Microsoft", "Protect"}
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom([]string{"home:", "prefix-drive:", "xdg-data:", "documents:", "roaming-app-data:"}).Draw(t, "anchor") +
			strings.Join(rapid.SliceOfN(rapid.SampledFrom(names), 1, 5).Draw(t, "names"), "/") + rapid.SampledFrom([]string{"", "/"}).Draw(t, "folder")
		l, err := parse(text)
		if err != nil {
			return
		}
		for _, s := range l.spellings() {
			meets := func(way []Segment) (met bool) {
				for g := range guards()[s.Anchor].on(way) {
					met = met || s.guard(g) != nil
				}
				return met
			}
			assert.Equal(t, meets(nil), meets(s.Pattern.Segments), text)
		}
	})
}

// A match without captures gives the same answer.
func TestSegmentFormatsWhatItMatches(t *testing.T) {
	fits := 0
	rapid.Check(t, func(t *rapid.T) {
		l := Location{XDGData, Pattern{Segments: []Segment{anySegment.Draw(t, "segment")}}}
		name, fold := fileName.Draw(t, "name"), rapid.Bool().Draw(t, "fold")
		known := rapid.SampledFrom([]Captures{nil, {"slot": "1"}, {"user": name, "slot": name}}).Draw(t, "known")
		_, ok := l.MatchSegment(0, name, known, fold)
		if ok {
			fits++
		}
		assert.Equal(t, ok, l.SegmentMatches(0, name, known, fold))
	})
	assert.NotZero(t, fits)
}

func TestCommonMatchIsAnOverlap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pattern := rapid.SliceOfN(rapid.SampledFrom([]string{"*", "a*", "*b", "a?", "{slot}", "**", "ab", "b"}), 1, 4)
		draw := func(label string) Location {
			text := "xdg-data:tidewrack/" + strings.Join(pattern.Draw(t, label), "/") + rapid.SampledFrom([]string{"", "/"}).Draw(t, "folder")
			l, err := Parse(text)
			if err != nil {
				t.Skip(err)
			}
			return l
		}
		a, b := draw("a"), draw("b")
		file := append([]string{"tidewrack"}, rapid.SliceOfN(rapid.SampledFrom([]string{"a", "ab", "b", "abb"}), 1, 5).Draw(t, "file")...)
		_, inA := a.Match(file, nil)
		_, inB := b.Match(file, nil)
		if inA && inB {
			require.True(t, Overlap(a, b), "%s and %s both match %v", a, b, file)
		}
	})
}

func TestRootsFollowTheProcess(t *testing.T) {
	r := LinuxRoots(map[string]string{"HOME": "/home/mira", "XDG_DATA_HOME": "/data/mira", "XDG_CONFIG_HOME": "relative"})
	for file, want := range map[string]string{
		"/data/mira/tidewrack/a.sav":     "xdg-data:tidewrack/a.sav",
		"/home/mira/.config/tidewrack/c": "xdg-config:tidewrack/c",
		"/home/mira/.local/share/tw/x":   "home:.local/share/tw/x",
		"/home/mira/.tidewrack":          "home:.tidewrack",
		"/home/miranda/x":                "",
		"/home/mira":                     "",
		"/var/games/tide.scores":         "var-games:tide.scores",
		"/usr/lib/libc.so":               "",
	} {
		a, names, ok := r.Place(file)
		if want == "" {
			assert.False(t, ok, file)
			continue
		}
		assert.Equal(t, want, Of(a, names, false).String())
	}
	assert.Equal(t, Roots{VarGames: "/var/games"}, LinuxRoots(nil))
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"xdg-data:tidewrack/slots/*.sav", "home:.x/{user}/**/a?", "install:%25x/"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if l, err := Parse(text); err == nil {
			require.Equal(t, text, l.String())
			l.Match([]string{"a", "b"}, nil)
			Overlap(l, l)
		}
	})
}

// The short way to an exact place's text is the long one's.
func TestExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var names []string
		for _, b := range rapid.SliceOfN(rapid.SliceOfN(rapid.ByteRange(1, 255), 1, 8), 1, 5).Draw(t, "names") {
			names = append(names, string(b))
		}
		require.Equal(t, Of(XDGData, names, false).String(), Exact(XDGData, names))
	})
	assert.Equal(t, "xdg-data:a%20/%20b%25/c", Exact(XDGData, []string{"a ", " b%", "c"}))
}
