package footprint

import (
	"strconv"
	"strings"
	"unicode"

	"endroit/core/content"
	"endroit/core/place"

	"endroit/core/trace"
	"endroit/core/words"
)

// Anonymizer decides what of a run may leave the machine: it is the one place that does, for
// every text of what is sent. What tells who a person is becomes {user}, {host}, {account}
// or ~. Names of files and folders come from the game or from its player, and nothing tells
// which: those stay that say what many games' say, or that the locations themselves name;
// any other word of a name becomes name-1, name-2 and so on, the same word the same name.
type Anonymizer struct {
	hide      func(string) string
	locations []place.Location
	ordinary  map[string]bool
	names     map[string]string // words in lowercase, and what they are called
}

// Unnamed begins what stands for a word of a name that stays behind.
const Unnamed = "name-"

// Anonymizer prepares one for a footprint and the locations that are sent with it.
func (f *Footprint) Anonymizer(locations ...place.Location) *Anonymizer {
	l := &Anonymizer{hide: newHider(f.Self), locations: locations, ordinary: map[string]bool{}, names: map[string]string{}}
	for _, known := range []string{usualWords, f.Title, f.Launcher} {
		l.usual(known)
	}
	for _, p := range f.Programs {
		l.usual(p)
	}
	for _, at := range locations {
		for _, s := range at.Pattern.Segments {
			for _, p := range s {
				if p.Kind == place.Literal {
					l.usual(p.Text)
				}
			}
		}
	}
	for i := range f.shared() {
		l.Place(f.Files[i].Place)
	}
	return l
}

// usual makes the words of a text ordinary, unless they tell who a person is.
func (l *Anonymizer) usual(text string) {
	for _, w := range wordsIn(l.hide(text)) {
		l.ordinary[strings.ToLower(w)] = true
	}
}

// wordsIn cuts a text into runs of letters, capitals within them too, and runs of digits.
func wordsIn(text string) (out []string) {
	for _, p := range split(text) {
		if isWord(p) {
			out = append(out, p)
		}
	}
	return out
}

// split gives a text in pieces: words, and what lies between them. What stands in braces
// was replaced already and is one piece.
func split(text string) (pieces []string) {
	for text != "" {
		from := strings.IndexByte(text, '{')
		end := strings.IndexByte(text[max(from, 0):], '}')
		if from < 0 || end < 0 {
			return append(pieces, words.Split(text)...)
		}
		pieces = append(pieces, words.Split(text[:from])...)
		pieces = append(pieces, text[from:from+end+1])
		text = text[from+end+1:]
	}
	return pieces
}

// isWord reports whether a piece is letters; a braced one is none.
func isWord(piece string) bool {
	r := []rune(piece)
	return len(r) > 0 && unicode.IsLetter(r[0])
}

// name replaces the words of a name that are not ordinary.
func (l *Anonymizer) name(text string) string {
	stem, extension := text, ""
	if i := strings.LastIndexByte(text, '.'); i > 0 && len(text)-i <= 5 {
		stem, extension = text[:i], text[i:] // the program's
	}
	out := ""
	for _, p := range split(stem) {
		if w := strings.ToLower(p); isWord(p) && len([]rune(p)) > 1 && !l.ordinary[w] {
			if l.names[w] == "" {
				l.names[w] = Unnamed + strconv.Itoa(len(l.names)+1)
			}
			p = l.names[w]
		}
		out += p
	}
	return out + extension
}

// Text is a text as it may leave.
func (l *Anonymizer) Text(text string) string {
	text = l.hide(text)
	if len(l.names) == 0 {
		return text
	}
	out := ""
	for _, p := range split(text) {
		if isWord(p) && len([]rune(p)) > 2 {
			if other := l.names[strings.ToLower(p)]; other != "" {
				p = other
			}
		}
		out += p
	}
	return out
}

// Place is a file's place as it may leave. It stays one that the locations cover which
// cover the file.
func (l *Anonymizer) Place(at string) string {
	hidden := hidePlace(at, l.hide)
	read, err := place.ParseAny(hidden)
	if err != nil {
		return "" // nothing that could be looked at
	}
	names := read.Names()
	anchor, rest, _ := strings.Cut(hidden, ":")
	rest, folder := strings.CutSuffix(rest, "/")
	written := strings.Split(rest, "/")
	if len(written) != len(names) {
		return ""
	}
	var fixed []place.Segment
	for _, known := range l.locations {
		if known.Anchor != read.Anchor {
			continue
		}
		if segments, ok := known.Align(names); ok {
			fixed = segments
			break
		}
	}
	for i, n := range names {
		var to string
		switch {
		case fixed != nil && fixed[i] != nil:
			to = fixed[i].Fill(n, l.name)
		case i < TitleDepth(read.Anchor) && (i+1 < len(names) || folder):
			continue // the title's own folder
		default:
			to = l.name(n)
		}
		if to != n {
			written[i] = place.LiteralSegment(to).String()
			if strings.ContainsAny(to, "{}") { // named parts stay such
				written[i] = strings.NewReplacer("%7B", "{", "%7D", "}").Replace(written[i])
			}
		}
	}
	out := anchor + ":" + strings.Join(written, "/")
	if folder {
		out += "/"
	}
	return out
}

// leave is what remains of a description of a file's content before and after, without the names of a
// registry key's values.
func leave(s *trace.State) {
	s.Digest = "" // it would tell one person's save from another's
	if !content.Known(s.Looks) {
		s.Looks = ""
	}
}

// usualWords are those that names of files have whoever plays, and whatever: they tell
// nothing. The last are of the texts that this program writes itself.
const usualWords = `
	save saves saved saving savegame savegames sav slot slots profile profiles progress score
	scores highscore highscores achievement achievements auto autosave autosaves quick quicksave
	quicksaves manual checkpoint checkpoints campaign campaigns career careers world worlds
	character characters char chars player players hero heroes history record records stat stats
	statistics trophy trophies unlock unlocks story stories town towns city cities game games
	adventure adventures quest quests level levels chapter chapters map maps region regions
	chunk chunks entity entities data meta info index header main global default defaults common
	user users local remote cloud shared public private state states session sessions version
	config configs configuration setting settings option options pref prefs preferences keybind
	keybinds binding bindings control controls keyboard mouse gamepad joystick input graphics
	video audio sound music display screen window language locale engine system machine
	log logs crash crashes dump dumps report reports debug error errors output trace cache caches
	shader shaders pipeline pipelines tmp temp temporary backup backups bak old new copy copies
	prev previous last latest current lock pid screenshot screenshots shot shots picture pictures
	photo photos image images replay replays recording recordings demo demos ghost ghosts capture
	captures clip clips movie movies thumb thumbs thumbnail thumbnails preview icon mod mods addon
	addons plugin plugins asset assets resource resources download downloads update updates patch
	pack packs package packages content file files folder list table database storage store sync
	launcher client server account accounts name names id key value values bin lib share home
	software programs documents my app roaming appdata library application support containers
	json ini cfg conf xml yaml toml dat txt db sqlite zip gz png jpg
	it its is was were be been has had have the a an and or of in on at to by from with without
	for that this which what who how where when not no never only again ever other others one two
	first second third all any some more most than then there here before after near cue marked
	times time written wrote read reads write writes opened open closed changed found made removed
	replaced renamed came became says said tells looks like looked likes kept keep keeps lies lay
	down up out off over bytes byte text inside program programs process run runs started start
	ended end seconds minutes page pages so as if but can could would
	hkey current machine classes root microsoft windows wine`
