package place

import (
	"fmt"
	"iter"
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// A WideError says why a well-formed location reaches too far to be used.
type WideError struct {
	Rule   string // which rule it breaks, in a word
	Reason string
}

// The rules of narrowness: see docs/published.md.
const (
	RuleRegistry  = "registry-root"  // a registry location begins with one of two keys
	RuleOne       = "one-title"      // it singles out something below an anchor of one title or account
	RuleShared    = "shared-folder"  // it singles one title out below a folder of many
	RuleAmbiguous = "ambiguous-name" // no system takes its names for others
	RuleGuarded   = "guarded"        // it stays out of credentials, and of what runs by itself
	RuleLauncher  = "launcher"       // it stays out of what a launcher keeps for itself
)

func (e *WideError) Error() string { return "reaches too far: " + e.Reason }

// Narrow reports, as a *WideError, why the location would cover a whole anchor,
// a folder that many programs share, or credentials; nil if it does not.
func (l Location) Narrow() error {
	if l.Anchor == Registry {
		if s := l.Pattern.Segments[0]; !s.literal() || !rootKeys[strings.ToUpper(s[0].Text)] {
			return &WideError{RuleRegistry, "a registry location begins with HKEY_CURRENT_USER or HKEY_LOCAL_MACHINE"}
		}
	}
	return l.checkNarrow()
}

var rootKeys = map[string]bool{"HKEY_CURRENT_USER": true, "HKEY_LOCAL_MACHINE": true}

func (l Location) checkNarrow() error {
	if err := l.checkSharedFolder(); err != nil {
		return err
	}
	if err := l.checkAmbiguousNames(); err != nil {
		return err
	}
	return l.Guarded()
}

// GuardedName is Guarded for a file's name alone, wherever it lies.
func GuardedName(name string) error {
	if g, ok := secretFiles()[strings.ToLower(name)]; ok {
		return g.refusal()
	}
	return nil
}

// checkSharedFolder is the rule for folders that many programs share.
func (l Location) checkSharedFolder() error {
	if !byAnchor[l.Anchor].Shared {
		return l.singlesOut()
	}
	if err := l.below(nil, string(l.Anchor)); err != nil {
		return err
	}
	for g := range guards()[l.Anchor].on(l.Pattern.Segments) {
		if err := l.guard(g); err != nil {
			return err
		}
	}
	return nil
}

// guardTree holds an anchor's guards by the names of their folders, so that a
// location meets only those on its own way.
type guardTree struct {
	here   []guard               // those whose folder this is
	byName map[string]*guardTree // in lowercase
	any    *guardTree            // behind a `*`
}

func (t *guardTree) add(g guard) {
	for _, s := range g.folder.Segments {
		switch {
		case s.any():
			if t.any == nil {
				t.any = &guardTree{}
			}
			t = t.any
		case s.plain():
			name := strings.ToLower(s[0].Text)
			if t.byName[name] == nil {
				if t.byName == nil {
					t.byName = map[string]*guardTree{}
				}
				t.byName[name] = &guardTree{}
			}
			t = t.byName[name]
		default:
			panic("place: the table of guarded folders: " + g.name + " has a name that is neither plain nor *")
		}
	}
	// Ways that come together bring the same one again.
	if !slices.ContainsFunc(t.here, func(o guard) bool { return o.name == g.name && o.secret == g.secret }) {
		t.here = append(t.here, g)
	}
}

// on gives the guards that a pattern can meet: those above it on its way, and all
// behind the end of its plain names.
func (t *guardTree) on(segments []Segment) iter.Seq[guard] {
	return func(yield func(guard) bool) { t.each(segments, yield) }
}

func (t *guardTree) each(segments []Segment, yield func(guard) bool) bool {
	if t == nil {
		return true
	}
	for _, g := range t.here {
		if !yield(g) {
			return false
		}
	}
	if len(segments) > 0 && segments[0].plain() {
		return t.byName[strings.ToLower(segments[0][0].Text)].each(segments[1:], yield) && t.any.each(segments[1:], yield)
	}
	var rest []Segment // a `**` may stand for any names
	if len(segments) > 0 && !segments[0].deep() {
		rest = segments[1:]
	}
	for _, name := range slices.Sorted(maps.Keys(t.byName)) { // errors come in one order
		if !t.byName[name].each(rest, yield) {
			return false
		}
	}
	return t.any.each(rest, yield)
}

type guard struct {
	folder Pattern
	name   string // as the table spells it
	secret bool
	holds  string // what lies there, if it is secret
}

// spelled spells every crowded folder, and every anchor that lies in another, below each
// anchor that contains it.
func spelled() map[Anchor][]guard {
	all := map[Anchor][]guard{}
	add := func(text string) {
		l, err := parse(text)
		if err != nil {
			panic("place: the table of crowded folders: " + err.Error())
		}
		for _, s := range l.spellings() {
			all[s.Anchor] = append(all[s.Anchor], guard{folder: Pattern{s.Pattern.Segments, true}, name: text})
		}
	}
	for _, d := range Definitions {
		for _, text := range d.usually() {
			add(text)
		}
	}
	for _, at := range crowded {
		add(at)
	}
	return all
}

// secrets are the guarded places of each anchor, as the table spells them.
var secrets = sync.OnceValue(func() map[Anchor]*guardTree {
	trees := map[Anchor]*guardTree{}
	for _, c := range secret {
		for _, at := range c.at {
			name, rest, _ := strings.Cut(at, ":")
			a := Anchor(name)
			if _, ok := byAnchor[a]; !ok || rest == "" {
				panic("place: the table of guarded places: " + at)
			}
			g := guard{name: at, secret: true, holds: c.holds, folder: Pattern{Folder: true}}
			for n := range strings.SplitSeq(rest, "/") {
				g.folder.Segments = append(g.folder.Segments, LiteralSegment(n))
			}
			if trees[a] == nil {
				trees[a] = &guardTree{}
			}
			trees[a].add(g)
		}
	}
	return trees
})

// GuardedPlaces are the paths of the guarded folders and files below these roots, as the
// table spells them, whether they are there or not.
func GuardedPlaces(roots Roots) iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, c := range secret {
			for _, at := range c.at {
				a, rest, _ := strings.Cut(at, ":")
				top := roots[Anchor(a)]
				if top == "" || Anchor(a) == Registry {
					continue
				}
				if !yield(strings.TrimSuffix(top, "/") + "/" + rest) {
					return
				}
			}
		}
	}
}

// sandboxes are the folders in which sandboxed copies of programs have folders of their
// own, below home: Flatpak's, and those of snaps.
var sandboxes = sync.OnceValue(func() map[Anchor][]Location {
	all := map[Anchor][]Location{}
	for a, list := range map[Anchor][]string{
		XDGConfig: {"home:.var/app/*/config", "home:snap/*/*/.config"},
		XDGData:   {"home:.var/app/*/data", "home:snap/*/*/.local/share"},
		XDGCache:  {"home:.var/app/*/cache"},
		Home:      {"home:.var/app/*", "home:snap/*/*"},
	} {
		for _, text := range list {
			l, err := parse(text)
			if err != nil {
				panic("place: the table of sandboxes: " + err.Error())
			}
			all[a] = append(all[a], l)
		}
	}
	return all
})

// possiblePlaces are the places that a location can turn out to be: below the anchors that
// contain its own, below those that lie on its way, in a sandbox, and, if what it names
// could stand in a home, in the home that any folder may turn out to be.
func (l Location) possiblePlaces() []Location {
	var all []Location
	for _, same := range alike()[l.Anchor] {
		all = append(
			all,
			Location{same.Anchor, Pattern{slices.Concat(same.Pattern.Segments, l.Pattern.Segments), l.Pattern.Folder}},
		)
	}
	within := []Location{l} // whose way may lead through anchors
	if l.Anchor != Home && l.Anchor != Registry && l.Pattern.startsInHome() {
		home := Location{Home, l.Pattern}
		all, within = append(all, home), append(within, home)
	}
	for i := 0; i < len(within) && i < maxPossiblePlaces; i++ {
		if within[i].Anchor != Home && within[i].Anchor != PrefixDrive {
			continue // nothing lies in others
		}
		for _, w := range waysIn() {
			if rest, ok := within[i].under(w.outer); ok {
				all, within = append(all, Location{w.inner, rest}), append(within, Location{w.inner, rest})
			}
		}
	}
	return all
}

// alike are, for each anchor, the folders of anchors that its own folder can be: itself, one
// of an anchor that contains it, or one of another that can lie in the same place, as the
// public documents are the documents of a user called Public.
var alike = sync.OnceValue(func() map[Anchor][]Location {
	all := map[Anchor][]Location{}
	for _, d := range Definitions {
		inside := Location{d.Anchor, Pattern{Segments: []Segment{LiteralSegment("x")}}}
		list, seen := inside.spellings(), map[string]bool{}
		for i := 0; i < len(list); i++ {
			for _, w := range waysIn() {
				if rest, ok := list[i].under(w.outer); ok {
					list = append(list, Location{w.inner, rest})
				}
			}
		}
		for _, l := range list {
			l.Pattern.Segments = l.Pattern.Segments[:len(l.Pattern.Segments)-1]
			if key := l.String(); !seen[key] {
				seen[key] = true
				all[d.Anchor] = append(all[d.Anchor], l)
			}
		}
	}
	return all
})

// wayIn says that an anchor lies in a folder of another.
type wayIn struct {
	outer Location
	inner Anchor
}

var waysIn = sync.OnceValue(func() (list []wayIn) {
	for _, inner := range []map[Anchor][]Location{outers(), sandboxes()} {
		for a, of := range inner {
			for _, outer := range of {
				list = append(list, wayIn{outer, a})
			}
		}
	}
	return list
})

// maxPossiblePlaces bounds them: a sandbox may lie in a sandbox.
const maxPossiblePlaces = 64

// startsInHome reports whether a pattern begins with a name that stands in homes alone.
func (p Pattern) startsInHome() bool {
	first := p.Segments[0][0]
	if first.Kind != Literal {
		return false
	}
	name := strings.ToLower(first.Text)
	return strings.HasPrefix(name, ".") || name == "appdata" ||
		name == "library" && len(p.Segments) > 1 && p.Segments[1].literal()
}

// under is a location as it stands below a folder that lies on its way.
func (l Location) under(folder Location) (rest Pattern, ok bool) {
	n := len(folder.Pattern.Segments)
	if l.Anchor != folder.Anchor || len(l.Pattern.Segments) <= n {
		return Pattern{}, false
	}
	m := matcher{fold: true}
	for i, s := range folder.Pattern.Segments {
		if l.Pattern.Segments[i].deep() || !m.segmentsMeet(l.Pattern.Segments[i], s) {
			return Pattern{}, false
		}
	}
	return Pattern{l.Pattern.Segments[n:], l.Pattern.Folder}, true
}

// guards are those that a location of an anchor has to keep to: the anchor's own, and
// those of the anchors that it usually lies in, as far as they lie in it in turn.
var guards = sync.OnceValue(func() map[Anchor]*guardTree {
	all, trees := spelled(), map[Anchor]*guardTree{}
	for _, d := range Definitions {
		t := &guardTree{}
		for _, way := range (Location{Anchor: d.Anchor}).spellings() {
			for _, g := range all[way.Anchor] {
				if in, ok := g.within(way.Pattern.Segments); ok &&
					(in.secret || len(in.folder.Segments) > 0) { // the anchor itself is guarded anyway
					t.add(in)
				}
			}
		}
		trees[d.Anchor] = t
	}
	return trees
})

// within gives the part of the guard that lies below a folder; ok is false if the guard
// lies elsewhere, or above the folder. A guard above does not restrict what is below: the
// folder's own name follows it, which makes the folder the title's.
func (g guard) within(folder []Segment) (in guard, ok bool) {
	if len(g.folder.Segments) < len(folder) {
		return g, false
	}
	m := matcher{fold: true}
	for i, s := range folder {
		if !m.segmentsMeet(s, g.folder.Segments[i]) {
			return g, false
		}
	}
	g.folder.Segments = g.folder.Segments[len(folder):]
	return g, true
}

func (l Location) guard(g guard) error {
	m := matcher{fold: true} // also where the host tells case apart: a refusal must not depend on it
	if !g.secret {
		return l.below(g.folder.Segments, g.name)
	}
	own := l.Pattern.tail()
	if m.meet(own, g.folder.tail()) || m.meet(own, g.folder.Segments) {
		return &WideError{RuleGuarded, fmt.Sprintf("it can match in %s, which is guarded: %s", g.name, g.holds)}
	}
	return nil
}

// namesSecret is the rule for files that hold credentials, or run by themselves, wherever
// they lie.
func (l Location) namesSecret() error {
	last := l.Pattern.Segments[len(l.Pattern.Segments)-1]
	if last.deep() || last[0].Kind != Literal || letters(last[0].Text) < 2 {
		return nil
	}
	if last.literal() {
		if g, ok := secretFiles()[strings.ToLower(last[0].Text)]; ok {
			return g.refusal()
		}
		if plainText(last[0].Text) {
			return nil
		}
	}
	m := matcher{fold: true}
	for _, g := range secretFiles() {
		if m.segmentsMeet(last, g.segment) {
			return g.refusal()
		}
	}
	return nil
}

// secretFile is a name of the table of guarded files.
type secretFile struct {
	name, holds string
	segment     Segment
}

func (f secretFile) refusal() error {
	return &WideError{RuleGuarded, fmt.Sprintf("it can match %s, which is guarded: %s", f.name, f.holds)}
}

// secretFiles are the guarded files by their names in lowercase.
var secretFiles = sync.OnceValue(func() map[string]secretFile {
	files := map[string]secretFile{}
	for _, c := range secretNames {
		for _, name := range c.at {
			files[strings.ToLower(name)] = secretFile{name, c.holds, LiteralSegment(name)}
		}
	}
	return files
})

// checkAmbiguousNames is the rule for names that a system takes for others: Windows leaves out dots and
// spaces at the end of a name, gives long names short ones with a ~, and has more than one
// stream in a file, behind a colon; some file systems and eyes leave out characters that do
// not show, or take two forms of a letter for one.
func (l Location) checkAmbiguousNames() error {
	onWindows := byAnchor[l.Anchor].Windows != "" && l.Anchor != Registry
	for _, s := range l.Pattern.Segments {
		for i, p := range s {
			if p.Kind != Literal {
				continue
			}
			if text := p.Text; !plainText(text) && (norm.NFC.String(text) != text || strings.ContainsFunc(text, isInvisible)) {
				return &WideError{
					RuleAmbiguous, fmt.Sprintf(
						"%q contains an invisible character, or is not in Unicode's composed form (NFC): some systems treat it as another name",
						text,
					),
				}
			}
			if !onWindows {
				continue
			}
			if text := p.Text; strings.ContainsAny(text, ":\\") || i == len(s)-1 && strings.TrimRight(text, ". ") != text {
				return &WideError{RuleAmbiguous, fmt.Sprintf("Windows reads %q as another name; use the actual name", text)}
			}
			if s.literal() && strings.Contains(p.Text, "~") && shortName().MatchString(p.Text) {
				return &WideError{RuleAmbiguous, fmt.Sprintf("%q is a short (8.3) name; use the long name", p.Text)}
			}
		}
	}
	return nil
}

// plainText reports whether a text is printable ASCII, as most are.
func plainText(text string) bool {
	for i := range len(text) {
		if text[i] < ' ' || text[i] > '~' {
			return false
		}
	}
	return true
}

// shortName is a name of eight characters and three that Windows made of a long one.
var shortName = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^[^.~]{1,6}~[0-9]{1,6}(\.[^.]{0,3})?$`)
})

// isInvisible characters change no looks: format characters, and those without any.
func isInvisible(r rune) bool {
	return unicode.In(
		r, unicode.Cf, unicode.Cc, unicode.Co, unicode.Cs, unicode.Zl, unicode.Zp,
		unicode.Other_Default_Ignorable_Code_Point, unicode.Variation_Selector,
	)
}

// singlesOut is the rule below an anchor that belongs to one title or account.
func (l Location) singlesOut() error {
	for _, s := range l.Pattern.Segments {
		if fixed(s) >= 2 || s.literal() || l.Anchor == AccountData && len(s) == 1 && s[0].Kind == Named && s[0].Text == "ref" {
			return nil
		}
	}
	return &WideError{RuleOne, fmt.Sprintf("it would cover all of %s; name a folder or a file in it", l.Anchor)}
}

// below is the rule for a folder that many titles share: the segment behind it
// has to single one of them out.
func (l Location) below(folder []Segment, name string) error {
	segments := l.Pattern.Segments
	m := matcher{fold: true}
	if n := len(folder); !slices.ContainsFunc(segments[:min(n, len(segments))], Segment.deep) {
		// Without a `**` before it there is one position behind the folder.
		for i, f := range folder {
			if i == len(segments) || !m.segmentsMeet(segments[i], f) {
				return nil
			}
		}
		return l.behind(n, name)
	}
	for next, reached := range m.states(segments, folder) {
		if reached {
			if err := l.behind(next, name); err != nil {
				return err
			}
		}
	}
	return nil
}

// behind is the rule for the segment that stands right behind a shared folder.
func (l Location) behind(folder int, name string) error {
	segments := l.Pattern.Segments
	if folder == len(segments) {
		return &WideError{RuleShared, fmt.Sprintf("it would cover all of %s; name a folder or a file in it", name)}
	}
	s := segments[folder]
	if s.literal() {
		return nil
	}
	if !s.deep() && folder == 1 && l.Anchor == PrefixDrive && (matcher{fold: true}).segmentsMeet(segments[0], users) {
		return nil // whoever the user is; the guard of the user's own folder decides on the rest
	}
	if s.deep() || s[0].Kind != Literal || letters(s[0].Text) < 3 {
		return &WideError{
			RuleShared, fmt.Sprintf(
				"%q can match what other programs keep in %s; begin it with at least three letters of a name, before the wildcard",
				s, name,
			),
		}
	}
	return nil
}

// users is the folder of a system drive that holds one folder for each person.
var users = LiteralSegment("users")

// states gives the positions in segments that can be reached by walking down a
// folder whose own segments may be patterns too.
func (m matcher) states(segments, folder []Segment) []bool {
	now, next := make([]bool, len(segments)+1), make([]bool, len(segments)+1)
	now[0] = true
	closure(segments, now)
	for _, f := range folder {
		clear(next)
		for i, s := range segments {
			switch {
			case !now[i]:
			case s.deep():
				next[i] = true
			case m.segmentsMeet(s, f):
				next[i+1] = true
			}
		}
		now, next = next, now
		closure(segments, now)
	}
	return now
}

func closure(segments []Segment, states []bool) {
	for i, s := range segments {
		if states[i] && s.deep() {
			states[i+1] = true
		}
	}
}

func fixed(s Segment) (n int) {
	for _, p := range s {
		if p.Kind == Literal {
			n += letters(p.Text)
		}
	}
	return n
}

func letters(text string) (n int) {
	for _, r := range text {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			n++
		}
	}
	return n
}

// Guarded says, as a *WideError, which guarded place an exact place lies in or is; nil if
// it is none. It is for a file that was found, whatever location named it.
func (l Location) Guarded() error {
	for _, x := range l.possiblePlaces() {
		for g := range secrets()[x.Anchor].on(x.Pattern.Segments) {
			if err := x.guard(g); err != nil {
				return err
			}
		}
	}
	return l.namesSecret()
}
