package candidate

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

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
				stem := name
				if i == len(exact.Names())-1 {
					stem, _ = cutExtension(name)
				}
				s := Source{Name: name, Place: x.Place, Parts: found.Name(stem)}
				if i < len(l.At.Pattern.Segments) {
					s.Became = l.At.Pattern.Segments[i].String()
				}
				list = append(list, s)
			}
		}
	}
	return list
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
				if text := undecidedPart(stem, found); text != "" && !slices.Contains(names, text) {
					names = append(names, text)
				}
			}
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(len(b), len(a)) })
	return names
}

// undecidedPart is the part of a name with letters of which nothing is known.
func undecidedPart(stem string, found *origin.Result) string {
	for _, part := range found.Name(stem) {
		if part.From == origin.Unsure && strings.ContainsFunc(part.Text, unicode.IsLetter) {
			return strings.TrimFunc(part.Text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
		}
	}
	return ""
}
