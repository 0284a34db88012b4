package schemas

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/candidate"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/core/trace"
	"endroit/machine"
	"endroit/standin/launchers"
	"endroit/tracefiles"
	"endroit/trial"
)

func schema(t *testing.T, name string) *jsonschema.Schema {
	t.Helper()
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	files, err := filepath.Glob("*.schema.json")
	require.NoError(t, err)
	for _, f := range files {
		text, err := os.ReadFile(f)
		require.NoError(t, err)
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
		require.NoError(t, err, f)
		id, _ := doc.(map[string]any)["$id"].(string)
		require.NoError(t, c.AddResource(id, doc))
	}
	s, err := c.Compile("urn:endroit:schema:" + name + ":1")
	require.NoError(t, err)
	return s
}

func holds(t *testing.T, s *jsonschema.Schema, text []byte) error {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	return s.Validate(v)
}

// golden is the trace that the format's own test keeps.
func golden(t *testing.T) []string {
	t.Helper()
	text, err := os.ReadFile("../core/trace/testdata/version1.ndjson")
	require.NoError(t, err)
	return strings.Split(strings.TrimSpace(string(text)), "\n")
}

func TestTrace(t *testing.T) {
	s := schema(t, "trace")
	lines := golden(t)
	require.Len(t, lines, 13)
	for _, line := range lines {
		assert.NoError(t, holds(t, s, []byte(line)), line)
	}
	for _, bad := range []string{`{}`, `{"f":0,"path":"/a","before":{"is":"file"}}`, `{"f":1,"path":"a","before":{"is":"file"}}`, `{"f":1,"before":{"is":"file"}}`, `{"t":1,"o":"fly","f":1}`, `{"t":1,"o":"rename","f":1}`, `{"t":1,"o":"read","f":1,"to":2}`, `{"t":-1,"o":"read","f":1}`, `{"at":1,"cue":""}`, `{"exit":1,"at":1,"status":256}`} {
		assert.Error(t, holds(t, s, []byte(bad)), bad)
	}
}

// run is a footprint of a small trace, made by the program itself.
func run(t *testing.T) *footprint.Footprint {
	t.Helper()
	var b bytes.Buffer
	w, err := trace.NewWriter(&b, trace.Header{Title: "Tidewrack", Edition: &trace.Edition{Store: "quayside", Ref: "418820"}, OS: "linux", Runtime: "native", Observer: "seccomp user notification", Started: time.Date(2026, 11, 24, 1, 2, 3, 0, time.UTC), Env: map[string]string{"HOME": "/home/mira"}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&trace.Process{PID: 7, Exe: "/opt/tidewrack/tidewrack"}))
	for i, p := range []string{"/home/mira/.local/share/tidewrack/slots/slot1.sav", "/home/mira/.local/share/tidewrack/slots/slot2.sav", "/home/mira/.config/tidewrack/settings.ini", "/tmp/x"} {
		require.NoError(t, w.File(&trace.File{Path: p, Before: trace.State{Is: trace.IsFile, Size: 9, Time: time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)}}))
		require.NoError(t, w.Event(trace.Event{At: time.Second, Process: 1, Op: trace.Read, File: i + 1}))
		require.NoError(t, w.Event(trace.Event{At: 30 * time.Second, Process: 1, Op: trace.Replace, File: i + 1}))
	}
	require.NoError(t, w.Cue(trace.Cue{At: 31 * time.Second, Word: "saved"}))
	require.NoError(t, w.Gap(trace.Gap{What: "io_uring was refused", N: 1}))
	_, err = w.Close(time.Minute)
	require.NoError(t, err)
	r, err := trace.NewReader(&b, trace.DefaultLimits)
	require.NoError(t, err)
	fp, err := footprint.FromTrace(r)
	require.NoError(t, err)
	return fp
}

func TestFootprint(t *testing.T) {
	s, fp := schema(t, "footprint"), run(t)
	corrected := run(t)
	require.NoError(t, corrected.Correct([]footprint.Correction{{File: "xdg-config:tidewrack/settings.ini", Kind: footprint.Cache, By: "mira", Because: "made again", Made: time.Unix(0, 0).UTC()}}))
	require.Len(t, corrected.Share(corrected.Anonymizer()).Corrections, 1)
	for name, f := range map[string]*footprint.Footprint{"whole": fp, "shared": fp.Share(fp.Anonymizer()), "corrected": corrected, "corrected and shared": corrected.Share(corrected.Anonymizer())} {
		raw, err := json.Marshal(f)
		require.NoError(t, err)
		assert.NoError(t, holds(t, s, raw), "%s: %s", name, raw)
	}
	raw, err := json.Marshal(fp)
	require.NoError(t, err)
	for _, spoil := range [][2]string{{`"kind":"save"`, `"kind":"treasure"`}, {`"confidence":0.`, `"confidence":7.`}, {`"format":"endroit/footprint/1"`, `"format":"endroit/footprint/2"`}, {`"counts":`, `"no-counts":`}} {
		bad := strings.Replace(string(raw), spoil[0], spoil[1], 1)
		require.NotEqual(t, string(raw), bad, spoil[0])
		assert.Error(t, holds(t, s, []byte(bad)), spoil[1])
	}
}

func TestCorrections(t *testing.T) {
	fp := run(t)
	require.NoError(t, fp.Correct([]footprint.Correction{{File: "xdg-config:tidewrack/settings.ini", Kind: footprint.Cache, By: "mira", Made: time.Unix(0, 0).UTC()}}))
	trace := filepath.Join(t.TempDir(), "x.trace")
	require.NoError(t, tracefiles.Keep(trace, strings.Repeat("0", 64), fp.Corrections))
	raw, err := os.ReadFile(trace + ".corrections.json")
	require.NoError(t, err)
	s := schema(t, "corrections")
	assert.NoError(t, holds(t, s, raw))
	assert.Error(t, holds(t, s, bytes.Replace(raw, []byte(`"cache"`), []byte(`"treasure"`), 1)))
}

func proposed(t *testing.T) *draft.Draft {
	t.Helper()
	fp := run(t)
	d := &draft.Draft{Format: draft.Format, Title: fp.Title, Edition: fp.Edition, OS: fp.OS, Runtime: fp.Runtime, Trace: &draft.Trace{File: "a.trace", SHA256: strings.Repeat("00", 32)}, Questions: []draft.Question{{Ask: "is it?", Topic: draft.TopicKind, Of: []string{"xdg-data:tw/a"}, Answers: draft.AnswersTo(draft.TopicKind), Answer: "settings"}}, Note: "two\nlines"}
	for _, l := range candidate.Propose(fp, nil).Locations {
		d.Locations = append(d.Locations, draft.Location{At: l.At.String(), Holds: string(l.Holds), Why: l.Why})
	}
	require.NotEmpty(t, d.Locations)
	return d
}

// The schema and the program refuse and take the same drafts, as far as a schema
// can tell.
func TestDraft(t *testing.T) {
	s := schema(t, "draft")
	text, err := proposed(t).Text()
	require.NoError(t, err)
	for name, c := range map[string]struct {
		old, new string
		sound    bool
	}{
		"as proposed":        {"", "", true},
		"somebody's own key": {"os: linux", "os: linux\nx-mine: 1", true},
		"a mistyped key":     {"title:", "titel:", false},
		"another system":     {"os: linux", "os: beos", false},
		"another format":     {"endroit/draft/1", "endroit/draft/2", false},
		"holds nothing":      {"holds: save", "holds: treasure", false},
		"no anchor":          {"at: xdg-data:", "at: ", false},
		"a store's key":      {"store: quayside", "store: quayside\n  shop: 1", false},
		"another digest":     {"sha256: \"00", "sha256: \"0", false},
		"a location's key":   {"holds: save", "holds: save\n    held: 1", false},
	} {
		edited := strings.Replace(string(text), c.old, c.new, 1)
		asJSON, err := yaml.YAMLToJSON([]byte(edited))
		require.NoError(t, err, name)
		_, parsed := draft.Parse([]byte(edited))
		checked := holds(t, s, asJSON)
		if c.sound {
			assert.NoError(t, parsed, name)
			assert.NoError(t, checked, name)
		} else {
			assert.Error(t, parsed, name)
			assert.Error(t, checked, name)
		}
	}
}

func TestSheet(t *testing.T) {
	s := schema(t, "sheet")
	for name, c := range map[string]struct {
		old, new string
		sound    bool
	}{
		"the stand-in's":  {"", "", true},
		"a mistyped key":  {"below:", "beneath:", false},
		"another format":  {"sheet/1", "sheet/2", false},
		"no query":        {"each: $.entry", "each: entry", false},
		"a strange file":  {"as: nested-text", "as: parchment", false},
		"another system":  {"  linux:", "  beos:", false},
		"an absolute one": {"files: settings/libraries.qk", "files: /libraries.qk", false},
		"files and keys":  {"files: settings/libraries.qk", "keys: [HKEY_CURRENT_USER/Software/Quayside/]\n      files: settings/libraries.qk", false},
		"keys as a form":  {"files: settings/libraries.qk", "keys: [HKEY_CURRENT_USER/Software/Quayside/]", false},
		"nothing to read": {"      files: settings/cloud.qk\n      as: nested-text\n", "", false},
	} {
		text := strings.Replace(string(launchers.QuaysideSheet), c.old, c.new, 1)
		asJSON, err := yaml.YAMLToJSON([]byte(text))
		require.NoError(t, err, name)
		_, parsed := sheet.Parse([]byte(text))
		checked := holds(t, s, asJSON)
		assert.Equal(t, c.sound, parsed == nil, "%s: %v", name, parsed)
		assert.Equal(t, c.sound, checked == nil, "%s: %v", name, checked)
	}
}

func TestTheStandInsSheets(t *testing.T) {
	s := schema(t, "sheet")
	for _, x := range launchers.Sheets {
		read, err := sheet.Parse(x.Text)
		require.NoError(t, err, x.File)
		asJSON, err := yaml.YAMLToJSON(x.Text)
		require.NoError(t, err, x.File)
		assert.NoError(t, holds(t, s, asJSON), x.File)
		published, err := manifest.Canonical(read)
		require.NoError(t, err)
		assert.NoError(t, holds(t, s, published), "%s: %s", x.File, published)
		again, err := sheet.ParseJSON(published)
		require.NoError(t, err)
		assert.Equal(t, read, again, "what is published is what was written")
		text, err := again.Text()
		require.NoError(t, err)
		rewritten, err := sheet.Parse([]byte(text))
		require.NoError(t, err, text)
		assert.Equal(t, read, rewritten)
	}
}

func TestManifest(t *testing.T) {
	s := schema(t, "manifest")
	at := time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	seen := standing.Evidence{Contribution: 1, Person: "mira", Reviewer: "anselm", Machine: "heron", Accepted: at, Observer: "seccomp user notification"}
	const id = "0123456789abcdef"
	known, err := (&record.Title{ID: id, Name: "Tidewrack"}).Observe(proposed(t), seen)
	require.NoError(t, err)
	known, err = known.AddName(manifest.Name{Name: "Gezeitenwrack", Language: "de"})
	require.NoError(t, err)
	title, _ := known.Published(at)
	title.Variants[0].Locations[0].Versions = &standing.Range{From: "1.2"}
	doc, err := manifest.Canonical(title)
	require.NoError(t, err)
	body, _, err := manifest.WriteShard(manifest.AllTitles, [][]byte{doc})
	require.NoError(t, err)
	assert.NoError(t, holds(t, s, body), string(body))
	empty, _, err := manifest.WriteShard("01", nil)
	require.NoError(t, err)
	assert.NoError(t, holds(t, s, empty), string(empty))
	read, err := sheet.Parse(launchers.LarderSheet)
	require.NoError(t, err)
	entry, err := (*record.Sheet)(nil).Try(read, seen)
	require.NoError(t, err)
	sheets, err := manifest.WriteSheets([]manifest.Sheet{entry.Published(at)})
	require.NoError(t, err)
	ofSheets, err := manifest.Expand(sheets, manifest.MaxSheets)
	require.NoError(t, err)
	assert.NoError(t, holds(t, s, ofSheets), string(ofSheets))
	for _, spoil := range [][2]string{{`"shard":"all"`, `"shard":"x"`}, {`"standing":"observed"`, `"standing":"true"`}, {`"holds":"save"`, `"holds":"gold"`}, {id, "tidewrack"}, {`"from":"1.2"`, `"from":1.2`}} {
		bad := strings.Replace(string(body), spoil[0], spoil[1], 1)
		require.NotEqual(t, string(body), bad, spoil[0])
		assert.Error(t, holds(t, s, []byte(bad)), spoil[1])
	}
	later := strings.Replace(string(body), `"name":"Tidewrack"`, `"name":"Tidewrack","hazards":[]`, 1)
	assert.NoError(t, holds(t, s, []byte(later)), "fields of a later version are permitted")
}

// What the program takes as notes the schema takes too, and what the schema refuses the
// program refuses.
func TestNotes(t *testing.T) {
	s := schema(t, "notes")
	const whole = `format: endroit/notes/1
about: a slot
order: big
header: '"TIDE"'
x-own: 1
fields:
  - {name: version, type: u16, is: [2, "3"]}
  - {name: captain, type: text, length: u16, says: who}
  - name: items
    repeat: rest
    fields: [{name: id, at: 0, type: bytes, length: 4}]
checksum: {algorithm: MD5, at: -16, stored: big-endian, from: 4, to: -16, zeroed: false}
`
	for text, right := range map[string]bool{
		whole: true,
		strings.Replace(whole, "notes/1", "notes/2", 1):                   false,
		strings.Replace(whole, "order: big", "order: middle", 1):          false,
		strings.Replace(whole, "type: u16, is", "type: u24, is", 1):       false,
		strings.Replace(whole, "name: version", "name: The Version", 1):   false,
		strings.Replace(whole, "stored: big-endian", "stored: so", 1):     false,
		strings.Replace(whole, "about: a slot", "abuot: a slot", 1):       false,
		strings.Replace(whole, "at: -16, stored", "stored", 1):            false,
		strings.Replace(whole, "about: a slot", "about: another kind", 1): true,
	} {
		_, err := notes.Parse([]byte(text))
		assert.Equal(t, right, err == nil, "%s: %v", text, err)
		asJSON, err := yaml.YAMLToJSON([]byte(text))
		require.NoError(t, err)
		err = holds(t, s, asJSON)
		assert.Equal(t, right, err == nil, "%s: %v", text, err)
	}
}

func TestWhatTryPrints(t *testing.T) {
	s := schema(t, "tried")
	home := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(home, ".local/share/tarn"), 0o755))
	for _, name := range []string{"a.sav", "b.log"} {
		require.NoError(t, os.WriteFile(filepath.Join(home, ".local/share/tarn", name), []byte("x"), 0o600))
	}
	f := machine.NewFinder()
	defer f.Close()
	d := &draft.Draft{Locations: []draft.Location{
		{At: "xdg-data:tarn/{slot}.sav", Holds: draft.Save, Seen: []string{"xdg-data:tarn/a.dat (new)"}},
		{At: "install:none.sav", Holds: draft.Save},
	}}
	got, err := trial.Run(t.Context(), f, trial.Where{Roots: place.LinuxRoots(map[string]string{"HOME": home})}, "Tarn", trial.OfDraft(d))
	require.NoError(t, err)
	text, err := json.Marshal(got)
	require.NoError(t, err)
	require.NoError(t, holds(t, s, text))
	assert.Len(t, got.Beside, 1)
	assert.Len(t, got.Locations[0].Foreign, 1)
	assert.Error(t, holds(t, s, bytes.Replace(text, []byte(`"title"`), []byte(`"name"`), 1)))
	assert.Error(t, holds(t, s, bytes.Replace(text, []byte(`tried/1`), []byte(`tried/2`), 1)))
}
