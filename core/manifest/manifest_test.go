package manifest

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/draft"
	"endroit/core/standing"
	"endroit/core/trace"
)

func found(title, at string) *draft.Draft {
	return &draft.Draft{Format: draft.Format, Title: title, Edition: &trace.Edition{Store: "quayside", Ref: "418820", Version: "1.2"}, Launcher: "quayside", OS: "linux", Runtime: "native",
		Locations: []draft.Location{{At: at, Holds: draft.Save}}}
}

func apply(t testing.TB, to *Title, d *draft.Draft, number int, by string) Title {
	t.Helper()
	next, err := Apply(to, Accepted{Draft: d, Evidence: standing.Evidence{Contribution: number, By: by, ReviewedBy: "anselm", Accepted: time.Date(2026, 11, 24, 0, 0, number, 0, time.UTC), Observer: "seccomp user notification"}})
	require.NoError(t, err)
	return next
}

func TestApplyAddsWhatWasAccepted(t *testing.T) {
	d := found("Tidewrack", "xdg-data:tidewrack/slots/slot{slot}.sav")
	one := apply(t, nil, d, 1, "mira")
	assert.Equal(t, "tidewrack", one.ID)
	require.Len(t, one.Variants, 1)
	assert.Equal(t, standing.Observed, one.Variants[0].Locations[0].Standing)
	assert.Equal(t, []Change{{What: "new-title"}, {What: "new-variant", Variant: "quayside 418820, started by quayside, linux native"},
		{What: "new-location", Variant: "quayside 418820, started by quayside, linux native", At: d.Locations[0].At, Holds: "save", After: standing.Observed, Evidence: 1}}, Compare(nil, one))

	two := apply(t, &one, d, 2, "tobin")
	assert.Len(t, one.Variants[0].Locations[0].Evidence, 1, "the state before is not touched")
	assert.Equal(t, standing.Confirmed, two.Variants[0].Locations[0].Standing)
	changes := Compare(&one, two)
	require.Len(t, changes, 1)
	assert.Equal(t, "more-evidence", changes[0].What)
	assert.Equal(t, standing.Observed, changes[0].Before)
	assert.Equal(t, standing.Confirmed, changes[0].After)

	windows := found("Tidewrack", "roaming-app-data:Tidewrack/*.sav")
	windows.OS = "windows"
	three := apply(t, &two, windows, 3, "mira")
	assert.Len(t, three.Variants, 2)
	assert.Empty(t, Compare(&three, three))

	_, err := Apply(nil, Accepted{Draft: found("!!!", "xdg-data:tw/a")})
	assert.ErrorContains(t, err, "no letter or digit")
}

func TestLocationIncludesWhatItHolds(t *testing.T) {
	d := found("Tidewrack", "xdg-data:tidewrack/a")
	one := apply(t, nil, d, 1, "mira")
	d.Locations[0].Holds = draft.Config
	two := apply(t, &one, d, 2, "tobin")
	require.Len(t, two.Variants[0].Locations, 2)
	assert.Equal(t, "save", two.Variants[0].Locations[0].Holds, "progress comes first")
	assert.Equal(t, standing.Observed, two.Variants[0].Locations[1].Standing, "one person saw it as settings")
}

func TestNoTitleReachesIntoAnother(t *testing.T) {
	others := []Title{apply(t, nil, found("Saltglass", "xdg-data:saltglass/voyage.sav"), 1, "mira"), apply(t, nil, found("Copperfen", "install:saves/"), 2, "mira")}
	for at, conflict := range map[string]bool{
		"xdg-data:saltglass/":                    true,
		"xdg-data:salt*/*.sav":                   true,
		"home:.local/share/saltglass/voyage.sav": true,
		"xdg-data:saltglass/other.sav":           false,
		"xdg-data:tidewrack/voyage.sav":          false,
		"install:saves/":                         false,
	} {
		got, err := Conflicts(t.Context(), found("Tidewrack", at), others)
		require.NoError(t, err)
		assert.Equal(t, conflict, len(got) > 0, at)
		if conflict {
			assert.Equal(t, Conflict{At: at, Title: "saltglass", TitleName: "Saltglass", TitlesAt: "xdg-data:saltglass/voyage.sav"}, got[0])
		}
	}
	own, err := Conflicts(t.Context(), found("Saltglass", "xdg-data:saltglass/"), others)
	require.NoError(t, err)
	assert.Empty(t, own, "a title may reach its own")
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = Conflicts(ended, found("Tidewrack", "xdg-data:tidewrack/"), others)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestNames(t *testing.T) {
	for name, id := range map[string]string{
		"Tidewrack": "tidewrack", "The Quiet Signal": "the-quiet-signal", "  Ninefold   Orchard ": "ninefold-orchard",
		"Mira’s Lantern": "miras-lantern", "Zoë & the Hollow: II": "zoe-the-hollow-ii", "ТИХИЙ Сигнал": "тихии-сигнал", "霧の灯": "霧の灯", "½ Orchard": "1-2-orchard",
	} {
		assert.Equal(t, id, ID(name), name)
		assert.Equal(t, ID(name), ID(strings.ToUpper(name)), name)
	}
}

func TestFind(t *testing.T) {
	m := &Manifest{}
	for _, n := range []string{"Copperfen", "Lantern Hollow", "The Quiet Signal", "Tidewrack"} {
		m.Titles = append(m.Titles, Title{ID: ID(n), Name: n})
	}
	for name, want := range map[string]string{"Tidewrack": "Tidewrack", "tidewrack": "Tidewrack", "LANTERN  hollow": "Lantern Hollow", "the-quiet-signal": "The Quiet Signal"} {
		got, _ := m.Find(name)
		if assert.NotNil(t, got, name) {
			assert.Equal(t, want, got.Name)
		}
	}
	for name, want := range map[string][]string{"tidewreck": {"Tidewrack"}, "quiet": {"The Quiet Signal"}, "something else": nil, "": nil} {
		got, close := m.Find(name)
		assert.Nil(t, got, name)
		assert.Equal(t, want, close, name)
	}
}

func TestARevisionHasOneDigest(t *testing.T) {
	head := Head{Revision: 3, Previous: "aa", Published: time.Date(2026, 11, 24, 10, 0, 0, 0, time.UTC)}
	var docs [][]byte
	for i, name := range []string{"Copperfen", "Tidewrack"} {
		doc, err := Canonical(apply(t, nil, found(name, "xdg-data:"+strings.ToLower(name)+"/a<b>é.sav"), i+1, "mira"))
		require.NoError(t, err)
		docs = append(docs, doc)
	}
	body, err := Assemble(head, nil, docs)
	require.NoError(t, err)
	m, err := Parse(body)
	require.NoError(t, err)
	assert.Equal(t, 3, m.Revision)
	assert.Len(t, m.Titles, 2)
	whole, err := Canonical(m)
	require.NoError(t, err)
	assert.Equal(t, string(whole), string(body), "putting it together from parts is the canonical form of the whole")
	assert.Len(t, Digest(body), 64)
	assert.NotEqual(t, Digest(body), Digest(append(body, ' ')))
}

func TestInvalidManifests(t *testing.T) {
	for name, text := range map[string]string{
		"nothing": "", "a text": "hello", "cut": `{"format":"endroit/manifest/1","revi`, "another version": `{"format":"endroit/manifest/2"}`,
		"out of order": `{"format":"endroit/manifest/1","titles":[{"id":"b"},{"id":"a"}]}`, "twice": `{"format":"endroit/manifest/1","titles":[{"id":"a"},{"id":"a"}]}`, "without an id": `{"format":"endroit/manifest/1","titles":[{}]}`,
	} {
		_, err := Parse([]byte(text))
		assert.ErrorIs(t, err, ErrFormat, name)
	}
	for says, text := range map[string]string{
		"there is data after its end":     `{"format":"endroit/manifest/1","titles":[]} {}`,
		"sheet 2 (\"a\") is out of order": `{"format":"endroit/manifest/1","sheets":[{"id":"b"},{"id":"a"}]}`,
		"duplicate":                       `{"format":"endroit/manifest/1","format":"endroit/manifest/1"}`,
		"larger than 8388608 bytes":       `{"format":"endroit/manifest/1","titles":[{"id":"` + strings.Repeat("a", 9<<20) + `"}]}`,
		"has 100003 parts; the limit is":  `{"format":"endroit/manifest/1","titles":[{"id":"a","variants":[{}` + strings.Repeat(",{}", 100_000) + `]}]}`,
		"an entry is larger than":         `{"format":"endroit/manifest/1",` + strings.Repeat(" ", 9<<20) + `"titles":[]}`,
		"title 1: its name: it is longer": `{"format":"endroit/manifest/1","titles":[{"id":"a","name":"` + strings.Repeat("a", 2000) + `"}]}`,
	} {
		_, err := Parse([]byte(text))
		assert.ErrorIs(t, err, ErrFormat, says)
		assert.ErrorContains(t, err, says)
	}
	mine := errors.New("enough")
	_, err := Stream(strings.NewReader(`{"format":"endroit/manifest/1","titles":[{"id":"a"}]}`), Each{Title: func(Title) error { return mine }})
	assert.Equal(t, mine, err)
	m, err := Parse([]byte(`{"format":"endroit/manifest/1","revision":1,"titles":[],"later":{"x":[true]}}`))
	require.NoError(t, err, "what a later version adds is skipped")
	assert.Equal(t, 1, m.Revision)
}

// Accepting only ever adds: whatever the order, nothing that was there is gone,
// and the same people end up with the same standing.
func TestAcceptingOnlyAdds(t *testing.T) {
	ats := []string{"xdg-data:tw/a", "xdg-data:tw/b", "xdg-config:tw/c"}
	people := []string{"mira", "tobin", "ysolde"}
	rapid.Check(t, func(rt *rapid.T) {
		type step struct{ at, by string }
		var steps []step
		for range rapid.IntRange(1, 8).Draw(rt, "n") {
			steps = append(steps, step{rapid.SampledFrom(ats).Draw(rt, "at"), rapid.SampledFrom(people).Draw(rt, "by")})
		}
		run := func(order []step) map[string]standing.Standing {
			var now *Title
			for i, s := range order {
				next := apply(t, now, found("Tidewrack", s.at), i+1, s.by)
				if now != nil {
					for _, c := range Compare(now, next) {
						require.Contains(rt, []string{"new-location", "more-evidence"}, c.What)
					}
					require.GreaterOrEqual(rt, len(next.Variants[0].Locations), len(now.Variants[0].Locations))
				}
				now = &next
			}
			got := map[string]standing.Standing{}
			for _, l := range now.Variants[0].Locations {
				got[l.At] = l.Standing
			}
			return got
		}
		require.Equal(rt, run(steps), run(rapid.Permutation(steps).Draw(rt, "order")))
	})
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"format":"endroit/manifest/1","revision":1,"titles":[{"id":"a","variants":[{"locations":[{"at":"xdg-data:tw/a","evidence":[{"by":"mira"}]}]}]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Parse(data)
		if err != nil {
			return
		}
		m.Find("Tidewrack")
		raw, err := json.Marshal(m)
		require.NoError(t, err)
		_, err = Parse(raw)
		require.NoError(t, err)
	})
}
