package contribution

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/core/trace"
)

// memory is a world in memory.
type memory struct {
	titles     map[string]*record.Title
	sheets     []record.Sheet
	footprints map[int64]*footprint.Footprint
	made       int
}

var day = time.Date(2026, 11, 28, 0, 0, 0, 0, time.UTC)

func (m *memory) Title(_ context.Context, id string) (*record.Title, error) {
	if t := m.titles[id]; t != nil {
		return t, nil
	}
	return nil, ErrNoTitle
}

func (m *memory) Sold(_ context.Context, store, ref string) (ids []string, _ error) {
	for id, t := range m.titles {
		for _, e := range t.Editions {
			if e.Store == store && e.Ref == ref {
				ids = append(ids, id)
			}
		}
	}
	return ids, nil
}

func (m *memory) Named(_ context.Context, name string) (ids []string, _ error) {
	for id, t := range m.titles {
		if t.Named(name) {
			ids = append(ids, id)
		}
	}
	return ids, nil
}

func (m *memory) Near(context.Context, []string) (all []manifest.Title, _ error) {
	for _, t := range m.titles {
		p, _ := t.Published(day)
		all = append(all, p)
	}
	return all, nil
}

func (m *memory) Sheets(context.Context) ([]record.Sheet, error) { return m.sheets, nil }

func (m *memory) Footprint(_ context.Context, n int64) (*footprint.Footprint, error) {
	return m.footprints[n], nil
}

func (m *memory) NewID() string  { m.made++; return fmt.Sprintf("%016x", m.made) }
func (m *memory) Now() time.Time { return day }

// accept checks a body as it arrives, and applies it.
func (m *memory) accept(t *testing.T, person string, number int64, b Body) (*Outcome, error) {
	t.Helper()
	raw, err := Encode(b)
	require.NoError(t, err)
	b, err = Parse(raw)
	require.NoError(t, err)
	require.NoError(t, b.Check(t.Context()))
	o, err := b.Apply(t.Context(), m, standing.Evidence{Contribution: number, Person: person, Accepted: day.Add(time.Duration(number) * time.Minute)})
	if err != nil || len(o.Conflicts)+len(o.Clashes) > 0 {
		return o, err
	}
	for _, c := range o.Titles {
		m.titles[c.After.ID] = c.After
	}
	if o.Sheet != nil {
		m.sheets = append(m.sheets, *o.Sheet.After)
	}
	m.footprints[number] = b.Evidence()
	return o, nil
}

// finding is one of a run that wrote these files, as saves.
func finding(title, ref, at string, files ...string) *Finding {
	d := &draft.Draft{
		Format: draft.Format, Title: title, Edition: &trace.Edition{Store: "quayside", Ref: ref, Version: "1.2"}, Launcher: "quayside",
		OS: "linux", Runtime: "native", Locations: []draft.Location{{At: at, Holds: draft.Save}},
	}
	return &Finding{Head{FindingKind, ""}, d, run(footprint.Save, files...)}
}

func run(kind footprint.Kind, files ...string) *footprint.Footprint {
	f := &footprint.Footprint{Format: footprint.Format, OS: "linux", Runtime: "native", Observer: "seccomp", Counts: map[footprint.Kind]int{}}
	for _, at := range files {
		f.Files = append(f.Files, footprint.File{
			Place: at, Kind: kind, Writes: 1, Confidence: 0.9, Before: trace.State{Is: trace.IsAbsent}, After: trace.State{Is: trace.IsFile, Size: 1},
		})
	}
	return f
}

func newWorld(t *testing.T) (*memory, string) {
	m := &memory{titles: map[string]*record.Title{}, footprints: map[int64]*footprint.Footprint{}}
	o, err := m.accept(t, "mira", 1, finding("Tidewrack", "418820", "xdg-data:tidewrack/", "xdg-data:tidewrack/slots/1.sav"))
	require.NoError(t, err)
	return m, o.Subject()
}

func wide() record.Place {
	return record.Place{
		Variant: record.Combination{Store: "quayside", Ref: "418820", Launcher: "quayside", OS: "linux", Runtime: "native"},
		At:      "xdg-data:tidewrack/", Holds: draft.Save,
	}
}

func standingAt(t *testing.T, m *memory, id, at string) standing.Standing {
	p, _ := m.titles[id].Published(day)
	for _, v := range p.Variants {
		for _, l := range v.Locations {
			if l.At == at {
				return l.Standing
			}
		}
	}
	return ""
}

// A draft finds its title by id, by the edition's reference, by a name, or is a new one.
func TestATitleIsFound(t *testing.T) {
	m, id := newWorld(t)
	for name, c := range map[string]struct {
		title, id, ref string
		want, how      string
	}{
		"by the reference, whatever it is called": {"Tide Wrack", "", "418820", id, ByEdition},
		"by the name":                {"TIDEWRACK", "", "9", id, ByName},
		"by the id":                  {"Something", id, "9", id, ByID},
		"as new":                     {"Copperfen", "", "9", "", AsNew},
		"as new, with the same name": {"Tidewrack", draft.NewTitle, "9", "", AsNew},
	} {
		f := finding(c.title, c.ref, "xdg-data:other/a", "xdg-data:other/a")
		f.Draft.TitleID = c.id
		got, how, err := TitleOf(t.Context(), m, f.Draft)
		require.NoError(t, err, name)
		assert.Equal(t, c.how, how, name)
		if c.want == "" {
			assert.Nil(t, got, name)
			continue
		}
		assert.Equal(t, c.want, got.ID, name)
	}
	second := finding("Tidewrack", "9", "xdg-data:tw-other/a", "xdg-data:tw-other/a")
	second.Draft.TitleID = draft.NewTitle
	o, err := m.accept(t, "tobin", 2, second)
	require.NoError(t, err)
	assert.NotEqual(t, id, o.Subject(), "two games can have one name")
	third := finding("Tidewrack", "10", "xdg-data:tw-third/a", "xdg-data:tw-third/a")
	_, err = m.accept(t, "tobin", 3, third)
	var bad *Error
	require.ErrorAs(t, err, &bad)
	assert.Equal(t, "draft.title_id", bad.Field)
	assert.Contains(t, bad.Reason, id+" is Tidewrack")
	third.Draft.TitleID = "0000000000000099"
	_, err = m.accept(t, "tobin", 3, third)
	assert.ErrorContains(t, err, "there is no title 0000000000000099")
	joined, err := m.accept(t, "tobin", 4, finding("Tide Wrack", "418820", "xdg-data:tidewrack/x", "xdg-data:tidewrack/x"))
	require.NoError(t, err)
	assert.Equal(t, manifest.JoinsTitle, joined.Changes(day)[0].What)
}

func TestAFindingThatReachesIntoAnother(t *testing.T) {
	m, id := newWorld(t)
	o, err := m.accept(t, "tobin", 2, finding("Copperfen", "9", "xdg-data:tidewrack/slots/*.sav", "xdg-data:tidewrack/slots/1.sav"))
	require.NoError(t, err)
	require.Len(t, o.Conflicts, 1)
	assert.Equal(t, id, o.Conflicts[0].Title)
	assert.Len(t, m.titles, 1)
}

// What people said of a footprint's files counts when it is accepted.
func TestCorrectedKindsCount(t *testing.T) {
	for name, c := range map[string]struct {
		kind  footprint.Kind
		holds string
	}{"it is settings": {footprint.Config, draft.Config}, "it is a cache": {footprint.Cache, ""}, "it is progress": {footprint.Save, draft.Save}} {
		f := finding("Tidewrack", "418820", "xdg-data:tidewrack/a.dat", "xdg-data:tidewrack/a.dat", "xdg-data:tidewrack/b.dat")
		f.Draft.Locations = append(f.Draft.Locations, draft.Location{At: "xdg-data:tidewrack/b.dat", Holds: draft.Save})
		require.NoError(t, f.Footprint.Correct([]footprint.Correction{{File: "xdg-data:tidewrack/a.dat", Kind: c.kind, By: "anselm"}}))
		m := &memory{titles: map[string]*record.Title{}, footprints: map[int64]*footprint.Footprint{}}
		o, err := f.Apply(t.Context(), m, standing.Evidence{Person: "mira", Accepted: day})
		require.NoError(t, err, name)
		holds := map[string]string{}
		for _, l := range o.Titles[0].After.Variants[0].Locations {
			holds[l.At] = l.Holds
		}
		assert.Equal(t, c.holds, holds["xdg-data:tidewrack/a.dat"], name)
		assert.Equal(t, draft.Save, holds["xdg-data:tidewrack/b.dat"], name)
	}
	f := finding("Tidewrack", "418820", "xdg-data:tidewrack/a.dat", "xdg-data:tidewrack/a.dat")
	require.NoError(t, f.Footprint.Correct([]footprint.Correction{{File: "xdg-data:tidewrack/a.dat", Kind: footprint.Log, By: "anselm"}}))
	_, err := f.Apply(t.Context(), &memory{}, standing.Evidence{})
	assert.ErrorContains(t, err, "none of its locations keeps anything of interest")
}

func TestDisputes(t *testing.T) {
	m, id := newWorld(t)
	dispute := func(f *footprint.Footprint) *Dispute {
		return &Dispute{Head: Head{Name: DisputeKind}, TitleID: id, Title: "Tidewrack", Location: wide(), Because: "1.4 saves elsewhere", Footprint: f}
	}
	for name, c := range map[string]struct {
		footprint *footprint.Footprint
		why       string
	}{
		"it saved elsewhere alone":            {run(footprint.Save, "xdg-config:tidewrack/slots/1.sav"), "and nothing there"},
		"what it used there is nothing":       {run(footprint.Cache, "xdg-data:tidewrack/shader.bin"), "none is progress"},
		"it saved there":                      {run(footprint.Save, "xdg-data:tidewrack/1.sav"), ""},
		"it saved there and elsewhere":        {run(footprint.Save, "xdg-data:tidewrack/1.sav", "xdg-config:tw/1.sav"), ""},
		"it saved nothing":                    {run(footprint.Log, "xdg-config:tidewrack/run.log"), ""},
		"it wrote settings, and they are not": {run(footprint.Config, "xdg-config:tidewrack/a.ini"), ""},
	} {
		why, err := Contradicts(t.Context(), wide(), c.footprint)
		require.NoError(t, err)
		if c.why == "" {
			assert.Empty(t, why, name)
			var bad *Error
			require.ErrorAs(t, dispute(c.footprint).Check(t.Context()), &bad, name)
			assert.Equal(t, "footprint", bad.Field)
			continue
		}
		assert.Contains(t, why, c.why, name)
		assert.NoError(t, dispute(c.footprint).Check(t.Context()), name)
	}
	good := dispute(run(footprint.Save, "xdg-config:tidewrack/slots/1.sav"))
	o, err := m.accept(t, "tobin", 2, good)
	require.NoError(t, err)
	assert.Equal(t, standing.Disputed, standingAt(t, m, id, wide().At))
	assert.Equal(t, manifest.StandingChanged, o.Changes(day)[0].What)
	other := *good
	other.Location.Variant.Runtime = "prefix"
	assert.ErrorContains(t, other.Check(t.Context()), "it is not evidence for the other")
	other = *good
	other.TitleID = "tidewrack"
	assert.ErrorContains(t, other.Check(t.Context()), "title_id")
	other = *good
	other.Because = " "
	assert.ErrorContains(t, other.Check(t.Context()), "because")
}

// A narrower location keeps the evidence whose runs used files in it.
func TestALocationIsReplaced(t *testing.T) {
	m, id := newWorld(t)
	_, err := m.accept(t, "tobin", 2, finding("Tidewrack", "418820", "xdg-data:tidewrack/", "xdg-data:tidewrack/autosave.sav"))
	require.NoError(t, err)
	change := LocationChange{Head: Head{Name: LocationKind}, TitleID: id, Title: "Tidewrack", Location: wide(), To: "xdg-data:tidewrack/slots/*.sav", Because: "there are logs beside"}
	o, err := m.accept(t, "ysolde", 3, &change)
	require.NoError(t, err)
	assert.Equal(t, standing.Withdrawn, standingAt(t, m, id, wide().At))
	next, err := o.Titles[0].After.Location(record.Place{Variant: wide().Variant, At: change.To, Holds: draft.Save})
	require.NoError(t, err)
	require.Len(t, next.Evidence, 1, "tobin's run used no file in it")
	assert.Equal(t, int64(1), next.Evidence[0].Contribution)

	_, err = m.accept(t, "ysolde", 4, &change)
	assert.ErrorContains(t, err, "is withdrawn")
	elsewhere := change
	elsewhere.Location.At, elsewhere.To = change.To, "xdg-config:tidewrack/slots/*.sav"
	_, err = m.accept(t, "ysolde", 5, &elsewhere)
	assert.ErrorContains(t, err, "no traced run is known")
	elsewhere.Footprint = run(footprint.Save, "xdg-config:tidewrack/slots/1.sav")
	_, err = m.accept(t, "ysolde", 6, &elsewhere)
	require.NoError(t, err, "one's own run is evidence")
	elsewhere.Footprint = run(footprint.Save, "xdg-data:other/1.sav")
	assert.ErrorContains(t, elsewhere.Check(t.Context()), "no file of interest")

	// What a reviewer says of its files counts.
	m, id = newWorld(t)
	corrected := change
	corrected.TitleID, corrected.To = id, "xdg-config:tidewrack/slots/*.sav"
	corrected.Footprint = run(footprint.Save, "xdg-config:tidewrack/slots/1.sav")
	require.NoError(t, corrected.Check(t.Context()))
	require.NoError(t, corrected.Footprint.Correct([]footprint.Correction{{File: "xdg-config:tidewrack/slots/1.sav", Kind: footprint.Cache, Because: "made again"}}))
	_, err = corrected.Apply(t.Context(), m, standing.Evidence{Contribution: 2})
	assert.ErrorContains(t, err, "by what was said of its files")
}

func TestOtherChangesOfALocation(t *testing.T) {
	m, id := newWorld(t)
	base := LocationChange{Head: Head{Name: LocationKind}, TitleID: id, Title: "Tidewrack", Location: wide(), Because: "since 1.2"}
	held := base
	held.Versions = &standing.Range{From: "1.2"}
	_, err := m.accept(t, "ysolde", 2, &held)
	require.NoError(t, err)
	gone := base
	gone.Withdraw = true
	_, err = m.accept(t, "ysolde", 3, &gone)
	require.NoError(t, err)
	assert.Equal(t, standing.Withdrawn, standingAt(t, m, id, wide().At))
	for says, spoil := range map[string]func(c *LocationChange){
		"exactly one of":  func(c *LocationChange) { c.Withdraw = false },
		"exactly one of ": func(c *LocationChange) { c.To = "xdg-data:tw/a" },
		"reaches too far": func(c *LocationChange) { c.Withdraw, c.To = false, "home:.local/" },
		"comes after":     func(c *LocationChange) { c.Withdraw, c.Versions = false, &standing.Range{From: "2", To: "1"} },
		"location.holds":  func(c *LocationChange) { c.Location.Holds = "treasure" },
		"location.at":     func(c *LocationChange) { c.Location.At = "nowhere" },
		"are required":    func(c *LocationChange) { c.Location.Variant.OS = "" },
	} {
		c := gone
		spoil(&c)
		assert.ErrorContains(t, c.Check(t.Context()), strings.TrimSpace(says))
	}
	missing := base
	missing.TitleID, missing.Withdraw = "00000000000000aa", true
	_, err = m.accept(t, "ysolde", 4, &missing)
	assert.ErrorContains(t, err, "there is no title")
}

func TestTitleEdits(t *testing.T) {
	m, id := newWorld(t)
	_, err := m.accept(t, "tobin", 2, finding("Tide Wrack", "99", "xdg-data:tw-two/a", "xdg-data:tw-two/a"))
	require.NoError(t, err)
	second := "0000000000000002"
	edit := func(e TitleEdit) *TitleEdit {
		e.Head, e.Because = Head{Name: TitleKind}, "as its box says"
		if e.TitleID == "" {
			e.TitleID, e.Title = id, "Tidewrack"
		}
		return &e
	}
	_, err = m.accept(t, "ysolde", 3, edit(TitleEdit{Rename: &Rename{Name: "TideWrack", Keep: true}}))
	require.NoError(t, err)
	_, err = m.accept(t, "ysolde", 4, edit(TitleEdit{Rename: &Rename{Name: "Another"}}))
	assert.ErrorContains(t, err, "its name is TideWrack by now", "two that rename one title at once")
	_, err = m.accept(t, "ysolde", 5, edit(TitleEdit{AddName: &NewName{Name: "Gezeitenwrack", Language: "de"}}))
	require.NoError(t, err)
	_, err = m.accept(t, "ysolde", 6, edit(TitleEdit{Describe: &Description{Year: 2019, Maker: "Harrow Lane"}}))
	require.NoError(t, err)
	merge := edit(TitleEdit{TitleID: second, Title: "Tide Wrack", MergeInto: id, IntoName: "TideWrack"})
	assert.Equal(t, "merge Tide Wrack into TideWrack ("+id+")", merge.Statement())
	merged, err := m.accept(t, "ysolde", 7, merge)
	require.NoError(t, err)
	var says []string
	for _, c := range merged.Changes(m.Now()) {
		says = append(says, c.String())
	}
	assert.Equal(t, "Tide Wrack: merged into TideWrack ("+id+")", says[0], "each change says whose it is")
	assert.Contains(t, says, "TideWrack: another name: Tide Wrack")
	assert.Len(t, m.titles[id].Variants, 2)
	_, err = m.accept(t, "ysolde", 8, edit(TitleEdit{MergeInto: second}))
	assert.ErrorContains(t, err, "circle")
	o, err := m.accept(t, "ysolde", 9, edit(TitleEdit{Move: &EditionMove{Store: "quayside", Ref: "99", Name: "Tide Wrack", Year: 2024}}))
	require.NoError(t, err)
	assert.Len(t, m.titles[id].Variants, 1)
	split := o.Titles[1].After.ID
	_, err = m.accept(t, "ysolde", 10, edit(TitleEdit{TitleID: split, Title: "Tide Wrack", Move: &EditionMove{Store: "quayside", Ref: "99", To: id}}))
	require.NoError(t, err)
	followed, err := Follow(t.Context(), m, second)
	require.NoError(t, err)
	assert.Equal(t, id, followed.ID, "merged ids lead on")

	for says, e := range map[string]TitleEdit{
		"exactly one of":     {},
		"a name is required": {Rename: &Rename{}},
		"without spaces":     {Rename: &Rename{Name: " x"}},
		"language tag":       {AddName: &NewName{Name: "x", Language: "not a tag"}},
		"a year from":        {Describe: &Description{Year: 12}},
		"into itself":        {MergeInto: id},
		"not a title's id":   {MergeInto: "x"},
		"into_name":          {MergeInto: second, IntoName: " x"},
		"to_name":            {Move: &EditionMove{Store: "quayside", To: second, ToName: " x"}},
		"move_edition.store": {Move: &EditionMove{Name: "x"}},
		"leave name":         {Move: &EditionMove{Store: "quayside", To: second, Name: "x"}},
		"move_edition.name":  {Move: &EditionMove{Store: "quayside"}},
	} {
		assert.ErrorContains(t, edit(e).Check(t.Context()), says)
	}
}

func TestSheetsAreTried(t *testing.T) {
	text, err := os.ReadFile("../../standin/launchers/larder.yaml")
	require.NoError(t, err)
	s, err := sheet.Parse(text)
	require.NoError(t, err)
	m, _ := newWorld(t)
	b := &Sheet{Head: Head{Name: SheetKind}, Sheet: s, Found: &Findings{OS: "linux", Titles: 1}}
	o, err := m.accept(t, "mira", 2, b)
	require.NoError(t, err)
	assert.Nil(t, o.Sheet.Before)
	assert.Equal(t, standing.Observed, o.Sheet.After.Published(day).Standing)
	assert.Equal(t, "record the sheet of the launcher Larder", b.Statement())
}

// Every kind says what it asks for, and what it is about, and is read back as it was sent.
func TestKinds(t *testing.T) {
	assert.Equal(t, []string{"dispute", "finding", "location", "proof", "sheet", "title"}, Kinds())
	_, err := Parse([]byte(`{"kind":"rumour"}`))
	assert.ErrorContains(t, err, `"rumour" is not a kind of contribution`)
	_, err = Parse([]byte(`{"kind":"title","titel":1}`))
	assert.ErrorContains(t, err, "unknown key")
	_, err = Parse([]byte(`{`))
	assert.Error(t, err)
	m, id := newWorld(t)
	require.NotNil(t, m)
	for _, b := range []Body{
		finding("Tidewrack", "418820", "xdg-data:tidewrack/a", "xdg-data:tidewrack/a"),
		&Dispute{Head: Head{Name: DisputeKind}, TitleID: id, Title: "Tidewrack", Location: wide(), Because: "x", Footprint: run(footprint.Save, "xdg-config:tw/a")},
		&LocationChange{Head: Head{Name: LocationKind}, TitleID: id, Title: "Tidewrack", Location: wide(), Withdraw: true, Because: "x"},
		&TitleEdit{Head: Head{Name: TitleKind}, TitleID: id, Title: "Tidewrack", Rename: &Rename{Name: "X"}, Because: "x"},
	} {
		raw, err := Encode(b)
		require.NoError(t, err)
		again, err := Parse(raw)
		require.NoError(t, err)
		twice, err := json.MarshalIndent(again, "", "  ")
		require.NoError(t, err)
		assert.Equal(t, string(raw), string(twice))
		assert.Equal(t, "Tidewrack", again.About().Title)
		assert.NotEmpty(t, again.Statement())
		assert.Equal(t, b.Kind(), again.Kind())
	}
}
