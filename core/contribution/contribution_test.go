package contribution

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/notes"
	"endroit/core/trace"
)

// sound is a contribution that holds, of a run by mira.
func sound() (*draft.Draft, *footprint.Footprint) {
	d := &draft.Draft{Format: draft.Format, Title: "Tidewrack", OS: "linux", Runtime: "native", Trace: &draft.Trace{File: "/home/mira/tw.trace", SHA256: strings.Repeat("ab", 32)},
		Note:      "traced on heron by mira",
		Locations: []draft.Location{{At: "xdg-data:tidewrack/slots/slot{slot}.sav", Holds: draft.Save, Why: []string{"mira saw it"}}}}
	f := &footprint.Footprint{Format: footprint.Format, OS: "linux", Runtime: "native", Observer: "seccomp user notification", Programs: []string{"tidewrack"}, Cues: []trace.Cue{}, Gaps: []trace.Gap{}, Counts: map[footprint.Kind]int{footprint.Save: 1},
		Self: &footprint.Self{User: "mira", Host: "heron", Home: "/home/mira"},
		Files: []footprint.File{
			{Path: "/home/mira/.local/share/tidewrack/slots/slot1.sav", Place: "xdg-data:tidewrack/slots/slot1.sav", Kind: footprint.Save, Confidence: 0.9, Writes: 1, Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: "save"}}}, Before: trace.State{Is: trace.IsFile}, After: trace.State{Is: trace.IsFile}},
			{Path: "/home/mira/.local/share/tidewrack/slots/slot.log", Place: "xdg-data:tidewrack/slots/slot.log", Kind: footprint.Log, Confidence: 0.9, Writes: 9, Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: "save"}}}, Before: trace.State{Is: trace.IsFile}, After: trace.State{Is: trace.IsFile}},
		}}
	return d, f
}

func prepared(t *testing.T) *Finding {
	t.Helper()
	b, err := Prepare(sound())
	require.NoError(t, err)
	require.NoError(t, b.Check(t.Context()))
	return b
}

func TestPreparedSubmissionIsValidAndPrivate(t *testing.T) {
	d, f := sound()
	d.Locations[0].Notes = &notes.Notes{Format: notes.Format, About: "mira's slot", Fields: []notes.Field{{Name: "who", Type: "text", Length: "8", Is: []string{"mira"}}}}
	b, err := Prepare(d, f)
	require.NoError(t, err)
	require.NoError(t, b.Check(t.Context()))
	assert.Equal(t, "{user}'s slot", b.Draft.Locations[0].Notes.About)
	assert.Equal(t, "mira's slot", d.Locations[0].Notes.About)
	raw, err := Encode(b)
	require.NoError(t, err)
	for _, private := range []string{"mira", "heron", "/home", ".trace"} {
		assert.NotContains(t, string(raw), private)
	}
	assert.Contains(t, string(raw), "traced on {host} by {user}")
	assert.Equal(t, strings.Repeat("ab", 32), b.Draft.Trace.SHA256)
	assert.Equal(t, "/home/mira/tw.trace", d.Trace.File, "the contributor's own draft is unchanged")
	again, err := Parse(raw)
	require.NoError(t, err)
	require.NoError(t, again.Check(t.Context()), "what arrives is what was sent")
}

func TestLocationWithPersonalNameIsRefused(t *testing.T) {
	for at, instead := range map[string]string{
		"xdg-data:tidewrack/mira/a.sav":          "xdg-data:tidewrack/{user}/a.sav",
		"xdg-data:tidewrack/76561198000000001/*": "xdg-data:tidewrack/{account}/*",
		"install:heron/a.sav":                    "install:{host}/a.sav",
	} {
		d, f := sound()
		d.Locations[0].At = at
		_, err := Prepare(d, f)
		var e *Error
		require.ErrorAs(t, err, &e, at)
		assert.Equal(t, "draft.locations[0].at", e.Field)
		assert.Contains(t, e.Reason, instead)
	}
}

func TestUntrustedSubmissions(t *testing.T) {
	for name, c := range map[string]struct {
		spoil func(*Finding)
		field string
		says  string
	}{
		"nothing":               {func(b *Finding) { b.Draft = nil }, "draft", "a draft and a footprint"},
		"a machine by its name": {func(b *Finding) { b.Machine = "heron" }, "machine", "32 lowercase hexadecimal digits"},
		"no footprint":          {func(b *Finding) { b.Footprint = nil }, "draft", "a draft and a footprint"},
		"an unsound draft":      {func(b *Finding) { b.Draft.Title = "" }, "draft.title", "missing"},
		"a location that is too wide": {func(b *Finding) { b.Draft.Locations[0].At = "home:.local/share/" },
			"draft.locations[0].at", "reaches too far"},
		"a location that leads out": {func(b *Finding) { b.Draft.Locations[0].At = "xdg-data:tidewrack/../x" }, "draft.locations[0].at", "is not allowed in a path"},
		"a location without evidence": {func(b *Finding) { b.Draft.Locations[0].At = "xdg-data:tidewrack/other/*.sav" },
			"draft.locations[0].at", "needs evidence"},
		"another footprint format": {func(b *Finding) { b.Footprint.Format = "endroit/footprint/9" }, "footprint.format", "not endroit/footprint/1"},
		"a path":                   {func(b *Finding) { b.Footprint.Files[0].Path = "/home/mira/x" }, "footprint.files[0].path", "stay on the contributor's machine"},
		"a place that is none":     {func(b *Finding) { b.Footprint.Files[1].Place = "nowhere" }, "footprint.files[1].place", "no colon"},
		"a kind that is none":      {func(b *Finding) { b.Footprint.Files[0].Kind = "treasure" }, "footprint.files[0]", "out of range"},
		"a confidence above one":   {func(b *Finding) { b.Footprint.Files[0].Confidence = 1.5 }, "footprint.files[0]", "out of range"},
		"a count below zero":       {func(b *Finding) { b.Footprint.Files[0].Reads = -1 }, "footprint.files[0]", "out of range"},
		"too many files":           {func(b *Finding) { b.Footprint.Files = make([]footprint.File, MaxFiles+1) }, "footprint.files", "at most"},
		"an escape for terminals":  {func(b *Finding) { b.Footprint.Files[0].Findings[0].Word = "\x1b[2J" }, "footprint", "it contains an invisible or unprintable character"},
		"reasons of its own":       {func(b *Finding) { b.Footprint.Files[0].Reasons = []string{"believe me"} }, "footprint.files[0].reasons", "made from the findings"},
		"a judgement of others":    {func(b *Finding) { b.Footprint.Files[0].Again = &footprint.Judged{Kind: footprint.Save} }, "footprint.files[0].reasons", "leave them out"},
		"an id that is none":       {func(b *Finding) { b.Footprint.Files[0].Findings[0].ID = "Its Name" }, "footprint.files[0].findings", "not a finding's id"},
		"too many findings":        {func(b *Finding) { b.Footprint.Files[0].Findings = make([]footprint.Finding, 101) }, "footprint.files[0].findings", "at most"},
		"an endless text":          {func(b *Finding) { b.Footprint.Programs = []string{strings.Repeat("x", 3000)} }, "footprint", "longer than"},
		"a cue with a bell":        {func(b *Finding) { b.Footprint.Cues = []trace.Cue{{Word: "ding\a"}} }, "footprint.cues[0]", "it contains an invisible or unprintable character"},
	} {
		b := prepared(t)
		c.spoil(b)
		var e *Error
		if assert.ErrorAs(t, b.Check(t.Context()), &e, name) {
			assert.Equal(t, c.field, e.Field, name)
			assert.Contains(t, e.Reason, c.says, name)
		}
	}
}

func TestCoverSaysWhatElseALocationReaches(t *testing.T) {
	d, f := sound()
	d.Locations = append(d.Locations, draft.Location{At: "xdg-data:tidewrack/slots/", Holds: draft.Save}, draft.Location{At: "xdg-config:tidewrack/a", Holds: draft.Config})
	got, err := Cover(t.Context(), d, f)
	require.NoError(t, err)
	require.Len(t, got, 3)
	assert.Equal(t, []int{0}, got[0].Files)
	assert.Equal(t, map[footprint.Kind]int{footprint.Save: 1, footprint.Log: 1}, got[1].Kinds)
	assert.Empty(t, got[2].Files)
}

func TestABodyOverTheLimitIsNotEncoded(t *testing.T) {
	b := prepared(t)
	long := strings.Repeat("x", 1900)
	for range 2500 {
		b.Footprint.Files = append(b.Footprint.Files, footprint.File{Place: "xdg-data:tidewrack/a", Kind: footprint.Log, Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: long}}}})
	}
	_, err := Encode(b)
	assert.ErrorContains(t, err, "at most")
}

func FuzzCheck(f *testing.F) {
	b, err := Prepare(sound())
	require.NoError(f, err)
	raw, err := Encode(b)
	require.NoError(f, err)
	f.Add(raw)
	f.Fuzz(func(t *testing.T, data []byte) {
		parsed, err := Parse(data)
		if err != nil || parsed.Check(t.Context()) != nil {
			return
		}
		_, _, _ = parsed.About(), parsed.Statement(), parsed.Reason()
		if b, ok := parsed.(*Finding); ok {
			all, err := Cover(t.Context(), b.Draft, b.Footprint)
			require.NoError(t, err)
			for _, c := range all {
				require.NotEmpty(t, c.Files)
			}
		}
	})
}

// A name that the player chose, and what a draft keeps of names, stay behind; a number that
// the program brings stays in the location.
func TestChosenNamesStayBehind(t *testing.T) {
	d, f := sound()
	d.Locations = []draft.Location{
		{At: "xdg-data:tidewrack/keepers/{profile}.sav", Holds: draft.Save, Why: []string{"the keeper Bo sails alone"}},
		{At: "xdg-data:tidewrack/7300418820114/a.sav", Holds: draft.Save},
	}
	d.Questions = []draft.Question{{Ask: "is bo's file a copy?"}}
	d.Names = &draft.Names{Chosen: []string{"Bo"}, Program: []string{"7300418820114"}}
	f.Files[0].Place = "xdg-data:tidewrack/keepers/Bo.sav"
	TellNames(f, d.Names)
	b, err := Prepare(d, f)
	require.NoError(t, err)
	raw, err := Encode(b)
	require.NoError(t, err)
	assert.NotRegexp(t, `(?i)\bbo\b`, string(raw))
	assert.Contains(t, string(raw), "xdg-data:tidewrack/7300418820114/a.sav")
	assert.Contains(t, string(raw), "the keeper {profile} sails alone")
	assert.Nil(t, b.Draft.Names)
	assert.NotNil(t, d.Names, "the contributor's own draft is unchanged")

	f.Self.Program = nil
	_, err = Prepare(d, f)
	assert.ErrorContains(t, err, "identifies you", "unless the program brings it, such a number is an account's")
}
