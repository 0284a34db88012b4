package plays

import (
	"crypto/sha256"
	"embed"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/candidate"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
	"endroit/core/trace"

	"github.com/goccy/go-yaml"
)

// Play is one way in which a game keeps what it keeps, with what is right, as README.md
// describes it. Names of files are short forms, data:tw/slot1.sav, in which {WORD} is what
// the person calls things.
type Play struct {
	Name    string `yaml:"name"`
	Title   string `yaml:"title,omitempty"` // Tidewrack if empty
	Ref     string `yaml:"ref,omitempty"`   // the edition's reference
	Windows bool   `yaml:"windows,omitempty"`

	Program []string `yaml:"program,omitempty"` // texts in the executable; nothing is searched if there are none
	Wide    bool     `yaml:"wide,omitempty"`    // they are in UTF-16
	Packed  bool     `yaml:"packed,omitempty"`  // the executable cannot be read
	Script  []string `yaml:"script,omitempty"`  // lines of a script of the program's

	People []map[string]string `yaml:"people,omitempty"` // what each of two calls things; user, host and account are who they are

	Start    []Step `yaml:"start,omitempty"`
	Saving   []Step `yaml:"saving,omitempty"`
	Setting  []Step `yaml:"setting,omitempty"`
	Quitting []Step `yaml:"quitting,omitempty"`
	Run      []Step `yaml:"run,omitempty"` // instead of the others: all of it, with its own times and cues

	Save    []string `yaml:"save,omitempty"`
	Config  []string `yaml:"config,omitempty"`
	Capture []string `yaml:"capture,omitempty"`
	At      []string `yaml:"at,omitempty"`     // the locations that should be proposed, where that is one thing
	Second  []string `yaml:"second,omitempty"` // what the second person has to get, if that is not the same under their names
	Beside  []string `yaml:"beside,omitempty"` // what lies beside it there too, and is none of it
	Among   []string `yaml:"among,omitempty"`  // what may be reached: it lies in a folder that is one thing

	heldOut bool
}

// Step is one thing that a game does, or that is there before.
type Step struct {
	At      float64  `yaml:"at,omitempty"` // goes on to a second of the run
	Cue     string   `yaml:"cue,omitempty"`
	Has     string   `yaml:"has,omitempty"` // it is there before the run
	Read    []string `yaml:"read,omitempty"`
	Write   string   `yaml:"write,omitempty"`  // made, or emptied first
	Update  string   `yaml:"update,omitempty"` // written within
	Append  string   `yaml:"append,omitempty"`
	Grow    string   `yaml:"grow,omitempty"` // appended to while it stays open
	Set     string   `yaml:"set,omitempty"`  // a key of the registry
	Through string   `yaml:"through,omitempty"`
	Under   string   `yaml:"under,omitempty"` // the temporary name of what is written through one
	Rename  string   `yaml:"rename,omitempty"`
	To      string   `yaml:"to,omitempty"`
	Remove  []string `yaml:"remove,omitempty"`

	Bytes    int    `yaml:"bytes,omitempty"` // how many
	Like     string `yaml:"like,omitempty"`  // which begin as files of a format do
	Copy     string `yaml:"copy,omitempty"`  // which are the same wherever the play has the same letter
	Text     string `yaml:"text,omitempty"`
	Settings int    `yaml:"settings,omitempty"` // names with values, of which one is this
	JSON     int    `yaml:"json,omitempty"`     // an object with this number in it
	N        []int  `yaml:"n,omitempty"`        // the step is done for each number from the first to the second, {n}
}

// heads are how files of formats begin.
var heads = map[string]string{
	"sqlite": "SQLite format 3\x00", "png": "\x89PNG\r\n\x1a\n", "gzip": "\x1f\x8b\x08\x00", "zip": "PK\x03\x04",
	"jpeg": "\xff\xd8\xff\xe0\x00\x10JFIF", "elf": "\x7fELF",
}

func (s Step) content(copies map[string][]byte) []byte {
	switch {
	case s.Settings != 0:
		return Settings(s.Settings)
	case s.JSON != 0:
		return JSON(s.JSON)
	case s.Bytes == 0:
		return []byte(s.Text)
	case s.Copy != "" && copies[s.Copy] != nil:
		return copies[s.Copy]
	}
	data := Bytes(s.Bytes)
	if head := heads[s.Like]; head != "" {
		data = append([]byte(head), data[:max(0, len(data)-len(head))]...)
	}
	if s.Copy != "" {
		copies[s.Copy] = data
	}
	return data
}

// do has a person's game do it.
func (s Step) do(g *Game, name func(string) string, copies map[string][]byte) {
	if len(s.N) == 2 {
		for n := s.N[0]; n <= s.N[1]; n++ {
			one := s
			one.N = nil
			one.do(g, func(short string) string { return strings.ReplaceAll(name(short), "{n}", strconv.Itoa(n)) }, copies)
		}
		return
	}
	names := func(list []string) (out []string) {
		for _, n := range list {
			out = append(out, name(n))
		}
		return out
	}
	switch {
	case s.At > 0:
		g.At(s.At)
	case s.Cue != "":
		g.Cue(s.Cue)
	case s.Has != "":
		g.Has(name(s.Has), s.content(copies))
	case s.Read != nil:
		g.Read(names(s.Read)...)
	case s.Write != "":
		g.Write(name(s.Write), s.content(copies))
	case s.Update != "":
		g.Update(name(s.Update), s.content(copies))
	case s.Append != "":
		g.Append(name(s.Append), string(s.content(copies)))
	case s.Grow != "":
		g.Grow(name(s.Grow), string(s.content(copies)))
	case s.Set != "":
		g.Set(name(s.Set), s.Text)
	case s.Through != "":
		g.Through(name(s.Through), name(s.Under), s.content(copies))
	case s.Rename != "":
		g.Rename(name(s.Rename), name(s.To))
	case s.Remove != nil:
		g.Remove(names(s.Remove)...)
	default:
		g.fail(fmt.Errorf("a step does nothing: %+v", s))
	}
}

// For is the name that a person has for a short form.
func (p Play) For(person int, short string) string {
	if person < len(p.People) {
		for k, v := range p.People[person] {
			short = strings.ReplaceAll(short, "{"+k+"}", v)
		}
	}
	return short
}

func (p Play) all(person int, list []string) (out []string) {
	for _, short := range list {
		out = append(out, p.For(person, short))
	}
	return out
}

// who is what the first person is called: the user, the host or the launcher's account.
func (p Play) who(what, otherwise string) string {
	if len(p.People) > 0 && p.People[0][what] != "" {
		return p.People[0][what]
	}
	return otherwise
}

// Play plays as the first person: the game is started, played for a while, something is
// saved, a setting changed, and it is ended.
func (p Play) Play(g *Game) {
	name, copies := func(short string) string { return p.For(0, short) }, map[string][]byte{}
	do := func(steps []Step) {
		for _, s := range steps {
			s.do(g, name, copies)
		}
	}
	if len(p.Run) > 0 {
		do(p.Run)
		return
	}
	g.At(2)
	do(p.Start)
	g.At(15)
	g.Cue("ready")
	for s := 20; s < 120; s += 10 {
		g.At(float64(s))
		g.Read("inst:data/pack1.dat")
	}
	g.At(120)
	do(p.Saving)
	g.At(122)
	g.Cue("saved")
	g.At(180)
	do(p.Setting)
	if len(p.Setting) > 0 {
		g.At(181.5)
		g.Cue("changed-setting")
	}
	g.At(240)
	do(p.Quitting)
}

//go:embed collection/*.yaml
var collection embed.FS

// All is the collection: those that weights are fitted by, then those that are held out.
var All = sync.OnceValue(func() (all []Play) {
	var out []Play
	list, err := collection.ReadDir("collection")
	if err != nil {
		panic(err)
	}
	for _, e := range list {
		text, err := collection.ReadFile("collection/" + e.Name())
		if err != nil {
			panic(err)
		}
		var file struct {
			About string `yaml:"about"`
			Set   string `yaml:"set"` // for tuning, or held out
			Plays []Play `yaml:"plays"`
		}
		if err = yaml.UnmarshalWithOptions(text, &file, yaml.Strict()); err != nil {
			panic(err)
		}
		for _, p := range file.Plays {
			if p.heldOut = file.Set == "held out"; p.heldOut {
				out = append(out, p)
			} else {
				all = append(all, p)
			}
		}
	}
	return append(all, out...)
})

// sources searches the title's program, as far as the draft of a footprint needs it; nil
// if the play says nothing of it.
func (p Play) sources(t *testing.T, fp *footprint.Footprint) *origin.Result {
	t.Helper()
	if len(p.Program) == 0 && !p.Packed {
		return nil
	}
	var exe []byte
	for _, text := range p.Program {
		if p.Wide {
			for _, u := range utf16.Encode([]rune(text)) {
				exe = append(exe, byte(u), byte(u>>8))
			}
			exe = append(exe, 0, 0)
			continue
		}
		exe = append(append(exe, text...), 0)
	}
	if p.Packed {
		exe = nil
		for i := range 4096 {
			sum := sha256.Sum256(fmt.Append(nil, i))
			exe = append(exe, sum[:]...)
		}
	}
	files := []origin.File{origin.InMemory("program", origin.Executable, exe)}
	if len(p.Script) > 0 {
		files = append(files, origin.InMemory("main.lua", origin.Script, []byte(strings.Join(p.Script, "\n"))))
	}
	names, expected := candidate.Names(fp)
	found, err := origin.Search(t.Context(), origin.Words(append(names, expected...)), files, origin.Budget{})
	require.NoError(t, err)
	found.Expect(expected)
	return found
}

// anchors are those of the short forms.
var anchors = map[string]place.Anchor{
	"data": place.XDGData, "config": place.XDGConfig, "state": place.XDGState, "cache": place.XDGCache, "home": place.Home,
	"inst": place.Install, "pinst": place.Install, "acc": place.AccountData,
	"roaming": place.RoamingAppData, "local": place.LocalAppData, "low": place.LocalLowAppData, "docs": place.Documents, "saved": place.SavedGames,
}

// theirHome is how the second person's home is laid out: nothing lies where the first
// person's does, but for what is the game's own.
func (p Play) theirHome() place.Roots {
	r := place.Roots{}
	for way, a := range anchors {
		r[a] = "/srv/heim/" + way
	}
	for a, folder := range map[place.Anchor]string{place.Home: "/srv/heim/wohnung", place.Install: "/media/spiele/das", place.Documents: "/srv/heim/Dokumente"} {
		r[a] = folder
	}
	return r
}

// theirs is a short form as the second person has it.
func (p Play) theirs(short string) (place.Location, bool) {
	way, rest, _ := strings.Cut(p.For(1, short), ":")
	a := anchors[way]
	if a == "" {
		return place.Location{}, false // no location names it: a key, or what is the system's
	}
	roots := p.theirHome()
	at, names, ok := roots.Place(roots[a] + "/" + rest)
	return place.Of(at, names, false), ok
}

// touched are the short forms of all files that the play does something to, and that are
// there when it has ended.
func (p Play) touched() []string {
	there := map[string]bool{}
	for _, steps := range [][]Step{p.Start, p.Saving, p.Setting, p.Quitting, p.Run} {
		for _, s := range steps {
			numbers := []string{"{n}"}
			if len(s.N) == 2 {
				numbers = nil
				for i := s.N[0]; i <= s.N[1]; i++ {
					numbers = append(numbers, strconv.Itoa(i))
				}
			}
			for _, n := range numbers {
				name := func(short string) string { return strings.ReplaceAll(short, "{n}", n) }
				for _, short := range slices.Concat([]string{s.Has, s.Write, s.Update, s.Append, s.Grow, s.Through, s.To}, s.Read) {
					there[name(short)] = true
				}
				for _, short := range append(s.Remove, s.Rename) {
					delete(there, name(short))
				}
			}
		}
	}
	delete(there, "")
	return slices.Sorted(maps.Keys(there))
}

// foreign says what is wrong with a draft at the second person's: the progress and settings
// that it misses, and what it reaches that is neither.
func (p Play) foreign(locations []candidate.Location) (wrong []string) {
	holds := func(short string) (kind footprint.Kind, hit string) {
		l, ok := p.theirs(short)
		for _, c := range locations {
			if _, in := c.At.Match(l.Names(), nil); ok && in && c.At.Anchor == l.Anchor {
				return c.Holds, c.At.String()
			}
		}
		return "", ""
	}
	required := p.Second
	if required == nil {
		required = slices.Concat(p.Save, p.Config)
	}
	for _, short := range required {
		if _, ok := p.theirs(short); !ok {
			continue
		}
		if kind, _ := holds(short); kind != footprint.Save && kind != footprint.Config {
			wrong = append(wrong, "it misses "+p.For(1, short))
		}
	}
	for _, short := range slices.Concat(p.Beside, p.touched()) {
		mine := slices.Concat(required, p.Save, p.Config, p.Among)
		if slices.Contains(mine, short) {
			continue
		}
		if kind, hit := holds(short); kind != "" && !(kind == footprint.Capture && slices.Contains(p.Capture, short)) {
			wrong = append(wrong, fmt.Sprintf("%s reaches %s", hit, p.For(1, short)))
		}
	}
	return wrong
}

// footprint is the first person's run, as the observer tells it.
func (p Play) judged(t *testing.T) *footprint.Footprint {
	t.Helper()
	fp, err := p.Footprint()
	require.NoError(t, err)
	return fp
}

// Who the first person is stands in the trace's header.
func (p Play) sign(h *trace.Header) {
	h.User, h.Host, h.Account.ID = p.who("user", "mira"), p.who("host", "moorhen"), p.who("account", "90210017")
}

// answer answers a question as the first person truly would.
func (p Play) answer(q draft.Question) string {
	switch q.Topic {
	case draft.TopicNames:
		var chosen []string
		for _, name := range q.Of {
			for _, v := range p.People[:min(1, len(p.People))] {
				for _, theirs := range v {
					if strings.Contains(strings.ToLower(theirs), strings.ToLower(name)) && !slices.Contains(chosen, name) {
						chosen = append(chosen, name)
					}
				}
			}
		}
		if len(chosen) == 0 {
			return draft.None
		}
		return strings.Join(chosen, ", ")
	case draft.TopicKind:
		for _, x := range []struct {
			list   []string
			answer string
		}{{p.Save, "progress"}, {p.Config, "settings"}, {p.Capture, "pictures"}} {
			for _, short := range x.list {
				if way, rest, _ := strings.Cut(p.For(0, short), ":"); slices.Contains(q.Of, place.Of(anchors[way], strings.Split(rest, "/"), false).String()) {
					return x.answer
				}
			}
		}
		return draft.None
	case draft.TopicCopy:
		for _, short := range slices.Concat(p.Save, p.Config) {
			if way, rest, _ := strings.Cut(p.For(0, short), ":"); place.Of(anchors[way], strings.Split(rest, "/"), false).String() == q.Of[0] {
				return "no"
			}
		}
		return "yes"
	case draft.TopicBelongs:
		return draft.Person
	}
	return ""
}

// answered are the questions of a proposal with the first person's answers.
func (p Play) answered(questions []draft.Question) (list []draft.Question) {
	for _, q := range questions {
		if q.Answer = p.answer(q); q.Answer != "" {
			list = append(list, q)
		}
	}
	return list
}

// Reach is how far drafts reach at the second person's.
type Reach struct {
	Plays, Without, With, Questions int
	Faults                          []string
}

// next tells how one play's draft does there, without answers and with them.
func (r *Reach) next(t *testing.T, p Play, fp *footprint.Footprint) {
	t.Helper()
	found := p.sources(t, fp)
	first := candidate.Propose(fp, found)
	wrong := p.foreign(first.Locations)
	r.Plays++
	r.Questions += len(first.Questions)
	said := p.answered(first.Questions)
	after := candidate.Propose(fp, found, said...)
	still := p.foreign(after.Locations)
	if len(wrong) == 0 {
		r.Without++
	}
	if len(still) == 0 {
		r.With++
	}
	if len(wrong) == 0 && len(still) == 0 {
		return
	}
	var got, asked []string
	for _, l := range first.Locations {
		got = append(got, fmt.Sprintf("%s %s", l.Holds, l.At))
	}
	for _, q := range first.Questions {
		asked = append(asked, q.Ask+" "+p.answer(q))
	}
	r.Faults = append(r.Faults, fmt.Sprintf("%s\n    %s\n  with answers\n    %s\n  proposed\n    %s\n  asked\n    %s", p.Name,
		strings.Join(wrong, "\n    "), strings.Join(still, "\n    "), strings.Join(got, "\n    "), strings.Join(asked, "\n    ")))
}

func (r Reach) String() string {
	return fmt.Sprintf("%d of %d drafts reach all of the second person's progress and settings and nothing else (%.2f), and %d (%.2f) with %d questions answered (%.2f a title)",
		r.Without, r.Plays, ratio(r.Without, r.Plays), r.With, ratio(r.With, r.Plays), r.Questions, float64(r.Questions)/float64(r.Plays))
}

// One person's draft, unedited, holds for a second person, who plays under other names.
func TestADraftHoldsForTheNextPerson(t *testing.T) {
	for _, held := range []bool{false, true} {
		var r Reach
		for _, p := range All() {
			if p.heldOut == held {
				r.next(t, p, p.judged(t))
			}
		}
		t.Logf("held out %v: %s\n%s", held, r, strings.Join(r.Faults, "\n"))
		assert.GreaterOrEqual(t, 100*r.Without, 90*r.Plays)
		assert.GreaterOrEqual(t, 100*r.With, 97*r.Plays)
		assert.LessOrEqual(t, r.Questions, r.Plays)
	}
}
