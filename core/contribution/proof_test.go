package contribution

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/proof"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/core/trace"
)

// led is an experiment with the world's wide location, and the footprints of its starts.
// keeps says whether the game has its progress there.
func led(t *testing.T, aim proof.Aim, keeps bool, locations ...proof.Location) (*proof.Proof, []*footprint.Footprint) {
	if len(locations) == 0 {
		locations = []proof.Location{{At: "xdg-data:tidewrack/", Holds: draft.Save, Files: 1}}
	}
	p, err := proof.New("0123456789abcdef", proof.About{
		Aim: aim, Title: "Tidewrack", Variant: "in /home/mira/games", Combination: wide().Variant, Version: "1.2", Holds: draft.Save,
		By: "endroit 1", Machine: strings.Repeat("a", 32),
	}, locations, day)
	require.NoError(t, err)
	var runs []*footprint.Footprint
	away := false
	for p.At != proof.Finish {
		e := proof.Event{Copy: "0123456789abcdef", Now: day.Add(time.Minute)}
		switch p.At {
		case proof.TakeAway:
			away, e.Operation = true, "20261128-120000-00000000"
		case proof.Start:
			f := run(footprint.Save, "xdg-data:tidewrack/slots/1.sav", "xdg-data:tidewrack/slots/marian.sav", "xdg-data:other/x")
			for i := range f.Files {
				if !away {
					f.Files[i].Before.Is, f.Files[i].Reads = trace.IsFile, 1
				}
			}
			f.Self = &footprint.Self{User: "mira", Host: "lamp", Home: "/home/mira"}
			runs = append(runs, f)
			e.Trace, e.Sees = strings.Repeat("0", 64), proof.See(p.Locations, f)
		case proof.Ask:
			if e.Answer = proof.Progress; away && keeps {
				e.Answer = proof.NewGame
			}
		case proof.Look:
			e.Became = []proof.Became{{Location: 0, Gone: 1}}
		case proof.Bring:
			away = false
		}
		require.NoError(t, p.Done(p.At, e))
	}
	return p, runs
}

func body(t *testing.T, aim proof.Aim, keeps bool) *Proof {
	p, runs := led(t, aim, keeps)
	b, err := PrepareProof(p, runs, nil, "as mira saw it on lamp", &footprint.Self{User: "mira", Host: "lamp", Home: "/home/mira"})
	require.NoError(t, err)
	return b
}

func TestAProofIsRecorded(t *testing.T) {
	m, id := newWorld(t)
	b := body(t, "", true)
	o, err := m.accept(t, "mira", 2, b)
	require.NoError(t, err)
	assert.Equal(t, "record an experiment with 1 location of Tidewrack: 1 needed", b.Statement())
	assert.Contains(t, o.Changes(day)[0].String(), "proven instead of observed")
	assert.Equal(t, standing.Proven, standingAt(t, m, id, "xdg-data:tidewrack/"))

	// One that shows the progress elsewhere disputes it, and says so.
	o, err = m.accept(t, "tobin", 3, body(t, "", false))
	require.NoError(t, err)
	assert.Contains(t, o.Changes(day)[0].String(), "1 experiment that showed the progress without it")
	assert.Equal(t, standing.Disputed, standingAt(t, m, id, "xdg-data:tidewrack/"))
	_, err = m.accept(t, "ysolde", 4, body(t, "", true))
	require.NoError(t, err)
	assert.Equal(t, standing.Proven, standingAt(t, m, id, "xdg-data:tidewrack/"), "an experiment since outweighs it")
}

func TestHazardsAndTheCloudAreRecorded(t *testing.T) {
	m, id := newWorld(t)
	for i, c := range []struct {
		aim  proof.Aim
		says string
	}{
		{"prefix-removal", "removing the prefix deletes this (1 experiment)"},
		{"move", "moving the installation deletes this (1 experiment)"},
		{"cloud", "is not kept by the launcher's cloud"},
	} {
		b := body(t, c.aim, true)
		o, err := m.accept(t, "mira", int64(i+2), b)
		require.NoError(t, err)
		assert.Contains(t, o.Changes(day)[0].String(), c.says)
		assert.NotEmpty(t, b.Statement())
	}
	p, _ := m.titles[id].Published(day)
	l := p.Variants[0].Locations[0]
	assert.Equal(t, standing.Observed, l.Standing, "it says nothing of where progress is")
	assert.Len(t, l.Hazards, 2)
	assert.Equal(t, "not kept", l.Cloud)
	assert.Equal(t, "none", p.Variants[0].Cloud)
	require.NoError(t, p.Check())
}

// What a launcher's own files list is recorded as what they say, until somebody tries it.
func TestACloudsListIsRecorded(t *testing.T) {
	m, id := newWorld(t)
	tried, _ := led(t, "cloud", true)
	p, err := proof.New(tried.ID, tried.About, tried.Locations, day)
	require.NoError(t, err)
	p.ByList, p.At = true, proof.ReadList
	for i := range p.Locations {
		p.Locations[i].Result, p.Locations[i].Why = "", ""
	}
	require.NoError(t, p.Done(proof.ReadList, proof.Event{
		Lists: []string{"xdg-data:tidewrack/mira/"}, Listed: []proof.Listing{{Location: 0, Files: 0}}, Now: day,
	}))
	self := &footprint.Self{User: "mira", Host: "lamp", Home: "/home/mira"}
	_, err = PrepareProof(p, nil, nil, "", self)
	require.NoError(t, err)
	b, err := PrepareProof(p, nil, nil, "", self)
	require.NoError(t, err)
	assert.NotContains(t, b.Proof.Rounds[0].Lists[0], "mira", "what is listed is hidden as all else")
	assert.Contains(t, p.Rounds[0].Lists[0], "mira")

	p.Rounds[0].Lists[0], p.Rounds[0].Listed[0].Files = "xdg-data:tidewrack/", p.Locations[0].Files
	p.Locations[0].Result, p.Locations[0].Why = proof.Kept, "the launcher lists it for its cloud"
	b, err = PrepareProof(p, nil, nil, "", self)
	require.NoError(t, err)
	assert.Equal(t, "record what the launcher's own files list of Tidewrack for its cloud: 1 kept", b.Statement())
	o, err := m.accept(t, "mira", 2, b)
	require.NoError(t, err)
	assert.Contains(t, o.Changes(day)[0].String(), "is kept by the launcher's cloud")
	published, _ := m.titles[id].Published(day)
	assert.Equal(t, "all", published.Variants[0].Cloud)
	_, err = m.accept(t, "tobin", 3, body(t, "cloud", true))
	require.NoError(t, err)
	published, _ = m.titles[id].Published(day)
	assert.Equal(t, "none", published.Variants[0].Cloud, "it was tried")
}

func TestAnAbsenceIsRecorded(t *testing.T) {
	m, id := newWorld(t)
	before := run(footprint.Save, "xdg-data:tidewrack/slots/1.sav", "xdg-data:tidewrack/slots/2.sav", "xdg-config:tidewrack/a")
	written := WrittenIn(before)
	require.Len(t, written, 2)
	assert.Equal(t, "xdg-data:tidewrack/slots/", written[0].At)
	assert.Equal(t, "xdg-config:tidewrack/", written[1].At)
	var all []proof.Location
	for _, l := range written {
		all = append(all, proof.Location{At: l.At, Holds: l.Holds, Files: 1})
	}
	p, runs := led(t, proof.Nothing, false, all...)
	_, err := PrepareProof(p, runs, nil, "", nil)
	assert.ErrorContains(t, err, "the run before is missing")
	b, err := PrepareProof(p, runs, before, "", nil)
	require.NoError(t, err)
	more, err := PrepareProof(p, runs, run(footprint.Save, "xdg-data:tidewrack/slots/1.sav", "xdg-state:tidewrack/slots/1.sav"), "", nil)
	require.NoError(t, err)
	assert.ErrorContains(t, more.Check(t.Context()), "the game wrote xdg-state:tidewrack/slots/1.sav, which was not away")
	none, err := PrepareProof(p, runs, run(footprint.Save), "", nil)
	require.NoError(t, err)
	assert.ErrorContains(t, none.Check(t.Context()), "it wrote nothing")

	o, err := m.accept(t, "mira", 2, b)
	require.NoError(t, err)
	assert.Contains(t, o.Changes(day)[0].String(), "nothing is kept on the machine by quayside 418820")
	published, _ := m.titles[id].Published(day)
	assert.Equal(t, standing.Proven, published.Variants[0].Absence.Standing)

	// Of a title that nobody has recorded it is the first that is known.
	b.Title, b.Proof.Title = "Farway", "Farway"
	b.Variant.Ref, b.Proof.Combination.Ref = "500100", "500100"
	o, err = m.accept(t, "mira", 3, b)
	require.NoError(t, err)
	assert.Nil(t, o.Titles[0].Before)

	// What is seen kept afterwards contradicts it.
	_, err = m.accept(t, "tobin", 4, finding("Tidewrack", "418820", "xdg-data:tidewrack/slots/", "xdg-data:tidewrack/slots/1.sav"))
	require.NoError(t, err)
	published, _ = m.titles[id].Published(day)
	assert.Equal(t, standing.Disputed, published.Variants[0].Absence.Standing)
}

// What tells of the person or the machine stays behind.
func TestWhatAProofSends(t *testing.T) {
	raw, err := Encode(body(t, "", true))
	require.NoError(t, err)
	for _, private := range []string{"mira", "lamp", "/home", "20261128-120000", strings.Repeat("a", 32), "marian", "xdg-data:other"} {
		assert.NotContains(t, string(raw), private)
	}
	p, runs := led(t, "", true, proof.Location{At: "xdg-data:tidewrack/mira.sav", Holds: draft.Save, Files: 1})
	_, err = PrepareProof(p, runs, nil, "", &footprint.Self{User: "mira"})
	assert.ErrorContains(t, err, "identifies you")
	p, _ = led(t, "", true)
	_, err = PrepareProof(p, nil, nil, "", nil)
	assert.ErrorContains(t, err, "its trace is gone")
}

// A proof whose steps, answers or traces do not fit each other is refused, and it says where.
func TestAProofThatDoesNotFit(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*Proof)
		want   string
	}{
		"another result":     {func(b *Proof) { b.Proof.Locations[0].Result = proof.NotNeeded }, "from its rounds follows"},
		"another answer":     {func(b *Proof) { b.Proof.Rounds[0].Answer = proof.Progress }, "from its rounds follows"},
		"another trace":      {func(b *Proof) { b.Runs[0].Files[0].Before.Is, b.Runs[0].Files[0].Reads = trace.IsFile, 1 }, "does not fit the footprint of that start (runs[0])"},
		"traces swapped":     {func(b *Proof) { slices.Reverse(b.Runs) }, "does not fit"},
		"a trace less":       {func(b *Proof) { b.Runs = b.Runs[:1] }, "there are 1, and more starts"},
		"a trace more":       {func(b *Proof) { b.Runs = append(b.Runs, b.Runs[0]) }, "there are 3, and 2 starts"},
		"no trace":           {func(b *Proof) { b.Runs[1] = nil }, "runs[1]: it is missing"},
		"a start without":    {func(b *Proof) { b.Proof.Rounds[0].Trace = "" }, "the start has no trace"},
		"another system":     {func(b *Proof) { b.Runs[0].OS = "windows" }, "it is not evidence for the other"},
		"another title":      {func(b *Proof) { b.Title = "Saltglass" }, "another title, variant or version"},
		"another version":    {func(b *Proof) { b.Version = "9" }, "another title, variant or version"},
		"no experiment":      {func(b *Proof) { b.Proof = nil }, "it is missing"},
		"a search":           {func(b *Proof) { b.Proof.Aim = proof.Which }, "prove the location that it led to"},
		"too many":           {func(b *Proof) { b.Proof.Locations = make([]proof.Location, 65) }, "at most 64 can be sent"},
		"a title's id":       {func(b *Proof) { b.TitleID = "x" }, "title_id"},
		"no system":          {func(b *Proof) { b.Variant.OS, b.Proof.Combination.OS = "", "" }, "are required"},
		"a note with escape": {func(b *Proof) { b.Note = "\x1b[2J" }, "note"},
		"a machine":          {func(b *Proof) { b.Machine = "here" }, "machine"},
	} {
		b := body(t, "", true)
		c.change(b)
		assert.ErrorContains(t, b.Check(t.Context()), c.want, name)
	}
	unsure := body(t, "", true)
	unsure.Proof.Rounds[1].Answer = proof.NewGame
	unsure.Proof.Locations[0].Result = proof.Undecided
	unsure.Proof.Locations[0].Why = "with all files in their places again, the game did not show the progress: nothing is shown by its absence before"
	assert.ErrorContains(t, unsure.Check(t.Context()), "nothing was decided")
}

func TestAProofNeedsItsLocation(t *testing.T) {
	m, id := newWorld(t)
	b := body(t, "", true)
	b.Variant.Ref, b.Proof.Combination.Ref = "1", "1"
	b.Title, b.Proof.Title = "Saltglass", "Saltglass"
	_, err := m.accept(t, "mira", 2, b)
	assert.ErrorContains(t, err, "has to be accepted first")
	b = body(t, "", true)
	b.Variant.Launcher, b.Proof.Combination.Launcher = "", ""
	_, err = m.accept(t, "mira", 3, b)
	assert.ErrorContains(t, err, "the finding that it was proposed in has to be accepted first")
	m.titles[id].Variants[0].Locations[0].Withdrawn = &standing.Withdrawal{Because: "too wide"}
	_, err = m.accept(t, "mira", 4, body(t, "", true))
	assert.ErrorContains(t, err, "is withdrawn: too wide")
	var bad *record.Error
	assert.ErrorAs(t, err, &bad)
	raw, err := json.Marshal(m.titles[id])
	require.NoError(t, err)
	assert.NotContains(t, string(raw), `"proof"`)
}
