// Package candidate proposes locations from a footprint.
//
//	proposal := candidate.Propose(fp, found)
package candidate

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"sort"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"endroit/core/content"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
)

// Location is a proposed location with the files that it was made from.
type Location struct {
	At    place.Location
	Holds footprint.Kind
	Files []footprint.File
	Why   []string // why parts were made general
	// Belongs says of settings whom they belong to: see draft.Location.
	Belongs string
}

// Proposal is what a footprint suggests.
type Proposal struct {
	Locations []Location
	Questions []draft.Question // those that are open

	doubts []doubts
}

// Propose makes the locations that cover the files of interest and none of the
// others. Each matches every file that it was made from. found is where the names come from
// (see Names); nil if that is not known.
// Questions with answers say what a run does not show.
func Propose(f *footprint.Footprint, found *origin.Result, answered ...draft.Question) Proposal {
	var p Proposal
	f, s := told(f, answered, found)
	var others []place.Location   // what no location may match
	var onlyRead []footprint.File // what was only read can be a slot that this run did not save to
	groups := map[string]*Location{}
	var order []string
	journals, withJournal := databases(f)
	names := newGeneraliser(f, found)
	names.fixed = s.fixed
	units := stores(f)
	for _, x := range f.Files {
		if journals[x.Place] {
			continue // it belongs to its database
		}
		folder, name := path.Split(x.Place)
		if u := units[folder]; u != nil && storeFiles().MatchString(name) {
			if x.Place != u.files[0].Place {
				continue // it came with the first
			}
			if l, ok := p.unit(folder, u, names, s); ok {
				groups[folder] = &l
				order = append(order, folder)
			} else {
				others = append(others, u.places()...)
			}
			continue
		}
		if s.copies[x.Place] {
			continue // no place of its own, and no harm if it is reached
		}
		if !x.Sure() || x.Place == "" {
			p.question(x, s)
			if l, err := place.ParseAny(x.Place); err == nil {
				if x.Kind == footprint.Unknown && !x.Written() {
					onlyRead = append(onlyRead, x)
				} else {
					others = append(others, l)
				}
			}
			continue
		}
		exact, err := place.Parse(x.Place)
		if err != nil {
			p.put(s, draft.Question{Ask: fmt.Sprintf("%s looks like %s, and no location can name it: %v", x.Place, x.Kind.Word(), err)})
			continue
		}
		general, why := names.generalise(exact, x.Kind)
		if withJournal[x.Place] {
			general, why = withEnd(general), append(why, "the database and its journals are one unit (SQLite): *")
		}
		if _, err := place.Parse(general.String()); err != nil {
			if nothingFixed(general) {
				p.put(s, draft.Question{Ask: fmt.Sprintf(
					"%s looks like %s, and its whole name was chosen by the player: no location can tell it from other files; "+
						"can the game be told to keep it in a folder of its own?",
					x.Place, x.Kind.Word(),
				)})
				continue
			}
			general, why = exact, nil
		}
		if x.Confidence < footprint.SureFrom {
			p.doubt(x, "")
		}
		key := string(x.Kind) + " " + general.String()
		g := groups[key]
		if g == nil {
			g = &Location{At: general, Holds: x.Kind, Why: why}
			groups[key] = g
			order = append(order, key)
		}
		g.Files = append(g.Files, x)
	}
	p.ask(s)
	others = append(others, placesWithoutSlots(onlyRead, groups, names)...)
	var list []Location
	for _, key := range order {
		list = append(list, narrowed(*groups[key], others, groups)...)
	}
	p.Locations = withoutCovered(wholeFolders(joined(withoutInner(list), others), others))
	sort.SliceStable(p.Locations, func(i, j int) bool { return rank(p.Locations[i].Holds) < rank(p.Locations[j].Holds) })
	for i := range p.Locations {
		p.second(&p.Locations[i], s)
		p.Locations[i].explain()
	}
	p.namesQuestion(found, s)
	p.belongsQuestions(s)
	return p
}

// unit is the location of a store: its folder, whole. ok is false if what it holds was not
// decided, or the folder is no location; then it is asked.
func (p *Proposal) unit(folder string, u *store, names *generaliser, s said) (l Location, ok bool) {
	exact, err := place.Parse(folder)
	switch {
	case err != nil:
		p.put(s, draft.Question{Ask: fmt.Sprintf("there is a database in %s, and no location can name it: %v", folder, err)})
		return l, false
	case u.holds == footprint.Unknown:
		var places []string
		for _, x := range u.files {
			places = append(places, x.Place)
		}
		p.put(s, draft.Question{Topic: draft.TopicKind, Of: places, Ask: fmt.Sprintf(
			"what is the database in %s? Its %d files belong together; it was written, and nothing indicates what it holds",
			folder, len(u.files),
		)})
		return l, false
	}
	at, why := names.generalise(exact, u.holds)
	if _, err := place.Parse(at.String()); err != nil {
		at, why = exact, nil
	}
	why = append(why, fmt.Sprintf("%d files in one folder are a database that is whole only together: the folder", len(u.files)))
	return Location{At: at, Holds: u.holds, Why: why, Files: u.files}, true
}

// second names a second place as such: one whose files are what another location's are.
// That is a copy that the game or its launcher keeps, such as for the cloud, unless both
// are so small that they are alike by chance.
func (p *Proposal) second(l *Location, s said) {
	for _, o := range p.Locations {
		if o.At.String() == l.At.String() {
			continue
		}
		for _, x := range l.Files {
			for _, y := range o.Files {
				if x.After.Digest == "" || x.After.Digest != y.After.Digest || x.After.Size < leastCopy {
					continue
				}
				what := "a copy kept in two places"
				if (l.At.Anchor == place.AccountData) != (o.At.Anchor == place.AccountData) {
					what = "one of them is the launcher's copy, perhaps for the cloud"
				}
				l.Why = append(l.Why, fmt.Sprintf("it has the same content as %s afterwards: %s", o.At, what))
				if x.FirstWrite > y.FirstWrite && copyLike(l.At, o.At) {
					p.put(s, draft.Question{Topic: draft.TopicCopy, Of: []string{x.Place, y.Place}, Ask: fmt.Sprintf(
						"is %s only a copy of %s, which nobody needs to keep or to put back by itself?", x.Place, y.Place,
					)})
				}
				return
			}
		}
	}
}

// leastCopy is the size in bytes from which files that are alike are copies.
const leastCopy = 32

// placesWithoutSlots are the places of files that were only read, without those which differ from a
// file of interest by the number of a slot alone: they are slots too.
func placesWithoutSlots(
	files []footprint.File, groups map[string]*Location, names *generaliser,
) (others []place.Location) {
	for _, x := range files {
		exact, err := place.ParseAny(x.Place)
		if err != nil {
			continue
		}
		slot := false
		for _, g := range groups {
			if _, ok := g.At.Match(exact.Names(), nil); ok && g.At.Anchor == exact.Anchor && kinOf(x, g.Files) {
				slot = true // another of the same, which this run did not save
			}
			if general, _ := names.generalise(exact, g.Holds); general.String() == g.At.String() &&
				general.String() != exact.String() {
				slot = true
			}
		}
		if !slot {
			others = append(others, exact)
		}
	}
	return others
}

// kinOf reports whether a file is kept as one of the others is: beside it, and like it.
func kinOf(x footprint.File, files []footprint.File) bool {
	return slices.ContainsFunc(files, func(o footprint.File) bool {
		return path.Dir(o.Place) == path.Dir(x.Place) && footprint.Alike(o.Place, x.Place)
	})
}

// withoutInner leaves out keys of the registry that lie in another that is proposed:
// it holds them.
func withoutInner(list []Location) (out []Location) {
	for i, l := range list {
		outer := -1
		if l.At.Anchor == place.Registry {
			for j, o := range list {
				if j != i && o.At.Anchor == place.Registry && len(o.At.Pattern.Segments) < len(l.At.Pattern.Segments) &&
					covers(o.At, l.At) {
					outer = j
				}
			}
		}
		if outer < 0 {
			out = append(out, l)
		}
	}
	for i := range out {
		if out[i].At.Anchor != place.Registry {
			continue
		}
		for _, l := range list {
			if l.At.Anchor == place.Registry && l.At.String() != out[i].At.String() && covers(out[i].At, l.At) {
				out[i].Files = append(out[i].Files, l.Files...)
				if l.Holds != out[i].Holds {
					out[i].Why = append(out[i].Why, fmt.Sprintf("%s in it looks like %s", l.At, l.Holds))
				}
			}
		}
	}
	return out
}

// covers reports whether a folder's location holds all that another names.
func covers(outer, inner place.Location) bool {
	n := len(outer.Pattern.Segments)
	return outer.Pattern.Folder && n <= len(inner.Pattern.Segments) &&
		strings.EqualFold(
			place.Pattern{Segments: outer.Pattern.Segments}.String(),
			place.Pattern{Segments: inner.Pattern.Segments[:n]}.String(),
		)
}

func rank(k footprint.Kind) int {
	for i, x := range footprint.Kinds {
		if x == k {
			return i
		}
	}
	return len(footprint.Kinds)
}

// question keeps what could not be decided: a file that was written, in a place
// of the person's own, and of an uncertain kind.
func (p *Proposal) question(x footprint.File, s said) {
	switch {
	case s.kinds[x.Place]:
	case x.Unused > 0 && x.Place != "" && x.Kind != footprint.System:
		p.put(s, draft.Question{Ask: fmt.Sprintf(
			"%s was opened for writing, and nothing was written; does the game need a permission that it lacked in this run?",
			x.Place,
		)})
	case x.Kind.OfInterest() && x.Place == "":
		p.put(s, draft.Question{Ask: fmt.Sprintf(
			"a file called %s looks like %s (%s) and is below no anchor; where is it on another machine?",
			path.Base(x.Path), x.Kind.Word(), x.Reasons[0],
		)})
	case x.Kind.OfInterest():
		p.doubt(x, x.Reasons[0])
	case x.Kind == footprint.Unknown && x.Written() && x.Place != "" && credential(x) != "":
		p.put(s, draft.Question{Topic: draft.TopicKind, Of: []string{x.Place}, Ask: fmt.Sprintf(
			"does %s hold progress or settings too? By its name it holds %s, which nobody else should get", x.Place, credential(x),
		)})
	case x.Kind == footprint.Unknown && x.Written() && x.Place != "":
		p.doubt(x, "")
	}
}

// doubts are files of one folder and kind of which the same is not known.
type doubts struct {
	kind   footprint.Kind
	why    string
	places []string
}

// doubt keeps a file for a question about all of its folder that are like it.
func (p *Proposal) doubt(x footprint.File, why string) {
	folder := x.Place[:strings.LastIndexByte(x.Place, '/')+1]
	for i, d := range p.doubts {
		if d.kind == x.Kind && d.why == why && strings.HasPrefix(d.places[0], folder) && !strings.Contains(d.places[0][len(folder):], "/") {
			p.doubts[i].places = append(d.places, x.Place)
			return
		}
	}
	p.doubts = append(p.doubts, doubts{x.Kind, why, []string{x.Place}})
}

// ask asks once for each folder where three or more files are alike.
func (p *Proposal) ask(s said) {
	const several = 3
	kind := func(of []string, format string, args ...any) {
		p.put(s, draft.Question{Topic: draft.TopicKind, Of: of, Ask: fmt.Sprintf(format, args...)})
	}
	for _, d := range p.doubts {
		folder := d.places[0][:strings.LastIndexByte(d.places[0], '/')+1]
		n := len(d.places)
		if n >= several && folder != "" {
			if d.kind == footprint.Unknown {
				kind(
					d.places, "what are the %d files in %s, such as %s? They were written, and nothing indicates what they are",
					n, folder, path.Base(d.places[0]),
				)
			} else if d.why == "" {
				kind(
					d.places, "are the %d files in %s, such as %s, progress or settings? The game keeps them, and they are proposed as %s",
					n, folder, path.Base(d.places[0]), d.kind.Word(),
				)
			} else {
				kind(d.places, "are the %d files in %s, such as %s, %s? %s", n, folder, path.Base(d.places[0]), d.kind.Plural(), d.why)
			}
			continue
		}
		for _, at := range d.places {
			if d.kind == footprint.Unknown {
				kind([]string{at}, "what is %s? It was written, and nothing indicates what it is", at)
			} else if d.why == "" {
				kind([]string{at}, "is %s progress or settings? The game keeps it, and it is proposed as %s", at, d.kind.Word())
			} else {
				kind([]string{at}, "is %s %s? %s", at, d.kind.Singular(), d.why)
			}
		}
	}
}

// shapes are what names are recognised by.
var shapes = sync.OnceValue(func() (p struct{ slotWords, copyNumber, digits, dated, copies, device *regexp.Regexp }) {
	p.device = regexp.MustCompile(`(?i)(^|[^a-z])(window|display|graphics?|video|screen|monitor|joystick|gamepad|controller)s?([^a-z]|$)`)
	p.copies = regexp.MustCompile(`(?i)(^|[^a-z])(sync(ed)?|cloud|staging|remote|mirror|cop(y|ies)|upload(s|ed)?)([^a-z]|$)`)
	p.slotWords = regexp.MustCompile(
		`(?i)(slot|save|sav|game|profile|file|world|chapter|quick|auto|manual|backup|bak|checkpoint)s?[-_ .]?$`,
	)
	p.copyNumber = regexp.MustCompile(`^(.+\.[A-Za-z][A-Za-z0-9]*\.)[0-9]{1,3}$`) // world.dat.1
	p.digits = regexp.MustCompile(`[0-9]+`)
	p.dated = regexp.MustCompile(
		`(19|20)[0-9]{2}([-_.]?)(0[1-9]|1[0-2])([-_.]?)(0[1-9]|[12][0-9]|3[01])([^0-9]|$|[T_ -]?[0-9]{2})`,
	)
	return p
})

// generaliser knows what makes names general.
type generaliser struct {
	f        *footprint.Footprint
	found    *origin.Result // where names come from; nil if that is not known
	varying  varying
	programs map[string]bool // places of folders in which programs lie
	fixed    []string        // names that the person says are the game's
}

func newGeneraliser(f *footprint.Footprint, found *origin.Result) *generaliser {
	return &generaliser{f: f, found: found, varying: varyingIn(f), programs: programFolders(f)}
}

// programFolders are the folders in which a program lies that came with the game: their
// names are not the player's, unlike those of the folders for what is played.
func programFolders(f *footprint.Footprint) map[string]bool {
	folders := map[string]bool{}
	for _, x := range f.Files {
		if cut := strings.LastIndexByte(x.Place, '/'); cut > 0 && x.Reads > 0 && !x.Written() && footprint.Starts(x.Path) {
			folders[x.Place[:cut]] = true
		}
	}
	return folders
}

// generalise replaces the parts of an exact location that differ between people
// and machines.
func (g *generaliser) generalise(l place.Location, kind footprint.Kind) (place.Location, []string) {
	f, found := g.f, g.found
	same := func(a, b string) bool { return a == b }
	if l.Folds() || f.OS == "windows" || f.Runtime != "" && f.Runtime != "native" {
		same = strings.EqualFold // elsewhere {user} would not match a name in another case
	}
	var why []string
	out := place.Location{Anchor: l.Anchor, Pattern: place.Pattern{Folder: l.Pattern.Folder}}
	slotted := false
	for i, s := range l.Pattern.Segments {
		name, last := s[0].Text, i == len(l.Pattern.Segments)-1
		fixed := g.isFixed(name, last)
		if fixed {
			why = append(why, "the contributor says that the game makes "+safe(name))
		}
		switch {
		case !fixed && last && i < footprint.TitleDepth(l.Anchor) && chosen(name, last, f, found, same, &s, &why):
			// a file right below a shared anchor, with no folder of the title's above it
		case i < footprint.TitleDepth(l.Anchor) || i == 0 && l.Anchor != place.Install && l.Anchor != place.AccountData:
			// the title's own folder below a shared anchor is unchanged
		case i > 0 && sameName(name, f.Title) && !sameName(l.Pattern.Segments[0][0].Text, f.Title):
			why = append(why, safe(name)+" is kept: it is called like the title")
		case !last && g.programs[upTo(l, i)]:
			why = append(why, safe(name)+" is kept: the program lies in it")
		case f.Edition != nil && f.Edition.Ref != "" && name == f.Edition.Ref:
			s = place.Segment{{Kind: place.Named, Text: "ref"}}
			why = append(why, name+" is the edition's reference: {ref}")
		case !last && f.Edition != nil && ofVersion(name, f.Edition.Version):
			s = place.Segment{{Kind: place.Any}}
			why = append(why, name+" is the edition's version, which changes: *")
		case anybody(f, func(p *footprint.Self) bool {
			return len(p.User) >= minOwned && same(name, p.User) && !found.Brings(name)
		}):
			s = place.Segment{{Kind: place.Named, Text: "user"}}
			why = append(why, "a folder or file is named after the user: {user}")
		case anybody(f, func(p *footprint.Self) bool {
			return p.Account != "" && (name == p.Account || slices.Contains(p.Accounts, name))
		}):
			s = place.Segment{{Kind: place.Named, Text: "account"}}
			why = append(why, "a name is the account in use at the launcher: {account}")
		case !fixed && g.varying.at(l, i) && !found.Brings(name):
			s = segmentOf("", "profile", endOf(name, last))
			why = append(why, "the name differs from run to run: {profile}")
		case !fixed && chosen(name, last, f, found, same, &s, &why):
			// general by where it comes from
		case found.Brings(name):
			// the program made it, however much it looks like an account's or a slot's
		case footprint.AccountShape().MatchString(name):
			s = place.Segment{{Kind: place.Named, Text: "account"}}
			why = append(why, "a name looks like an account number: {account}")
		case last && shapes().dated.MatchString(name):
			s = numbered(name)
			why = append(why, "the name contains a date: *")
		case !last && shapes().dated.MatchString(name):
			s = place.Segment{{Kind: place.Any}}
			why = append(why, "a folder's name contains a date: *")
		case last && kind == footprint.Capture && shapes().digits.MatchString(name):
			s = numbered(name)
			why = append(why, "pictures and replays are numbered or dated: *")
		case last && kind == footprint.Save && shapes().copyNumber.MatchString(name):
			m := shapes().copyNumber.FindStringSubmatch(name)
			s, slotted = place.Segment{{Kind: place.Literal, Text: m[1]}, {Kind: place.Named, Text: "slot"}}, true
			why = append(why, "the number behind "+safe(strings.TrimSuffix(m[1], "."))+" counts copies: {slot}")
		default:
			if made, reason, ok := framed(name, last, kind, found); ok && !fixed {
				s = made
				why = append(why, reason)
			} else if numbered, ok := slotIn(name, i, l, f); ok && !slotted {
				s, slotted = numbered, true
				why = append(why, "the number in "+safe(name)+" differs between slots: {slot}")
			} else if made, reason, ok := leftOver(name, last, slotted, found); ok && !fixed {
				s, slotted = made, slotted || strings.Contains(made.String(), "{slot}")
				why = append(why, reason)
			}
		}
		if last && kind == footprint.Save {
			s = withoutNumberBehind(s, name, slotted, found, &why)
		}
		out.Pattern.Segments = append(out.Pattern.Segments, s)
	}
	oncePerName(out.Pattern.Segments, l.Names())
	return out, why
}

// isFixed reports whether the person says that the game makes a name.
func (g *generaliser) isFixed(name string, last bool) bool {
	stem, _ := stemOf(name, last)
	return slices.Contains(g.fixed, name) || slices.Contains(g.fixed, stem)
}

// sameName reports whether a folder or a file is called like the title, but for spaces, signs
// and case.
func sameName(name, title string) bool {
	plain := func(text string) string {
		return strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) {
				return unicode.ToLower(r)
			}
			return -1
		}, text)
	}
	return utf8.RuneCountInString(plain(title)) >= origin.MinWord && plain(name) == plain(title)
}

// copyLike reports whether the first of two places looks like that of a copy: it lies
// elsewhere, in a folder for copies, or behind the other's name.
func copyLike(l, of place.Location) bool {
	if l.Anchor != of.Anchor {
		return l.Anchor != place.AccountData // the launcher's own is known
	}
	return shapes().copies.MatchString(strings.Join(l.Names(), "/")) && !shapes().copies.MatchString(strings.Join(of.Names(), "/"))
}

// upTo is the place of the folder that ends with the i-th name of a location.
func upTo(l place.Location, i int) string {
	return place.Location{Anchor: l.Anchor, Pattern: place.Pattern{Segments: l.Pattern.Segments[:i+1]}}.String()
}

// oncePerName turns a named part into a wildcard where the same one stands before it for
// another text: in a location a name always stands for one text.
func oncePerName(segments []place.Segment, names []string) {
	known := map[string]string{}
	for i, s := range segments {
		at := slices.IndexFunc(s, func(p place.Part) bool { return p.Kind == place.Named })
		if at < 0 {
			continue
		}
		text := names[i]
		for _, p := range s[:at] {
			text = strings.TrimPrefix(text, p.Text)
		}
		for _, p := range slices.Backward(s[at+1:]) {
			text = strings.TrimSuffix(text, p.Text)
		}
		name := s[at].Text
		if before, ok := known[name]; ok && before != text {
			segments[i] = slices.Clone(s)
			segments[i][at] = place.Part{Kind: place.Any}
			continue
		}
		known[name] = text
	}
}

// ofVersion reports whether a folder is called by the edition's version: 1.2, v1.2.
func ofVersion(name, version string) bool {
	return len(version) >= 2 && strings.EqualFold(strings.TrimPrefix(strings.ToLower(name), "v"), strings.ToLower(version))
}

// numbered puts a star for the numbers in a name, from the first to the last.
func numbered(name string) place.Segment {
	ext := path.Ext(name)
	stem := strings.TrimSuffix(name, ext)
	at := shapes().digits.FindAllStringIndex(stem, -1)
	if len(at) == 0 {
		return place.LiteralSegment(name)
	}
	return around(stem[:at[0][0]], place.Part{Kind: place.Any}, stem[at[len(at)-1][1]:]+ext)
}

// slotIn finds the number that tells slots apart: one behind a word for slots,
// or one by which the names of files side by side differ.
func slotIn(name string, i int, l place.Location, f *footprint.Footprint) (place.Segment, bool) {
	stem, ext := name, ""
	if i == len(l.Pattern.Segments)-1 {
		ext = path.Ext(name)
		stem = strings.TrimSuffix(name, ext)
	}
	at := shapes().digits.FindAllStringIndex(stem, -1)
	if len(at) == 0 {
		return nil, false
	}
	number := at[len(at)-1]
	before, after := stem[:number[0]], stem[number[1]:]
	behindWord := shapes().slotWords.MatchString(before) && !startsWithLetter(after) // not world3d
	alone := before == "" && after == "" && i > 0 && shapes().slotWords.MatchString(l.Pattern.Segments[i-1][0].Text)
	if !behindWord && !alone && !differs(name, before, after+ext, l, f) {
		return nil, false
	}
	return segmentOf(before, "slot", after+ext), true
}

func startsWithLetter(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return unicode.IsLetter(r)
}

// differs reports whether another file of interest has the same place but for
// the number.
func differs(name, before, after string, l place.Location, f *footprint.Footprint) bool {
	shape := regexp.MustCompile("^" + regexp.QuoteMeta(before) + "[0-9]+" + regexp.QuoteMeta(after) + "$")
	for _, x := range f.Files {
		if !x.Kind.OfInterest() || x.Place == "" {
			continue
		}
		o, err := place.Parse(x.Place)
		if err != nil || o.Anchor != l.Anchor || len(o.Pattern.Segments) != len(l.Pattern.Segments) {
			continue
		}
		for i, s := range o.Pattern.Segments {
			if l.Pattern.Segments[i][0].Text == name && s[0].Text != name && shape.MatchString(s[0].Text) {
				return true
			}
		}
	}
	return false
}

// narrowed takes the general parts back where they reach a file that is none of
// these.
func narrowed(g Location, others []place.Location, groups map[string]*Location) []Location {
	if _, hit := reaches(g.At, others); !hit && !reachesOtherKind(g, groups) {
		return []Location{g}
	}
	var out []Location
	for _, x := range g.Files {
		exact, _ := place.Parse(x.Place)
		out = append(out, Location{
			At:    exact,
			Holds: g.Holds,
			Files: []footprint.File{x},
			Why:   []string{"kept exact: a more general pattern would match other files"},
		})
	}
	return out
}

func reaches(l place.Location, others []place.Location) (place.Location, bool) {
	for _, o := range others {
		if o.Anchor == l.Anchor {
			if _, ok := l.Match(o.Names(), nil); ok {
				return o, true
			}
		}
	}
	return place.Location{}, false
}

func reachesOtherKind(g Location, groups map[string]*Location) bool {
	for _, o := range groups {
		if o.Holds == g.Holds {
			continue
		}
		for _, x := range o.Files {
			if e, err := place.Parse(x.Place); err == nil && e.Anchor == g.At.Anchor {
				if _, ok := g.At.Match(e.Names(), nil); ok {
					return true
				}
			}
		}
	}
	return false
}

// enoughToJoin is how many patterns side by side, with one extension, show that
// the extension is what they have in common.
const enoughToJoin = 3

// joined turns many patterns of one folder that differ in the name alone into
// one with a wildcard, where nothing else in the folder has that extension.
func joined(list []Location, others []place.Location) []Location {
	type key struct {
		folder, ext string
		holds       footprint.Kind
	}
	of := func(l Location) (key, bool) {
		n := len(l.At.Pattern.Segments)
		last := l.At.Pattern.Segments[n-1]
		tail := last[len(last)-1]
		ext := path.Ext(tail.Text)
		if l.At.Anchor == place.Registry || tail.Kind != place.Literal || len(ext) < 2 || n < 2 && l.At.Anchor != place.Install {
			return key{}, false
		}
		folder := place.Location{Anchor: l.At.Anchor, Pattern: place.Pattern{Segments: l.At.Pattern.Segments[:n-1], Folder: true}}
		return key{folder.String(), ext, l.Holds}, true
	}
	members := map[key][]int{}
	for i, l := range list {
		if k, ok := of(l); ok {
			members[k] = append(members[k], i)
		}
	}
	gone := map[int]bool{}
	var out []Location
	for i, l := range list {
		if gone[i] {
			continue
		}
		k, ok := of(l)
		if !ok || len(members[k]) < enoughToJoin {
			out = append(out, l)
			continue
		}
		wide := l.At
		n := len(wide.Pattern.Segments)
		wide.Pattern.Segments = append(
			append([]place.Segment{}, wide.Pattern.Segments[:n-1]...),
			place.Segment{{Kind: place.Any}, {Kind: place.Literal, Text: k.ext}},
		)
		_, hit := reaches(wide, others)
		if _, err := place.Parse(wide.String()); err != nil || hit || reachesListed(wide, list, l.Holds) {
			out = append(out, l)
			continue
		}
		whole := Location{
			At:    wide,
			Holds: l.Holds,
			Why:   []string{fmt.Sprintf("%d files side by side end in %s, and no others do: *", len(members[k]), k.ext)},
		}
		for _, j := range members[k] {
			gone[j] = true
			whole.Files = append(whole.Files, list[j].Files...)
		}
		out = append(out, whole)
	}
	return out
}

func reachesListed(wide place.Location, list []Location, holds footprint.Kind) bool {
	for _, l := range list {
		if l.Holds != holds && place.Overlap(wide, l.At) {
			return true
		}
	}
	return false
}

// explain adds what the files that a location was made from say for it.
func (l *Location) explain() {
	if slices.ContainsFunc(l.Files, holdsToken) {
		l.Why = append([]string{TokenToo}, l.Why...)
	}
	if len(l.Files) == 1 && strings.Contains(l.At.String(), "{slot}") {
		l.Why = append(l.Why, "only one slot was observed; play with a second one to confirm it")
	}
	seen := map[string]bool{}
	for _, x := range l.Files {
		for i, r := range x.Reasons {
			alike := shapes().digits.ReplaceAllString(r, "0")
			if i < 3 && !seen[alike] && len(l.Why) < 8 {
				seen[alike] = true
				l.Why = append(l.Why, r)
			}
		}
	}
	if n := footprint.TitleDepth(l.At.Anchor); n > 0 && n <= len(l.At.Pattern.Segments) {
		own := place.Pattern{Segments: l.At.Pattern.Segments[n-1 : n]}
		l.Why = append(l.Why, fmt.Sprintf("%s is kept: it is the folder of the title below %s", own, l.At.Anchor))
	}
}

// TokenToo is said of what a game keeps together with what lets somebody in.
const TokenToo = "it also holds a token, a password or the like: whoever gets a copy can get in with it, so make copies for yourself alone"

// holdsToken reports whether a file holds what lets somebody in, by its content or its name.
func holdsToken(x footprint.File) bool {
	return content.NamesToken(x.After.Looks) || content.NamesToken(x.Before.Looks) || credential(x) != ""
}

// credential is what a file's name has that those of credentials have.
func credential(x footprint.File) string {
	for _, f := range x.Findings {
		if f.ID == "credential-name" {
			return f.Word
		}
	}
	return ""
}

// Left are the files of a footprint that lie in the folder of a location, or deeper, and
// that no location of the proposal matches: by kind.
func (p Proposal) Left(l Location, f *footprint.Footprint) map[footprint.Kind]int {
	folder := l.At.Pattern.Segments
	if !l.At.Pattern.Folder {
		folder = folder[:len(folder)-1]
	}
	if i := slices.IndexFunc(folder, func(s place.Segment) bool { return len(s) != 1 || s[0].Kind != place.Literal }); i >= 0 {
		folder = folder[:i]
	}
	left := map[footprint.Kind]int{}
	if len(folder) == 0 && footprint.TitleDepth(l.At.Anchor) > 0 {
		return left // the anchor itself, which other programs have files in
	}
	for _, x := range f.Files {
		if !strings.HasPrefix(x.Place, string(l.At.Anchor)+":") {
			continue
		}
		at, err := place.ParseAny(x.Place)
		if err != nil || len(at.Pattern.Segments) <= len(folder) {
			continue
		}
		names, inside := at.Names(), true
		for i, s := range folder {
			inside = inside && (names[i] == s[0].Text || l.At.Folds() && strings.EqualFold(names[i], s[0].Text))
		}
		if inside && !slices.ContainsFunc(p.Locations, func(o Location) bool {
			_, ok := o.At.Match(names, nil)
			return ok && o.At.Anchor == at.Anchor
		}) {
			left[x.Kind]++
		}
	}
	return left
}

func safe(name string) string { return place.LiteralSegment(name).String() }
