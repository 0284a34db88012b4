package candidate

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
)

// Source is a name in a place of interest, with where its parts come from and what became
// of it. It holds names of this machine, and is not sent.
type Source struct {
	Name   string        `json:"name"`
	Place  string        `json:"place"`  // the first file that has it
	Parts  []origin.Part `json:"parts"`  // of the name without its extension, which stays
	Became string        `json:"became"` // the segment in the location; empty if no location covers the place
	// Format is the name with … for what a format or template of the program's fills in;
	// empty if none fits, or the program brings the name as a whole.
	Format string `json:"format,omitempty"`
}

// Sources tells of every name below the title's own folders where it comes from, in the
// order of the proposal's locations. found is what Propose got; nil gives none.
func (p Proposal) Sources(found *origin.Result) (list []Source) {
	if found == nil {
		return nil
	}
	seen := map[string]bool{}
	for _, l := range p.Locations {
		if l.At.Anchor == place.Registry {
			continue
		}
		for _, x := range l.Files {
			exact, err := place.Parse(x.Place)
			if err != nil {
				continue
			}
			for i, name := range exact.Names() {
				if i < footprint.TitleDepth(exact.Anchor) || seen[name] {
					continue
				}
				seen[name] = true
				stem, ext := stemOf(name, i == len(exact.Names())-1)
				s := Source{Name: name, Place: x.Place, Parts: found.Name(stem)}
				if !found.Brings(name) {
					s.Format = formatOf(stem, ext, found)
				}
				if i < len(l.At.Pattern.Segments) {
					s.Became = l.At.Pattern.Segments[i].String()
				}
				list = append(list, s)
			}
		}
	}
	return list
}

// formatOf is a name as a format of the program's gives it; empty if it has none.
func formatOf(stem, ext string, found *origin.Result) string {
	if before, after, ok := found.Frame(stem, ext); ok {
		return before + "…" + after + ext
	}
	if found.Filled(ext) {
		return "…" + ext
	}
	return ""
}

// Undecided are the names that stay as they are though nothing shows that the program makes
// them: they are worth a question. Names of settings are not: people seldom choose them.
// found is what Propose got.
func (p Proposal) Undecided(found *origin.Result) (names []string) {
	if found == nil {
		return nil
	}
	for _, l := range p.Locations {
		if l.Holds != footprint.Save || l.At.Anchor == place.Registry {
			continue
		}
		for _, x := range l.Files {
			exact, err := place.Parse(x.Place)
			if err != nil {
				continue
			}
			all := exact.Names()
			for i := range all {
				if i < footprint.TitleDepth(exact.Anchor) || i >= len(l.At.Pattern.Segments) {
					continue
				}
				// A name that became general in part may hold a part that is not decided.
				literal := strings.Builder{}
				for _, part := range l.At.Pattern.Segments[i] {
					if part.Kind == place.Literal {
						literal.WriteString(part.Text)
					}
				}
				stem := literal.String()
				if i == len(all)-1 {
					stem, _ = cutExtension(stem)
				}
				text := undecidedPart(stem, found)
				if text == "" && i == len(all)-1 && literal.String() == all[i] && wordAlone(all[i], found) {
					text = stem
				}
				if text != "" && !slices.Contains(names, text) {
					names = append(names, text)
				}
			}
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(len(b), len(a)) })
	return names
}

// wordAlone reports whether the program brings a file's name without its extension alone:
// it may make the name of both, or the player may have typed a word that it uses too.
func wordAlone(name string, found *origin.Result) bool {
	stem, ext := cutExtension(name)
	return found.Conclusive() && ext != "" && found.Brings(stem) && !found.Brings(name)
}

// namesQuestion asks which of the names that nothing is known about the player chose.
func (p *Proposal) namesQuestion(found *origin.Result, s said) {
	var names []string
	for _, n := range p.Undecided(found) {
		if !slices.Contains(s.fixed, n) && len(names) < draft.MaxNames {
			names = append(names, n)
		}
	}
	if len(names) == 0 {
		return
	}
	p.put(s, draft.Question{
		Topic: draft.TopicNames, Of: names,
		Ask: "which of these names did you choose in the game, and which does the game make for everybody? " + some(names),
	})
}

// some lists the first of many.
func some(list []string) string {
	const most = 8
	text := strings.Join(list[:min(len(list), most)], ", ")
	if n := len(list) - most; n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return text
}

// undecidedPart is the part of a name with letters of which nothing is known.
func undecidedPart(stem string, found *origin.Result) string {
	for _, part := range found.Name(stem) {
		if part.From == origin.Unsure && strings.ContainsFunc(part.Text, unicode.IsLetter) {
			return strings.TrimFunc(part.Text, notInWord)
		}
	}
	return ""
}

// Kept is a name in a location that no file of the program holds: for anybody else it
// matches nothing.
type Kept struct {
	At   string // the location
	Name string
}

// Literals are the names that locations keep, below the title's own folders, as they stand.
func Literals(locations []place.Location) (names []string) {
	for _, l := range locations {
		eachLiteral(l, func(text string) { names = append(names, text) })
	}
	return names
}

// KeptNames are the names that locations keep although a search of the program, which has to
// have looked for Literals, found them in none of its files.
func KeptNames(locations []place.Location, found *origin.Result) (list []Kept) {
	for _, l := range locations {
		eachPart(l, found, func(p origin.Part) {
			if p.From == origin.Other {
				list = append(list, Kept{l.String(), p.Text})
			}
		})
	}
	return list
}

// CountSources counts where the names that a location keeps come from; nil if no search
// tells.
func CountSources(l place.Location, found *origin.Result) *draft.Sources {
	if !found.Conclusive() {
		return nil
	}
	out := draft.Sources{Files: found.Files}
	eachPart(l, found, func(p origin.Part) {
		switch {
		case p.From == origin.Program:
			out.Program++
		case p.From == origin.Other:
			out.Other++
		case strings.ContainsFunc(p.Text, unicode.IsLetter):
			out.Unsure++
		}
	})
	return &out
}

func eachPart(l place.Location, found *origin.Result, visit func(origin.Part)) {
	if found.Conclusive() {
		eachLiteral(l, func(text string) {
			for _, p := range found.Name(text) {
				visit(p)
			}
		})
	}
}

// eachLiteral gives the fixed texts of a location, without the title's own folders and the
// extension.
func eachLiteral(l place.Location, visit func(text string)) {
	if l.Anchor == place.Registry {
		return
	}
	for i, s := range l.Pattern.Segments {
		last := i == len(l.Pattern.Segments)-1 && !l.Pattern.Folder
		if i < footprint.TitleDepth(l.Anchor) && i < len(l.Pattern.Segments)-1 {
			continue
		}
		for j, p := range s {
			switch {
			case p.Kind != place.Literal:
			case last && j > 0 && j == len(s)-1: // behind a variable part: .sav alone is an extension
				stem, _ := cutExtension("-" + p.Text)
				visit(stem[1:])
			case last && j == len(s)-1:
				stem, _ := cutExtension(p.Text)
				visit(stem)
			default:
				visit(p.Text)
			}
		}
	}
}
