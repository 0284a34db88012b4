package proof

import (
	"fmt"
	"slices"
	"strings"

	"endroit/core/phrase"
	"endroit/core/standing"
)

// fresh and old are what a game shows without what it keeps, and with it.
func (p *Proof) fresh() string {
	if p.Holds == "config" {
		return "default settings"
	}
	return "a new game"
}

func (p *Proof) old() string {
	if p.Holds == "config" {
		return "the settings"
	}
	return "the progress"
}

// Words are an answer, for people; empty if there is none.
func (p *Proof) Words(a Answer) string {
	switch a {
	case NewGame:
		return p.fresh()
	case Progress:
		return p.old()
	case Part:
		return "part of " + p.old()
	case Failed:
		return "it did not start"
	case Unsure:
		return "not sure"
	}
	return ""
}

// Question is what a round asked; empty for an operation.
func (p *Proof) Question(r Round) string {
	if p.Aim.Hazard() {
		return ""
	}
	return "Did it show " + p.Either() + "?"
}

// Either is what a start is looked at for, such as "a new game, or your progress".
func (p *Proof) Either() string {
	return p.fresh() + ", or " + strings.Replace(p.old(), "the ", "your ", 1)
}

// Steps are what was done in a round, in sentences.
func (p *Proof) Steps(r Round) (out []string) {
	if p.ByList {
		return []string{
			"the launcher's own files were read, and nothing was changed",
			"for its cloud they list: " + strings.Join(r.Lists, ", "),
		}
	}
	switch {
	case len(r.Away) == len(p.Locations):
		out = append(out, "all locations were taken away")
	case len(r.Away) > 0:
		var names []string
		for _, i := range r.Away {
			names = append(names, p.Locations[i].At)
		}
		if len(names) > 3 {
			names = append(names[:3], fmt.Sprintf("%d more", len(r.Away)-3))
		}
		out = append(out, "taken away: "+strings.Join(names, ", "))
	default:
		out = append(out, "all files were in their places")
	}
	if n := len(r.Returned); n > 0 {
		says := phrase.Count(n, "file was", "files were") + " brought back" + Bringers(r.Returned)
		out = append(out, says+" while the game was closed")
	} else if len(r.Away) > 0 {
		out = append(out, "nothing brought files back while the game was closed")
	}
	switch {
	case p.Aim.Hazard():
		way := ""
		if r.Direction != "" {
			way = " (" + r.Direction + ")"
		}
		out = append(out, "done: "+standing.Operation(p.Aim).Words()+way)
	case r.Trace != "":
		out = append(out, "the game was started under observation")
	case r.Answer == Failed:
		out = append(out, "the game could not be started")
	}
	return out
}

// Bringers says which programs were seen to bring files back, such as " by keeper"; empty if
// that was not seen.
func Bringers(files []Returned) string {
	var names []string
	for _, f := range files {
		if f.By != "" && !slices.Contains(names, f.By) {
			names = append(names, f.By)
		}
	}
	if len(names) == 0 {
		return ""
	}
	return " by " + strings.Join(names, ", ")
}

// Saw says what a start did with the files of a location, as far as that is seen.
func (p *Proof) Saw(s Sees) string {
	if s.Missing+s.Created+s.used() == 0 && s.Location < len(p.Locations) && inRegistry(p.Locations[s.Location].At) {
		return "nothing was created; what is read in the registry is not seen"
	}
	return s.String()
}

// String says what a start did with the files of a location.
func (s Sees) String() string {
	var parts []string
	for _, x := range []struct {
		n         int
		one, many string
	}{
		{s.Missing, "file was looked for and missing", "files were looked for and missing"},
		{s.Created, "file was created", "files were created"},
		{s.Read, "file was there and read", "files were there and read"},
		{s.Gone, "file was there and renamed or removed", "files were there and renamed or removed"},
	} {
		if x.n > 0 {
			parts = append(parts, phrase.Count(x.n, x.one, x.many))
		}
	}
	if len(parts) == 0 {
		return "nothing was done with its files"
	}
	return strings.Join(parts, ", ")
}

// Together adds up what a start did with the files of several locations.
func Together(sees []Sees) (all Sees) {
	for _, s := range sees {
		all.Missing += s.Missing
		all.Created += s.Created
		all.Read += s.Read
		all.Gone += s.Gone
	}
	return all
}

// Amount says how many files a location has, or keys of the registry.
func Amount(location string, n int) string {
	if inRegistry(location) {
		return phrase.Count(n, "key", "keys")
	}
	return phrase.Count(n, "file", "files")
}

// Listing says what the launcher's list has of a location.
func (p *Proof) Listing(x Listing) string {
	return fmt.Sprintf("%d of %s listed", x.Files, Amount(p.Locations[x.Location].At, p.Locations[x.Location].Files))
}

// String says what became of the files of a location.
func (b Became) String() string {
	var parts []string
	for _, x := range []struct {
		n    int
		says string
	}{{b.Same, "as before"}, {b.Changed, "changed"}, {b.Gone, "gone"}} {
		if x.n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", phrase.Count(x.n, "file", "files"), x.says))
		}
	}
	return strings.Join(parts, ", ")
}
