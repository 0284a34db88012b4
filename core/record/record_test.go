package record

import (
	stdjson "encoding/json"
	"fmt"
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/standing"
	"endroit/core/trace"
)

var day = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)

func found(at ...string) *draft.Draft {
	d := &draft.Draft{
		Format: draft.Format, Title: "Tidewrack", Edition: &trace.Edition{Store: "quayside", Ref: "418820", Version: "1.2"},
		Launcher: "quayside", OS: "linux", Runtime: "native",
	}
	for _, a := range at {
		d.Locations = append(d.Locations, draft.Location{At: a, Holds: draft.Save})
	}
	return d
}

func by(person string, number int64) standing.Evidence {
	return standing.Evidence{
		Contribution: number, Person: person, Machine: "of-" + person, Reviewer: "anselm", Accepted: day.Add(time.Duration(number) * time.Hour),
	}
}

func empty(id, name string) *Title { return &Title{ID: id, Name: name, Variants: []Variant{}} }

func seen(t testing.TB, to *Title, d *draft.Draft, e standing.Evidence) *Title {
	t.Helper()
	next, err := to.Observe(d, e)
	require.NoError(t, err)
	return next
}

const one, two = "0123456789abcdef", "fedcba9876543210"

func at(a string) Place { return Place{CombinationOf(VariantOf(found())), a, "save"} }

func standingOf(t testing.TB, x *Title, a string) standing.Standing {
	t.Helper()
	p, _ := x.Published(day.AddDate(0, 1, 0))
	for _, v := range p.Variants {
		for _, l := range v.Locations {
			if l.At == a {
				return l.Standing
			}
		}
	}
	return ""
}

func TestObserving(t *testing.T) {
	nobody := empty(one, "Tidewrack")
	first := seen(t, nobody, found("xdg-data:tw/b", "xdg-data:tw/a"), by("mira", 1))
	assert.Empty(t, nobody.Variants, "the state before is not touched")
	assert.Equal(t, "xdg-data:tw/a", first.Variants[0].Locations[0].At, "they stand in order")
	assert.Equal(t, []string{"1.2"}, first.Editions[0].Versions)
	assert.Equal(t, standing.Observed, standingOf(t, first, "xdg-data:tw/a"))
	second := seen(t, first, found("xdg-data:tw/a"), by("tobin", 2))
	assert.Len(t, first.Variants[0].Locations[0].Evidence, 1)
	assert.Equal(t, standing.Confirmed, standingOf(t, second, "xdg-data:tw/a"))
	assert.Equal(t, standing.Observed, standingOf(t, second, "xdg-data:tw/b"))

	settings := found("xdg-data:tw/a")
	settings.Locations[0].Holds = draft.Config
	settings.Locations[0].Belongs = "machine"
	third := seen(t, second, settings, by("tobin", 3))
	require.Len(t, third.Variants[0].Locations, 3)
	p, _ := third.Published(day)
	assert.Equal(t, "save", p.Variants[0].Locations[0].Holds, "progress comes first")
	assert.Equal(t, "machine", p.Variants[0].Locations[2].Belongs)
	require.NoError(t, p.Check())
	doc, err := manifest.Canonical(p)
	require.NoError(t, err)
	for _, private := range []string{"mira", "tobin", "anselm", "of-mira"} {
		assert.NotContains(t, string(doc), private, "evidence stays in the record")
	}
}

// Notes that were accepted stay with the location until others are.
func TestNotesStayWithALocation(t *testing.T) {
	x := empty(one, "Tidewrack")
	for i, step := range []struct{ about, stays string }{{"", ""}, {"a slot", "a slot"}, {"", "a slot"}, {"a slot since 1.2", "a slot since 1.2"}} {
		d := found("xdg-data:tw/a")
		if step.about != "" {
			d.Locations[0].Notes = &notes.Notes{Format: notes.Format, About: step.about}
		}
		x = seen(t, x, d, by("mira", int64(i+1)))
		if step.stays == "" {
			assert.Nil(t, x.Variants[0].Locations[0].Notes)
			continue
		}
		assert.Equal(t, step.stays, x.Variants[0].Locations[0].Notes.About)
	}
}

func TestUnknownFieldsAreKept(t *testing.T) {
	text := `{"hazard":1,"id":"` + one + `","name":"T","variants":[{"locations":[{"at":"xdg-data:tw/a","evidence":[],"holds":"save","later":{"a":[true]}}],"os":"linux","runtime":"native","since":3}]}`
	x, err := Parse([]byte(text))
	require.NoError(t, err)
	renamed, err := x.Rename("U", false)
	require.NoError(t, err)
	raw, err := renamed.Encode()
	require.NoError(t, err)
	for _, field := range []string{`"hazard":1`, `"later":{"a":[true]}`, `"since":3`} {
		assert.Contains(t, string(raw), field)
	}
	p, _ := renamed.Published(day)
	doc, err := manifest.Canonical(p)
	require.NoError(t, err)
	assert.Contains(t, string(doc), `"later":{"a":[true]}`, "what a later version published is published still")
}

// later puts a field of a later version into every object of a document.
func later(t *testing.T, doc []byte) (with []byte, fields []string) {
	var whole any
	require.NoError(t, json.Unmarshal(doc, &whole))
	var put func(v any)
	put = func(v any) {
		switch v := v.(type) {
		case []any:
			for _, x := range v {
				put(x)
			}
		case map[string]any:
			for _, k := range slices.Sorted(maps.Keys(v)) {
				put(v[k])
			}
			fields = append(fields, fmt.Sprintf(`"later":[%d]`, len(fields)))
			v["later"] = []int{len(fields) - 1}
		}
	}
	put(whole)
	with, err := manifest.Canonical(whole)
	require.NoError(t, err)
	return with, fields
}

// Whatever object of a document a later version adds a field to, it is there after this one
// has read it, changed something else, and written it.
func TestUnknownFieldsOfEveryPartAreKept(t *testing.T) {
	d := found("xdg-data:tw/a", "xdg-data:tw/b")
	where, length := 0, 4
	d.Locations[0].Notes = &notes.Notes{
		Format: notes.Format, Fields: []notes.Field{{Name: "slots", At: &where, Fields: []notes.Field{{Name: "gold", Type: "u32"}}}},
		Checksum: &notes.Checksum{Algorithm: "crc32", At: &length, Stored: "little-endian"},
	}
	x := seen(t, empty(one, "Tidewrack"), d, by("mira", 1))
	x, err := x.AddName(manifest.Name{Name: "Gezeitenwrack", Language: "de"})
	require.NoError(t, err)
	x, err = x.HoldFor(at("xdg-data:tw/a"), &standing.Range{From: "1.2"})
	require.NoError(t, err)
	x, err = x.Withdraw(at("xdg-data:tw/b"), standing.Withdrawal{Because: "too wide", Contribution: 2, Accepted: day})
	require.NoError(t, err)
	raw, err := x.Encode()
	require.NoError(t, err)

	with, fields := later(t, raw)
	require.Len(t, fields, 14, "each kind of object is among them: %s", with)
	read, err := Parse(with)
	require.NoError(t, err)
	again, err := read.Encode()
	require.NoError(t, err)
	assert.Equal(t, string(with), string(again))
	changed, err := seen(t, read, found("xdg-data:tw/a", "xdg-data:tw/c"), by("tobin", 3)).Rename("Tidal Wrack", true)
	require.NoError(t, err)
	again, err = changed.Encode()
	require.NoError(t, err)
	for _, f := range fields {
		assert.Contains(t, string(again), f)
	}

	p, _ := x.Published(day)
	doc, err := manifest.Canonical(p)
	require.NoError(t, err)
	with, fields = later(t, doc)
	require.Len(t, fields, 13)
	var title manifest.Title
	require.NoError(t, manifest.Decode(with, &title))
	again, err = manifest.Canonical(title)
	require.NoError(t, err)
	assert.Equal(t, string(with), string(again))

	var plain map[string]any
	shown, err := stdjson.Marshal(title.Variants[0].Locations[0])
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(shown, &plain))
	assert.Contains(t, plain["notes"], "later", "encoding/json writes them in their places too")
}

func TestCorrections(t *testing.T) {
	x := seen(t, empty(one, "Tidewrack"), found("xdg-data:tw/**", "xdg-data:tw/b"), by("mira", 1))
	wide, other := at("xdg-data:tw/**"), at("xdg-data:tw/b")
	gone := standing.Withdrawal{Because: "too wide", Contribution: 5, Accepted: day}
	_, err := x.Dispute(at("xdg-data:tw/none"), by("tobin", 2))
	assert.ErrorContains(t, err, "Tidewrack has no location xdg-data:tw/none")
	elsewhere := wide
	elsewhere.Variant.OS = "windows"
	_, err = x.Dispute(elsewhere, by("tobin", 2))
	assert.ErrorContains(t, err, "has no location")

	disputed, err := x.Dispute(wide, by("tobin", 2))
	require.NoError(t, err)
	assert.Equal(t, standing.Disputed, standingOf(t, disputed, wide.At))
	assert.Equal(t, standing.Observed, standingOf(t, x, wide.At))

	_, err = disputed.Replace(wide, "xdg-data:tw/slots/", nil, gone)
	assert.ErrorContains(t, err, "no traced run is known")
	replaced, err := disputed.Replace(wide, "xdg-data:tw/slots/", []standing.Evidence{by("mira", 1)}, gone)
	require.NoError(t, err)
	assert.Equal(t, standing.Withdrawn, standingOf(t, replaced, wide.At))
	assert.Equal(t, standing.Observed, standingOf(t, replaced, "xdg-data:tw/slots/"))
	l, err := replaced.Location(at("xdg-data:tw/slots/"))
	require.NoError(t, err)
	assert.Equal(t, []string{wide.At}, l.Replaces)

	for name, do := range map[string]func(*Title) (*Title, error){
		"a dispute of a withdrawn one": func(x *Title) (*Title, error) { return x.Dispute(wide, by("tobin", 6)) },
		"another withdrawal":           func(x *Title) (*Title, error) { return x.Withdraw(wide, gone) },
		"a widening of a withdrawn one": func(x *Title) (*Title, error) {
			return x.Replace(wide, "xdg-data:tw/", []standing.Evidence{by("mira", 1)}, gone)
		},
		"versions of a withdrawn one": func(x *Title) (*Title, error) { return x.HoldFor(wide, &standing.Range{From: "1"}) },
	} {
		_, err := do(replaced)
		var refused *Error
		require.ErrorAs(t, err, &refused, name)
		assert.Contains(t, refused.Reason, "is withdrawn", name)
	}
	back := seen(t, replaced, found(wide.At), by("ysolde", 7))
	assert.NotEqual(t, standing.Withdrawn, standingOf(t, back, wide.At), "who sees it again brings it back")

	held, err := x.HoldFor(other, &standing.Range{From: "1.2"})
	require.NoError(t, err)
	_, err = held.HoldFor(other, &standing.Range{From: "1.2"})
	assert.ErrorContains(t, err, "already")
	_, err = held.HoldFor(other, nil)
	assert.NoError(t, err)
}

func TestTitlesAreCorrected(t *testing.T) {
	x := seen(t, empty(one, "Tidewrak"), found("xdg-data:tw/a"), by("mira", 1))
	right, err := x.Rename("Tidewrack", false)
	require.NoError(t, err)
	assert.Empty(t, right.Names, "a misspelt name need not stay")
	kept, err := right.Rename("Tide Wrack", true)
	require.NoError(t, err)
	assert.Equal(t, []manifest.Name{{Name: "Tidewrack"}}, kept.Names)
	_, err = kept.Rename("Tide Wrack", true)
	assert.ErrorContains(t, err, "already")
	back, err := kept.Rename("Tidewrack", true)
	require.NoError(t, err)
	assert.Equal(t, []manifest.Name{{Name: "Tide Wrack"}}, back.Names)
	named, err := back.AddName(manifest.Name{Name: "Gezeitenwrack", Language: "de"})
	require.NoError(t, err)
	_, err = named.AddName(manifest.Name{Name: "Gezeitenwrack", Language: "de"})
	assert.ErrorContains(t, err, "already")
	described, err := named.Describe(2019, "Harrow Lane")
	require.NoError(t, err)
	_, err = described.Describe(2019, "Harrow Lane")
	assert.ErrorContains(t, err, "already")
}

func TestMerging(t *testing.T) {
	a := seen(t, empty(one, "Tidewrack"), found("xdg-data:tw/a"), by("mira", 1))
	d := found("xdg-data:tw/a", "xdg-data:tw/b")
	d.Edition.Version = "1.3"
	b := seen(t, empty(two, "Tide Wrack"), d, by("tobin", 2))
	gone, whole, err := b.Merge(a)
	require.NoError(t, err)
	assert.Equal(t, one, gone.MergedInto)
	assert.Empty(t, gone.Variants)
	assert.Equal(t, standing.Confirmed, standingOf(t, whole, "xdg-data:tw/a"), "what both saw is seen by two")
	assert.Equal(t, standing.Observed, standingOf(t, whole, "xdg-data:tw/b"))
	assert.Equal(t, []string{"1.2", "1.3"}, whole.Editions[0].Versions)
	assert.True(t, whole.Named("tide wrack"))

	_, _, err = a.Merge(a)
	assert.ErrorContains(t, err, "into itself")
	_, _, err = whole.Merge(gone)
	assert.ErrorContains(t, err, "circle")
	_, _, err = gone.Merge(whole)
	var merged *MergedError
	require.ErrorAs(t, err, &merged)
	assert.Equal(t, one, merged.Into)
	for _, do := range []func() error{
		func() error { _, err := gone.Rename("X", false); return err },
		func() error { _, err := gone.Observe(found("xdg-data:tw/a"), by("mira", 3)); return err },
		func() error { _, err := gone.AddName(manifest.Name{Name: "X"}); return err },
		func() error { _, err := gone.Describe(2000, ""); return err },
		func() error { _, err := gone.Withdraw(at("xdg-data:tw/a"), standing.Withdrawal{}); return err },
		func() error { _, _, err := gone.MoveEdition("quayside", "418820", a); return err },
	} {
		assert.ErrorAs(t, do(), &merged)
	}
}

func TestSplitting(t *testing.T) {
	x := seen(t, empty(one, "Tidewrack"), found("xdg-data:tw/a"), by("mira", 1))
	other := found("xdg-data:tw2/a")
	other.Edition = &trace.Edition{Store: "larder", Ref: "TW", Version: "2"}
	x = seen(t, x, other, by("mira", 2))
	rest, split, err := x.MoveEdition("larder", "TW", empty(two, "Tidewrack II"))
	require.NoError(t, err)
	assert.Len(t, rest.Variants, 1)
	assert.Len(t, rest.Editions, 1)
	assert.Equal(t, []manifest.Edition{{Store: "larder", Ref: "TW", Versions: []string{"2"}}}, split.Editions)
	assert.Equal(t, standing.Observed, standingOf(t, split, "xdg-data:tw2/a"))
	_, _, err = x.MoveEdition("larder", "nothing", empty(two, "X"))
	assert.ErrorContains(t, err, "has no edition")
	_, _, err = x.MoveEdition("larder", "TW", x)
	assert.ErrorContains(t, err, "already")
}

// Whatever is done, in whatever order, no evidence is lost, and what is published stays
// sound.
func TestNothingIsLost(t *testing.T) {
	ats := []string{"xdg-data:tw/a", "xdg-data:tw/b", "xdg-config:tw/c"}
	rapid.Check(t, func(rt *rapid.T) {
		x, y := empty(one, "Tidewrack"), empty(two, "Tide Wrack")
		given := 0
		for i := range rapid.IntRange(1, 12).Draw(rt, "steps") {
			e := by(rapid.SampledFrom([]string{"mira", "tobin", "ysolde"}).Draw(rt, "who"), int64(i+1))
			a := rapid.SampledFrom(ats).Draw(rt, "at")
			into := &x
			if rapid.Bool().Draw(rt, "other") {
				into = &y
			}
			var next *Title
			var err error
			switch rapid.IntRange(0, 3).Draw(rt, "what") {
			case 0:
				if next, err = (*into).Dispute(at(a), e); err == nil {
					given++
				}
			case 1:
				next, err = (*into).Withdraw(at(a), standing.Withdrawal{Because: "x"})
			default:
				if next, err = (*into).Observe(found(a), e); err == nil {
					given++
				}
			}
			if err == nil {
				*into = next
			}
		}
		_, whole, err := y.Merge(x)
		require.NoError(rt, err)
		n := 0
		for _, v := range whole.Variants {
			for _, l := range v.Locations {
				n += len(l.Evidence)
			}
		}
		require.Equal(rt, given, n)
		p, _ := whole.Published(day)
		require.NoError(rt, p.Check())
		raw, err := whole.Encode()
		require.NoError(rt, err)
		again, err := Parse(raw)
		require.NoError(rt, err)
		twice, err := again.Encode()
		require.NoError(rt, err)
		require.Equal(rt, string(raw), string(twice))
	})
}
