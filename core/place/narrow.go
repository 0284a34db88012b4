package place

import (
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"
	"sync"
	"unicode"
)

// A WideError says why a well-formed location reaches too far to be used.
type WideError struct{ Reason string }

func (e *WideError) Error() string { return "reaches too far: " + e.Reason }

// guarded are folders below anchors that no location may cover as a whole,
// because many programs keep files there; and, where secret is set, folders
// that no location may enter.
var guarded = []struct {
	at     string
	secret bool
}{
	{"home:.ssh", true}, {"home:.gnupg", true}, {"home:.pki", true}, {"home:.aws", true},
	{"home:.kube", true}, {"home:.docker", true}, {"home:.password-store", true},
	{"home:.mozilla", true}, {"home:.thunderbird", true}, {"home:.netrc", true},
	{"home:.git-credentials", true}, {"home:Library/Keychains", true},
	// What runs by itself when somebody signs in or opens a terminal: who may
	// overwrite it runs programs.
	{"home:.profile", true}, {"home:.bashrc", true}, {"home:.bash_profile", true}, {"home:.bash_login", true},
	{"home:.bash_logout", true}, {"home:.bash_history", true}, {"home:.bash_aliases", true},
	{"home:.zshrc", true}, {"home:.zshenv", true}, {"home:.zprofile", true}, {"home:.zlogin", true},
	{"home:.xprofile", true}, {"home:.xinitrc", true}, {"home:.xsession", true}, {"home:.xsessionrc", true},
	{"home:.Xauthority", true}, {"home:.ICEauthority", true}, {"home:.pam_environment", true},
	{"home:.gitconfig", true}, {"home:.npmrc", true}, {"home:.vimrc", true},
	{"home:bin", true}, {"home:.local/bin", true}, {"home:Library/LaunchAgents", true},
	{"xdg-config:fish", true}, {"xdg-config:dconf", true}, {"xdg-data:applications", true},
	{"xdg-data:systemd", true}, {"xdg-data:dbus-1", true}, {"program-data:Microsoft", true},
	{"xdg-config:chromium", true}, {"xdg-config:autostart", true}, {"xdg-config:systemd", true},
	{"xdg-config:environment.d", true}, {"xdg-config:git", true},
	{"xdg-data:keyrings", true}, {"xdg-data:kwalletd", true},
	{"roaming-app-data:Microsoft/Credentials", true}, {"roaming-app-data:Microsoft/Protect", true},
	{"roaming-app-data:Microsoft/Crypto", true}, {"roaming-app-data:Microsoft/Windows", true},
	{"local-app-data:Microsoft/Credentials", true}, {"local-app-data:Microsoft/Vault", true},
	{"local-app-data:Microsoft/Windows", true}, {"prefix-drive:windows", true},
	{"registry:HKEY_CURRENT_USER/Software/Microsoft", true},
	{"registry:HKEY_LOCAL_MACHINE/Software/Microsoft", true},
	{"registry:HKEY_LOCAL_MACHINE/System", true}, {"registry:HKEY_LOCAL_MACHINE/SAM", true},
	{"registry:HKEY_LOCAL_MACHINE/Security", true},

	{"home:.local", false}, {"home:.var", false}, {"home:.var/app", false},
	{"home:.var/app/*", false}, {"home:.var/app/*/data", false}, {"home:.var/app/*/config", false}, {"home:.var/app/*/cache", false},
	{"home:.wine", false}, {"home:.wine/drive_c", false}, {"home:.wine/drive_c/users", false}, {"home:.wine/drive_c/users/*", false},
	{"home:Desktop", false}, {"home:Downloads", false}, {"home:Pictures", false},
	{"home:Music", false}, {"home:Videos", false}, {"home:Games", false}, {"home:games", false},
	{"home:AppData", false}, {"home:Library", false}, {"home:snap", false},
	{"documents:My Games", false}, {"documents:Games", false},
	{"local-app-data:Packages", false}, {"roaming-app-data:Microsoft", false},
	{"local-app-data:Microsoft", false},
	{"prefix-drive:users", false}, {"prefix-drive:Program Files", false},
	{"prefix-drive:Program Files (x86)", false},
	{"registry:HKEY_CURRENT_USER", false}, {"registry:HKEY_CURRENT_USER/Software", false},
	{"registry:HKEY_CURRENT_USER/Software/Wow6432Node", false},
	{"registry:HKEY_LOCAL_MACHINE", false}, {"registry:HKEY_LOCAL_MACHINE/Software", false},
	{"registry:HKEY_LOCAL_MACHINE/Software/Wow6432Node", false},
}

// Narrow reports, as a *WideError, why the location would cover a whole anchor,
// a folder that many programs share, or credentials; nil if it does not.
func (l Location) Narrow() error {
	if l.Anchor == Registry {
		if s := l.Pattern.Segments[0]; !s.literal() || !rootKeys[strings.ToUpper(s[0].Text)] {
			return &WideError{"a registry location begins with HKEY_CURRENT_USER or HKEY_LOCAL_MACHINE"}
		}
	}
	return l.narrowHere()
}

var rootKeys = map[string]bool{"HKEY_CURRENT_USER": true, "HKEY_LOCAL_MACHINE": true}

func (l Location) narrowHere() error {
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
}

// spelled spells every guarded folder, and every anchor that lies in another, below
// each anchor that contains it.
func spelled() map[Anchor][]guard {
	all := map[Anchor][]guard{}
	add := func(text string, secret bool) {
		l, err := parse(text)
		if err != nil {
			panic("place: the table of guarded folders: " + err.Error())
		}
		for _, s := range l.spellings() {
			all[s.Anchor] = append(all[s.Anchor], guard{Pattern{s.Pattern.Segments, true}, text, secret})
		}
	}
	for _, d := range Definitions {
		for _, text := range d.below {
			add(text, false)
		}
	}
	for _, g := range guarded {
		add(g.at, g.secret)
	}
	return all
}

// guards are those that a location of an anchor has to keep to: the anchor's own, and
// those of the anchors that it usually lies in, as far as they lie in it in turn.
var guards = sync.OnceValue(func() map[Anchor]*guardTree {
	all, trees := spelled(), map[Anchor]*guardTree{}
	for _, d := range Definitions {
		t := &guardTree{}
		for _, way := range (Location{Anchor: d.Anchor}).spellings() {
			for _, g := range all[way.Anchor] {
				if in, ok := g.within(way.Pattern.Segments); ok && (in.secret || len(in.folder.Segments) > 0) { // the anchor itself is guarded anyway
					t.add(in)
				}
			}
		}
		trees[d.Anchor] = t
	}
	return trees
})

// within is the guard as it stands below a folder; ok is false if it stands elsewhere, or
// above. One above has nothing to say of what lies below: behind it comes the folder's
// name, which singles the folder out.
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
		return &WideError{fmt.Sprintf("it can match in %s, which holds credentials, runs by itself, or belongs to the system", g.name)}
	}
	return nil
}

// singlesOut is the rule below an anchor that belongs to one title or account.
func (l Location) singlesOut() error {
	for _, s := range l.Pattern.Segments {
		if fixed(s) >= 2 || s.literal() || l.Anchor == AccountData && len(s) == 1 && s[0].Kind == Named && s[0].Text == "ref" {
			return nil
		}
	}
	return &WideError{fmt.Sprintf("it would cover all of %s; name a folder or a file in it", l.Anchor)}
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
		return &WideError{fmt.Sprintf("it would cover all of %s; name a folder or a file in it", name)}
	}
	s := segments[folder]
	if s.literal() {
		return nil
	}
	if !s.deep() && folder == 1 && l.Anchor == PrefixDrive && (matcher{fold: true}).segmentsMeet(segments[0], users) {
		return nil // whoever the user is; the guard of the user's own folder decides on the rest
	}
	if s.deep() || s[0].Kind != Literal || letters(s[0].Text) < 3 {
		return &WideError{fmt.Sprintf("%q can match what other programs keep in %s; begin it with at least three letters of a name, and then the wildcard", s, name)}
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
