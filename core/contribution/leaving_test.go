package contribution

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/notes"
	"endroit/core/trace"
)

// Words that stand for what a person would not tell: who they are, and what they called
// their saves.
var (
	identity = map[string]string{"user": "quillon", "host": "heronmoor", "account": "76561198000000042", "inside": "brambleford", "other": "vexley"}
	chosen   = []string{"Ottoline", "Fennimore Grubb", "ЖУРАВЛЬ", "zzyzx"}
)

// plant puts secrets into every text of a value, whatever fields it has or will have: but
// for those that skip names, by Type.Field.
func plant(v reflect.Value, skip map[string]bool, next func() string) {
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() && v.Type().Elem().Kind() == reflect.Struct && v.CanSet() {
			v.Set(reflect.New(v.Type().Elem()))
		}
		if !v.IsNil() {
			plant(v.Elem(), skip, next)
		}
	case reflect.Slice:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return
		}
		if v.Len() == 0 && v.CanSet() && v.Type().Elem().Kind() == reflect.String {
			v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		}
		for i := range v.Len() {
			plant(v.Index(i), skip, next)
		}
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[time.Time]() {
			return
		}
		for i := range v.NumField() {
			f := v.Type().Field(i)
			if f.IsExported() && !skip[v.Type().Name()+"."+f.Name] {
				plant(v.Field(i), skip, next)
			}
		}
	case reflect.String:
		if v.CanSet() {
			v.SetString(v.String() + " " + next())
		}
	}
}

func TestNothingOfAPersonLeaves(t *testing.T) {
	// What is a word of the formats, or is published of the title as it stands.
	skip := map[string]bool{
		"Finding.ID": true, "Facts.Case": true, // words of the format
		"Draft.Format": true, "Draft.Title": true, "Draft.TitleID": true, "Draft.OS": true, "Draft.Runtime": true, "Draft.Launcher": true, "Draft.Edition": true, "Draft.Trace": true, "Draft.Also": true,
		"Location.At": true, "Location.Holds": true, "Location.Notes": true, "Location.Belongs": true, "Question.Topic": true, "Question.Answers": true,
		"Footprint.Format": true, "Footprint.Title": true, "Footprint.OS": true, "Footprint.Runtime": true, "Footprint.Launcher": true, "Footprint.Edition": true, "Footprint.Observer": true, "Footprint.Self": true, "Footprint.Programs": true,
		"File.Place": true, "File.Kind": true, "File.Judged": true, "File.Lane": true, "State.Is": true,
		"Correction.File": true, "Correction.Kind": true, "Correction.Was": true,
	}
	secrets := slices.Clone(chosen)
	for _, s := range identity {
		secrets = append(secrets, s)
	}
	rapid.Check(t, func(rt *rapid.T) {
		who := rapid.SampledFrom(secrets)
		around := rapid.SampledFrom([]string{"%s", "%s's", "(%s)", "/home/x/%s/y", `C:\Users\%s\a`, "a_%s_b", "%s.sav", "of %s, and", "«%s»"})
		secret := func() string { return fmt.Sprintf(around.Draw(rt, "around"), who.Draw(rt, "secret")) }
		// Names that the player chose, or that tell who it is, wherever a location is variable.
		name := rapid.Custom(func(rt *rapid.T) string {
			return rapid.SampledFrom([]string{"slot", "", "save_", "Quick"}).Draw(rt, "before") + rapid.SampledFrom(chosen).Draw(rt, "name") + rapid.SampledFrom([]string{"", "_03", " 2", "Save"}).Draw(rt, "after")
		})
		file := func(at string, kind footprint.Kind) footprint.File {
			return footprint.File{Path: "/home/quillon/" + at, Place: at, Kind: kind, Writes: 1, Confidence: 0.9, Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: "save"}}}, Before: trace.State{Is: trace.IsFile}, After: trace.State{Is: trace.IsFile}}
		}
		d := &draft.Draft{Format: draft.Format, Title: "Tidewrack", OS: "windows", Runtime: "native", Locations: []draft.Location{
			{At: "roaming-app-data:Tidewrack/slots/slot{slot}.sav", Holds: draft.Save},
			{At: "roaming-app-data:Tidewrack/worlds/*/level.dat", Holds: draft.Save, Notes: &notes.Notes{Format: notes.Format, About: secret(), Fields: []notes.Field{{Name: "who", Type: "text", Length: "8", Says: secret(), Is: []string{secret()}}}}},
			{At: "roaming-app-data:Tidewrack/**/keeper?*.bin", Holds: draft.Save},
			{At: "roaming-app-data:Tidewrack/photos/", Holds: draft.Capture},
			{At: "roaming-app-data:Tidewrack/{account}/own.sav", Holds: draft.Save},
			{At: "registry:HKEY_CURRENT_USER/Software/Tidewrack/*/", Holds: draft.Config},
		}}
		f := &footprint.Footprint{Format: footprint.Format, Title: "Tidewrack", OS: "windows", Runtime: "native", Observer: "comparison", Programs: []string{"tidewrack", identity["user"]}, Counts: map[footprint.Kind]int{},
			Cues: []trace.Cue{{Word: "saved"}}, Gaps: []trace.Gap{{What: "a gap", N: 1}},
			Self: &footprint.Self{User: identity["user"], Host: identity["host"], Home: "/home/" + identity["user"], Account: identity["account"], Inside: identity["inside"], Accounts: []string{identity["other"]}},
			Files: []footprint.File{
				file("roaming-app-data:Tidewrack/slots/slot"+name.Draw(rt, "slot")+".sav", footprint.Save),
				file("roaming-app-data:Tidewrack/worlds/"+name.Draw(rt, "world")+"/level.dat", footprint.Save),
				file("roaming-app-data:Tidewrack/worlds/"+name.Draw(rt, "other world")+"/"+name.Draw(rt, "chunk")+".dat", footprint.Unknown),
				file("roaming-app-data:Tidewrack/"+name.Draw(rt, "way")+"/keeper1"+name.Draw(rt, "keeper")+".bin", footprint.Save),
				file("roaming-app-data:Tidewrack/photos/"+name.Draw(rt, "album")+"/"+name.Draw(rt, "photo")+".png", footprint.Capture),
				file("roaming-app-data:Tidewrack/"+identity["account"]+"/own.sav", footprint.Save),
				file("roaming-app-data:Tidewrack/"+identity["user"]+"/"+identity["host"]+".log", footprint.Log),
				file("roaming-app-data:Tidewrack/"+name.Draw(rt, "config")+".ini", footprint.Config),
				file("registry:HKEY_CURRENT_USER/Software/Tidewrack/"+name.Draw(rt, "key"), footprint.Config),
			}}
		for _, c := range chosen {
			f.Files = append(f.Files, file("roaming-app-data:Tidewrack/slots/slot"+c+".sav", footprint.Save))
		}
		plant(reflect.ValueOf(d), skip, secret)
		plant(reflect.ValueOf(f), skip, secret)
		f.Corrections = []footprint.Correction{{File: f.Files[0].Name(), Kind: footprint.Save, Was: footprint.Log, Because: secret(), By: identity["user"]}}
		f.Files[0].Judged = &footprint.Judged{Kind: footprint.Log, Confidence: 0.9}
		b, err := Prepare(d, f)
		require.NoError(rt, err)
		raw, err := Encode(b)
		require.NoError(rt, err)
		lower := strings.ToLower(string(raw))
		for _, s := range append(secrets, "fennimore", "grubb") {
			require.NotContains(rt, lower, strings.ToLower(s), "%s", raw)
		}
		// And it is evidence still: every location has a file.
		covered, err := Cover(t.Context(), b.Draft, b.Footprint)
		require.NoError(rt, err)
		for _, c := range covered {
			require.NotEmpty(rt, c.Files, "%s: %s", c.At, raw)
		}
		require.NoError(rt, b.Check(t.Context()))
	})
}

func TestNeutralNamesAreKept(t *testing.T) {
	f := &footprint.Footprint{Title: "Tidewrack", OS: "linux", Programs: []string{"kelp"}, Self: &footprint.Self{User: "mira"}}
	for at, want := range map[string]string{
		"xdg-data:tidewrack/slots/slot3.sav":               "xdg-data:tidewrack/slots/slot3.sav",
		"xdg-data:tidewrack/Saves/QuickSave_03.dat":        "xdg-data:tidewrack/Saves/QuickSave_03.dat",
		"xdg-data:tidewrack/kelp.log":                      "xdg-data:tidewrack/kelp.log",
		"xdg-data:tidewrack/ANNA.sav":                      "xdg-data:tidewrack/name-1.sav",
		"xdg-data:tidewrack/anna/saveAnna2.tw":             "xdg-data:tidewrack/name-1/savename-12.tw",
		"xdg-data:tidewrack/mira/profile-mira.bin":         "xdg-data:tidewrack/{user}/profile-{user}.bin",
		"xdg-data:ottoline/settings.ini":                   "xdg-data:ottoline/settings.ini",
		"registry:HKEY_CURRENT_USER/Software/Kelp/Ottilie": "registry:HKEY_CURRENT_USER/Software/Kelp/name-2",
	} {
		l := f.Anonymizer()
		l.Place("xdg-data:tidewrack/ANNA.sav")
		l.Place("xdg-data:tidewrack/ottilie.sav")
		assert.Equal(t, want, l.Place(at), at)
	}
}
