package manifest

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/gowebpki/jcs"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/notes"
	"endroit/core/standing"
)

// of is a title with locations on Linux.
func of(id, name string, at ...string) Title {
	v := Variant{Store: "quayside", Ref: "418820", OS: "linux", Runtime: "native", Locations: []Location{}}
	for _, a := range at {
		v.Locations = append(v.Locations, Location{At: a, Holds: "save", Standing: standing.Observed, Reason: "seen"})
	}
	return Title{ID: id, Name: name, Editions: []Edition{{Store: "quayside", Ref: "418820"}}, Variants: []Variant{v}}
}

const one, two = "0123456789abcdef", "fedcba9876543210"

func TestAShardIsReadAsItWasWritten(t *testing.T) {
	var docs [][]byte
	for _, x := range []Title{of(one, "Tidewrack", "xdg-data:tidewrack/a<b>é.sav"), of(two, "Copperfen")} {
		doc, err := Canonical(x)
		require.NoError(t, err)
		docs = append(docs, doc)
	}
	document, data, err := WriteShard(AllTitles, docs)
	require.NoError(t, err)
	s, err := ReadShard(AllTitles, data)
	require.NoError(t, err)
	assert.Equal(t, []string{"Tidewrack", "Copperfen"}, []string{s.Titles[0].Name, s.Titles[1].Name})
	whole, err := Canonical(s)
	require.NoError(t, err)
	assert.Equal(t, string(whole), string(document), "what is put together of parts is the canonical form of the whole")
}

// Canonical JSON is what another implementation of RFC 8785 makes of the same value.
func TestCanonicalAsAnotherImplementation(t *testing.T) {
	text := rapid.StringOf(rapid.OneOf(rapid.Rune(), rapid.SampledFrom([]rune{'"', '\\', '/', '<', 0, 0x1f, 0x7f, 0x2028, 0xe000, 0xffff, 0x10000, 0x1f600})))
	leaf := rapid.OneOf(
		text.AsAny(), rapid.Float64().AsAny(), rapid.Float64Range(1e-7, 1e22).AsAny(), rapid.Int64Range(-1<<53, 1<<53).AsAny(), rapid.Bool().AsAny(),
	)
	rapid.Check(t, func(t *rapid.T) {
		value := map[string]any{
			"some": rapid.MapOfN(text, leaf, 0, 8).Draw(t, "some"), "list": rapid.SliceOfN(leaf, 0, 8).Draw(t, "list"), "none": nil,
		}
		got, err := Canonical(value)
		require.NoError(t, err)
		raw, err := json.Marshal(value)
		require.NoError(t, err)
		want, err := jcs.Transform(raw)
		require.NoError(t, err)
		assert.Equal(t, string(want), string(got))
	})
}

// A field of a later version is there after this one has read and written a document.
func TestUnknownFieldsAreKept(t *testing.T) {
	text := `{"editions":[{"ref":"1","store":"quayside","x":{"y":[1]}}],"hazards":["a"],"id":"` + one + `","name":"Tidewrack","names":[{"name":"T","script":"Latn"}],` +
		`"variants":[{"locations":[{"at":"xdg-data:tw/a","climate":{"on":true},"holds":"save","reason":"seen","standing":"observed"}],"os":"linux","runtime":"native","wine":"8"}]}`
	var x Title
	require.NoError(t, Decode([]byte(text), &x))
	require.NoError(t, x.Check())
	again, err := Canonical(x)
	require.NoError(t, err)
	assert.Equal(t, text, string(again))
}

func TestShardsThatAreRefused(t *testing.T) {
	shard := func(name string, titles ...string) []byte {
		_, data, err := WriteShard(name, func() (docs [][]byte) {
			for _, x := range titles {
				docs = append(docs, []byte(x))
			}
			return docs
		}())
		require.NoError(t, err)
		return data
	}
	title := func(id, more string) string {
		return fmt.Sprintf(`{"id":%q,"name":"Tidewrack","variants":[]%s}`, id, more)
	}
	for says, c := range map[string]struct {
		name string
		data []byte
	}{
		"decompress":                              {AllTitles, []byte("hello")},
		"unexpected EOF":                          {AllTitles, shard(AllTitles, title(one, ""))[:20]},
		"decompresses to more than":               {AllTitles, Compress([]byte(strings.Repeat(" ", MaxShard+1)))},
		`it is shard "1"`:                         {"0", shard("1", title(two, ""))},
		"belongs to another shard":                {"0", shard("0", title(two, ""))},
		"title 2 (" + one + ") is out of order":   {AllTitles, shard(AllTitles, title(one, ""), title(one, ""))},
		"not a title's id":                        {AllTitles, shard(AllTitles, title("tidewrack", ""))},
		"its format is":                           {AllTitles, Compress([]byte(`{"format":"endroit/manifest/9"}`))},
		"duplicate":                               {AllTitles, Compress([]byte(`{"format":"endroit/manifest/1","format":"endroit/manifest/1"}`))},
		"it contains an invisible or unprintable": {AllTitles, shard(AllTitles, title(one, `,"maker":"\u001b[2J"`))},
		"it is longer":                            {AllTitles, shard(AllTitles, title(one, `,"maker":"`+strings.Repeat("a", 2000)+`"`))},
		"has 100005 parts":                        {AllTitles, shard(AllTitles, title(one, `,"names":[{}`+strings.Repeat(",{}", 100_000-1)+`]`))},
		"invalid holds":                           {AllTitles, shard(AllTitles, `{"id":"`+one+`","name":"T","variants":[{"os":"linux","runtime":"native","locations":[{"at":"xdg-data:tw/a","holds":"SAVE!"}]}]}`)},
		"merged_into":                             {AllTitles, shard(AllTitles, title(one, `,"merged_into":"x"`))},
	} {
		_, err := ReadShard(c.name, c.data)
		assert.ErrorIs(t, err, ErrFormat, says)
		assert.ErrorContains(t, err, says)
	}
	for says, data := range map[string][]byte{
		"out of order": Compress([]byte(`{"format":"endroit/manifest/1","sheets":[{"id":"b"},{"id":"a"}]}`)),
		"format":       Compress([]byte(`{"format":"x","sheets":[]}`)),
	} {
		_, err := ReadSheets(data)
		assert.ErrorContains(t, err, says)
	}
}

func TestShardNames(t *testing.T) {
	for name, want := range map[string]bool{"all": true, "0": true, "0101": true, strings.Repeat("1", 64): true, "": false, "2": false, "01a": false, strings.Repeat("1", 65): false, "../0": false} {
		assert.Equal(t, want, CheckShard(name) == "", name)
	}
	first, last := Bounds("0110")
	assert.Equal(t, "6000000000000000", first)
	assert.Equal(t, "6fffffffffffffff", last)
	first, last = Bounds("01101")
	assert.Equal(t, "6800000000000000", first)
	assert.Equal(t, "6fffffffffffffff", last)
	for _, c := range []struct {
		shards string
		sound  bool
	}{
		{"all", true}, {"0 1", true}, {"00 01 1", true}, {"1 011 010 00", true},
		{"", false}, {"0", false}, {"1", false}, {"all 0", false}, {"0 1 1", false}, {"00 1", false}, {"0 01 1", false}, {"0 x", false},
	} {
		assert.Equal(t, c.sound, Cover(strings.Fields(c.shards)) == nil, c.shards)
	}
}

// However ids fall, each belongs to exactly one shard, and no shard is too large.
func TestShardsGrowWithTheRecord(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		n := rapid.IntRange(0, 600).Draw(rt, "n")
		clustered := rapid.Bool().Draw(rt, "clustered")
		seen := map[string]bool{}
		var titles []Title
		for i := range n {
			x := rapid.Uint64().Draw(rt, "id")
			if clustered {
				x = x>>40 | 0xabc<<52
			}
			id := fmt.Sprintf("%016x", x)
			if !seen[id] {
				seen[id] = true
				titles = append(titles, of(id, fmt.Sprint("Title ", i)))
			}
		}
		shards, err := Shards(titles)
		require.NoError(rt, err)
		names, present := []string{}, map[string]bool{}
		total := 0
		for name, data := range shards {
			names, present[name] = append(names, name), true
			s, err := ReadShard(name, data)
			require.NoError(rt, err)
			require.LessOrEqual(rt, len(s.Titles), SplitAbove)
			total += len(s.Titles)
		}
		require.Equal(rt, len(titles), total)
		require.NoError(rt, Cover(names))
		for _, x := range titles {
			require.True(rt, InShard(ShardOf(present, x.ID), x.ID))
		}
	})
}

func TestNoTitleReachesIntoAnother(t *testing.T) {
	others := []Title{of(one, "Saltglass", "xdg-data:saltglass/voyage.sav"), of(two, "Copperfen", "install:saves/")}
	gone := of("1111111111111111", "Gone", "xdg-data:gone/a")
	gone.Variants[0].Locations[0].Standing = standing.Withdrawn
	others = append(others, gone)
	for at, conflict := range map[string]bool{
		"xdg-data:saltglass/":                    true,
		"xdg-data:salt*/*.sav":                   true,
		"home:.local/share/saltglass/voyage.sav": true,
		"xdg-data:saltglass/other.sav":           false,
		"xdg-data:tidewrack/voyage.sav":          false,
		"install:saves/":                         false,
		"xdg-data:gone/":                         false,
		"no place":                               false,
	} {
		got, err := Conflicts(t.Context(), "", []string{at}, others)
		require.NoError(t, err)
		assert.Equal(t, conflict, len(got) > 0, at)
		if conflict {
			assert.Equal(t, Conflict{At: at, Title: one, TitleName: "Saltglass", TitlesAt: "xdg-data:saltglass/voyage.sav"}, got[0])
		}
	}
	own, err := Conflicts(t.Context(), one, []string{"xdg-data:saltglass/"}, others)
	require.NoError(t, err)
	assert.Empty(t, own, "a title may reach its own")
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = Conflicts(ended, "", []string{"xdg-data:tidewrack/"}, others)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestNames(t *testing.T) {
	for name, plain := range map[string]string{
		"Tidewrack": "tidewrack", "The Quiet Signal": "the-quiet-signal", "  Ninefold   Orchard ": "ninefold-orchard",
		"Mira’s Lantern": "miras-lantern", "Zoë & the Hollow: II": "zoe-the-hollow-ii", "ТИХИЙ Сигнал": "тихии-сигнал", "霧の灯": "霧の灯", "½ Orchard": "1-2-orchard",
		"C++ Tale": "c-tale", "C# Tale": "c-tale",
	} {
		assert.Equal(t, plain, Plain(name), name)
		assert.Equal(t, Plain(name), Plain(strings.ToUpper(name)), name)
	}
	assert.NotEqual(t, Fold("C++ Tale"), Fold("C# Tale"), "punctuation tells names apart")
	x := Title{Name: "Tidewrack", Names: []Name{{Name: "Gezeitenwrack", Language: "de"}}, Year: 2019, Maker: "Harrow Lane"}
	assert.True(t, x.Named("GEZEITENWRACK"))
	assert.False(t, x.Named("Tide"))
	assert.Equal(t, "Tidewrack (2019, Harrow Lane)", x.Distinct())
	for name, want := range map[string][]string{"tidewreck": {"Tidewrack"}, "quiet": {"The Quiet Signal"}, "something else": nil, "": nil} {
		n := NewNearest(name)
		for _, known := range []string{"Copperfen", "Lantern Hollow", "The Quiet Signal", "Tidewrack"} {
			n.Add(known, Fold(known))
		}
		assert.Equal(t, want, n.Names(), name)
	}
}

// Each difference between two states of a title is told, in a sentence.
func TestCompare(t *testing.T) {
	before := of(one, "Tidewrack", "xdg-data:tw/a", "xdg-data:tw/b")
	assert.Equal(t, []What{NewTitle, NewEdition, NewVariant, NewLocation, NewLocation}, kinds(Compare(nil, before)))
	assert.Empty(t, Compare(&before, before))
	for want, change := range map[What]func(x *Title){
		Renamed:         func(x *Title) { x.Name = "Tide Wrack" },
		NameAdded:       func(x *Title) { x.Names = []Name{{Name: "T", Language: "de"}} },
		Described:       func(x *Title) { x.Year = 2019 },
		Merged:          func(x *Title) { x.MergedInto = two },
		NewEdition:      func(x *Title) { x.Editions = append(slices.Clone(x.Editions), Edition{Store: "larder", Ref: "9"}) },
		EditionGone:     func(x *Title) { x.Editions = nil },
		VersionSeen:     func(x *Title) { x.Editions = []Edition{{Store: "quayside", Ref: "418820", Versions: []string{"1.2"}}} },
		VariantGone:     func(x *Title) { x.Variants = nil },
		LocationGone:    func(x *Title) { x.Variants[0].Locations = x.Variants[0].Locations[:1] },
		MoreEvidence:    func(x *Title) { x.Variants[0].Locations[0].Counts.Observations++ },
		StandingChanged: func(x *Title) { x.Variants[0].Locations[0].Standing = standing.Disputed },
		VersionsChanged: func(x *Title) { x.Variants[0].Locations[0].Versions = &standing.Range{From: "1.2"} },
		BelongsChanged:  func(x *Title) { x.Variants[0].Locations[0].Belongs = "machine" },
		NewNotes:        func(x *Title) { x.Variants[0].Locations[0].Notes = &notes.Notes{Format: notes.Format, About: "a slot"} },
	} {
		after := of(one, "Tidewrack", "xdg-data:tw/a", "xdg-data:tw/b")
		change(&after)
		got := Compare(&before, after)
		assert.Equal(t, []What{want}, kinds(got))
		assert.Greater(t, len(got[0].String()), len(want), want)
	}
	assert.Equal(t, "joins the title Tidewrack (the draft writes Tide Wrack)", Change{What: JoinsTitle, From: "Tide Wrack", To: "Tidewrack"}.String())
	assert.Equal(t, "later", Change{What: "later"}.String())
}

func kinds(all []Change) (list []What) {
	for _, c := range all {
		list = append(list, c.What)
	}
	return list
}

func FuzzReadShard(f *testing.F) {
	_, data, err := WriteShard(AllTitles, [][]byte{[]byte(`{"id":"` + one + `","name":"T","variants":[{"os":"linux","runtime":"native","locations":[{"at":"xdg-data:tw/a","holds":"save","standing":"observed"}]}]}`)})
	require.NoError(f, err)
	f.Add(data, []byte("{}"))
	f.Fuzz(func(t *testing.T, data, text []byte) {
		for _, d := range [][]byte{data, Compress(text)} {
			s, err := ReadShard(AllTitles, d)
			if err != nil {
				require.ErrorIs(t, err, ErrFormat)
				continue
			}
			for _, x := range s.Titles {
				doc, err := Canonical(x)
				require.NoError(t, err)
				var again Title
				require.NoError(t, Decode(doc, &again))
				require.NoError(t, again.Check())
			}
		}
	})
}
