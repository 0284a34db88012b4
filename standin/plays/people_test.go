package plays

import (
	"crypto/sha256"
	"embed"
	"fmt"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/candidate"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
	"endroit/core/yamldoc"
)

//go:embed people/*.yaml
var peopleFiles embed.FS

// Shared is a title that two people play, each under names of their own.
type Shared struct {
	Title   string              `yaml:"title"`
	About   string              `yaml:"about"`             // what is particular about its names
	Windows bool                `yaml:"windows,omitempty"` // a Windows build in a prefix
	Program []string            `yaml:"program"`           // texts in the executable
	Wide    bool                `yaml:"wide,omitempty"`    // they are in UTF-16
	Packed  bool                `yaml:"packed,omitempty"`  // the executable cannot be read
	Script  []string            `yaml:"script,omitempty"`  // lines of a script of the program's
	People  []map[string]string `yaml:"people"`            // what each calls things; two
	Files   []SharedFile        `yaml:"files"`
	Beside  []string            `yaml:"beside,omitempty"`  // what lies beside them at the second person's, and is neither
	Answers int                 `yaml:"answers,omitempty"` // questions that have to be answered, as nothing tells
}

// SharedFile is a file that both have.
type SharedFile struct {
	At   string         `yaml:"at"` // in the short form of plays, with what people call things in braces
	Is   footprint.Kind `yaml:"is"`
	On   string         `yaml:"on"` // save, or set: when it is written
	JSON bool           `yaml:"json,omitempty"`
	Text bool           `yaml:"text,omitempty"`
}

// For is the name that a person has for a short form.
func (s Shared) For(person int, short string) string {
	for k, v := range s.People[person] {
		short = strings.ReplaceAll(short, "{"+k+"}", v)
	}
	return short
}

// anchors are those of the short forms.
var anchors = map[string]place.Anchor{
	"data": place.XDGData, "config": place.XDGConfig, "state": place.XDGState, "home": place.Home, "inst": place.Install,
	"roaming": place.RoamingAppData, "local": place.LocalAppData, "low": place.LocalLowAppData, "docs": place.Documents, "saved": place.SavedGames,
}

func location(short string) place.Location {
	way, rest, _ := strings.Cut(short, ":")
	return place.Of(anchors[way], strings.Split(rest, "/"), false)
}

// play is the first person's run.
func (s Shared) play() Play {
	write := func(on string) func(g *Game) {
		return func(g *Game) {
			for i, f := range s.Files {
				if f.On != on {
					continue
				}
				data := Bytes(400 + i)
				switch {
				case f.JSON:
					data = JSON(len(f.At) + int(g.now.Seconds()))
				case f.Text:
					data = Settings(len(f.At) + int(g.now.Seconds()))
				}
				g.Write(s.For(0, f.At), data)
			}
		}
	}
	start := func(g *Game) {
		for i, f := range s.Files {
			name := s.For(0, f.At)
			g.Has(name, Bytes(300+i))
			g.Read(name)
		}
	}
	return Play{Name: s.Title, Title: s.Title, Prefix: s.Windows, Play: session(start, write("save"), write("set"), nil)}
}

// sources searches the title's program, as far as the draft of a footprint needs it.
func (s Shared) sources(t *testing.T, fp *footprint.Footprint) *origin.Result {
	t.Helper()
	var exe []byte
	for _, text := range s.Program {
		if s.Wide {
			for _, u := range utf16.Encode([]rune(text)) {
				exe = append(exe, byte(u), byte(u>>8))
			}
			exe = append(exe, 0, 0)
			continue
		}
		exe = append(append(exe, text...), 0)
	}
	if s.Packed {
		exe = nil
		for i := range 4096 {
			sum := sha256.Sum256(fmt.Append(nil, i))
			exe = append(exe, sum[:]...)
		}
	}
	files := []origin.File{origin.InMemory("program", origin.Executable, exe)}
	if len(s.Script) > 0 {
		files = append(files, origin.InMemory("main.lua", origin.Script, []byte(strings.Join(s.Script, "\n"))))
	}
	names, expected := candidate.Names(fp)
	found, err := origin.Search(t.Context(), origin.Words(append(names, expected...)), files, origin.Budget{})
	require.NoError(t, err)
	found.Expect(expected)
	return found
}

// foreign says what is wrong with a draft at the second person's: what it misses, and what
// it reaches that is neither progress nor settings.
func (s Shared) foreign(locations []candidate.Location) (wrong []string) {
	reached := func(short string) bool {
		l := location(short)
		return slices.ContainsFunc(locations, func(c candidate.Location) bool {
			_, ok := c.At.Match(l.Names(), nil)
			return ok && c.At.Anchor == l.Anchor
		})
	}
	for _, f := range s.Files {
		if name := s.For(1, f.At); !reached(name) {
			wrong = append(wrong, "it misses "+name)
		}
	}
	for _, b := range s.Beside {
		if name := s.For(1, b); reached(name) {
			wrong = append(wrong, "it reaches "+name)
		}
	}
	return wrong
}

// shared reads the titles.
func shared(t *testing.T) (all []Shared) {
	t.Helper()
	list, err := peopleFiles.ReadDir("people")
	require.NoError(t, err)
	for _, e := range list {
		text, err := peopleFiles.ReadFile("people/" + e.Name())
		require.NoError(t, err)
		var s Shared
		_, err = yamldoc.Decode(e.Name(), text, 64<<10, &s)
		require.NoError(t, err)
		require.Len(t, s.People, 2, e.Name())
		require.NotEmpty(t, s.Files, e.Name())
		for _, f := range s.Files {
			way, _, _ := strings.Cut(f.At, ":")
			require.NotEmpty(t, anchors[way], "%s: %s", e.Name(), f.At)
			require.Contains(t, []string{"save", "set"}, f.On, "%s: %s", e.Name(), f.At)
		}
		all = append(all, s)
	}
	return all
}

// One person's draft, unedited, holds for a second person, who plays under other names.
func TestADraftHoldsForTheNextPerson(t *testing.T) {
	all, holds := shared(t), 0
	for _, s := range all {
		fp, err := s.play().Footprint()
		require.NoError(t, err)
		if u := s.People[0]["user"]; u != "" {
			fp.Self.User = u
		}
		if h := s.People[0]["host"]; h != "" {
			fp.Self.Host = h
		}
		if a := s.People[0]["account"]; a != "" {
			fp.Self.Account = a
		}
		p := candidate.Propose(fp, s.sources(t, fp))
		wrong := s.foreign(p.Locations)
		if len(wrong) == 0 {
			holds++
			continue
		}
		if s.Answers > 0 {
			continue // nothing in the run tells
		}
		var got []string
		for _, l := range p.Locations {
			got = append(got, fmt.Sprintf("%s %s", l.Holds, l.At))
		}
		assert.Fail(t, s.Title, "%s\n%s\nproposed:\n  %s", s.About, strings.Join(wrong, "\n"), strings.Join(got, "\n  "))
	}
	t.Logf("%d of %d drafts reach all of the second person's progress and settings, and nothing else", holds, len(all))
	if *measure {
		fmt.Printf("second person, unedited: %d of %d drafts reach all progress and settings, and nothing else\n", holds, len(all))
	}
}
