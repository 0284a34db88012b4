package place

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What a location may not reach is recognised in each spelling: below
// every anchor that contains its own, against every guard that is spelled there.
func TestNarrowInEverySpelling(t *testing.T) {
	all, allSecrets := spelled(), map[Anchor][]guard{}
	for _, c := range secret {
		for _, at := range c.at {
			l, err := parse(at)
			require.NoError(t, err, at)
			for _, s := range l.spellings() {
				allSecrets[s.Anchor] = append(allSecrets[s.Anchor], guard{Pattern{s.Pattern.Segments, true}, at, true, c.holds})
			}
		}
	}
	everyWay := func(l Location) bool {
		for _, s := range l.spellings() {
			if !byAnchor[s.Anchor].Shared {
				if s.singlesOut() != nil {
					return false
				}
				continue
			}
			if s.below(nil, "") != nil {
				return false
			}
			for _, g := range all[s.Anchor] {
				if s.guard(g) != nil {
					return false
				}
			}
			for _, g := range allSecrets[s.Anchor] {
				if s.guard(g) != nil {
					return false
				}
			}
		}
		return l.checkAmbiguousNames() == nil && l.namesSecret() == nil
	}
	names := map[string]bool{"*": true, "**": true, "{user}": true, "?": true, "tide*": true, "tidewrack": true, "ti*": true, "a.sav": true, "Public": true, "users": true}
	for _, guards := range slices.Concat(slices.Collect(maps.Values(all)), slices.Collect(maps.Values(allSecrets))) {
		for _, g := range guards {
			for _, s := range g.folder.Segments {
				names[s.String()] = true
				if text := s.String(); len(text) > 3 {
					names[text[:3]+"*"], names["*"+text[2:]], names[strings.ToUpper(text)] = true, true, true
				}
			}
		}
	}
	list := slices.Sorted(maps.Keys(names))
	wide, narrow := 0, 0
	rapid.Check(t, func(rt *rapid.T) {
		d := rapid.SampledFrom(Definitions).Draw(rt, "anchor")
		text := string(d.Anchor) + ":" + strings.Join(rapid.SliceOfN(rapid.SampledFrom(list), 1, 5).Draw(rt, "names"), "/")
		if d.Anchor == Registry {
			text = strings.Replace(text, ":", ":HKEY_CURRENT_USER/", 1)
		}
		if rapid.Bool().Draw(rt, "folder") {
			text += "/"
		}
		l, err := parse(text)
		if err != nil {
			rt.Skip(err)
		}
		is := l.Narrow() == nil
		if is {
			narrow++
		} else {
			wide++
		}
		if l.Pattern.startsInHome() || strings.Contains(text, ".var") || strings.Contains(text, "snap") {
			assert.True(rt, everyWay(l) || !is, text) // refused for what it may turn out to be
			return
		}
		assert.Equal(rt, everyWay(l), is, text)
	})
	assert.NotZero(t, wide)
	assert.NotZero(t, narrow)
}

// One anchor's folder can be another's: found by the test above in one run of many.
func TestAnchorsThatCanBeOneFolder(t *testing.T) {
	for _, text := range []string{"public-documents:Outlook Files/", "public-documents:PowerShell/x.ps1"} {
		l, err := parse(text)
		require.NoError(t, err)
		assert.Error(t, l.Narrow(), text)
	}
}

// That a pattern is plainly written has to mean that printing gives it back.
func TestPlainEnglish(t *testing.T) {
	plain := 0
	rapid.Check(t, func(rt *rapid.T) {
		text := strings.Join(rapid.SliceOfN(rapid.SampledFrom([]string{"a", "B", " ", "/", "*", "?", "{slot}", ".", "~", "é", "%20", "%2F", "-", "**"}), 1, 8).Draw(rt, "text"), "")
		if !plainlyWritten(strings.TrimSuffix(text, "/")) {
			return
		}
		if p, err := parsePattern(text); err == nil {
			plain++
			assert.Equal(rt, text, p.String())
		}
	})
	assert.NotZero(t, plain)
}
