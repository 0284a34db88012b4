package candidate

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
)

// Names lists the names of a footprint's files of interest, without the title's own folders,
// whose source decides what they become; and those that the program must have made: the
// title's folders and the title itself. See core/origin.
func Names(f *footprint.Footprint) (names, expected []string) {
	seen := map[string]bool{}
	add := func(list *[]string, name string) {
		if !seen[name] {
			seen[name] = true
			*list = append(*list, name)
		}
	}
	add(&expected, f.Title)
	for _, x := range f.Files {
		if !x.Kind.OfInterest() || x.Place == "" {
			continue
		}
		l, err := place.ParseAny(x.Place)
		if err != nil || l.Anchor == place.Registry {
			continue
		}
		all := l.Names()
		for i, name := range all {
			if i < footprint.TitleDepth(l.Anchor) && i < len(all)-1 {
				add(&expected, name)
			} else {
				add(&names, name)
			}
		}
	}
	return names, expected
}

// chosen makes a name general that a person, a machine or chance made, and says why. It
// reports whether it did. What the person says goes before what a search found, and both
// before the user's name: a player called like the user, with more behind it, is a player.
func chosen(
	name string, last bool, f *footprint.Footprint, found *origin.Result, s *place.Segment, why *[]string,
) bool {
	var made place.Segment
	var reason string
	ok := anybody(f, func(p *footprint.Self) (ok bool) {
		made, reason, ok = saidPart(name, last, p)
		return ok
	})
	if !ok {
		var text string
		made, text, reason, ok = chosenPart(name, last, found)
		if ok && anybody(f, func(p *footprint.Self) bool {
			return slices.ContainsFunc([]string{p.User, p.Inside, p.Host}, func(own string) bool { return strings.EqualFold(own, text) })
		}) {
			ok = false
		}
	}
	if !ok {
		ok = anybody(f, func(p *footprint.Self) (ok bool) {
			made, reason, ok = ownedPart(name, p, found)
			return ok
		})
	}
	if ok {
		*s, *why = made, append(*why, reason)
	}
	return ok
}

// anybody reports whether something holds for one of the people of a footprint.
func anybody(f *footprint.Footprint, holds func(*footprint.Self) bool) bool {
	return slices.ContainsFunc(f.Self.Everybody(), holds)
}

// saidPart is what a name becomes that holds one that the person chose.
func saidPart(name string, last bool, self *footprint.Self) (s place.Segment, why string, ok bool) {
	for _, said := range self.Chosen {
		stem, ext := name, ""
		if last {
			stem, ext = cutExtension(name)
		}
		before, after, found := cutWord(stem, said)
		if found {
			return segmentOf(before, "profile", after+ext), "it holds a name that you chose: {profile}", true
		}
	}
	return nil, "", false
}

// cutWord cuts a name around a text that stands in it as words of its own, in any case.
func cutWord(name, text string) (before, after string, found bool) {
	low := strings.ToLower(name)
	at := strings.Index(low, strings.ToLower(text))
	if text == "" || at < 0 || len(low) != len(name) {
		return "", "", false
	}
	before, after = name[:at], name[at+len(text):]
	return before, after, !endsInWord(before) && !startsInWord(after)
}

func segmentOf(before, part, after string) (s place.Segment) {
	if before != "" {
		s = append(s, place.Part{Kind: place.Literal, Text: before})
	}
	s = append(s, place.Part{Kind: place.Named, Text: part})
	if after != "" {
		s = append(s, place.Part{Kind: place.Literal, Text: after})
	}
	return s
}

// chosenPart is what a name becomes that the program did not make alone: the part that
// stands in none of its files is general, what the program brings stays. ok is false where
// the program made the whole name, or nothing can be said.
func chosenPart(name string, last bool, found *origin.Result) (s place.Segment, text, why string, ok bool) {
	if found == nil {
		return nil, "", "", false
	}
	stem, ext := name, ""
	if last {
		stem, ext = cutExtension(name)
	}
	parts := found.Name(stem)
	first, end := -1, 0
	for i, p := range parts {
		if p.From == origin.Other {
			if first < 0 {
				first = i
			}
			end = i + 1
		}
	}
	if first < 0 {
		return nil, "", "", false
	}
	// A number beside it, such as a user's or a date, came with it.
	for i := first - 1; i >= 0 && parts[i].From == origin.Unsure; i-- {
		if strings.ContainsFunc(parts[i].Text, unicode.IsDigit) {
			first = i
		}
	}
	for i := end; i < len(parts) && parts[i].From == origin.Unsure; i++ {
		if strings.ContainsFunc(parts[i].Text, unicode.IsDigit) {
			end = i + 1
		}
	}
	before, text, after := joinParts(parts[:first]), joinParts(parts[first:end]), joinParts(parts[end:])
	// The name itself is left out: reasons are sent.
	searched := fmt.Sprintf("%d were searched", found.Files)
	if n := len(found.Unread); n > 0 {
		searched += fmt.Sprintf(", %d could not be", n)
	}
	why = fmt.Sprintf(
		"a part of the name is in none of the program's files (%s), so a person or chance made it: {profile}", searched,
	)
	return segmentOf(before, "profile", after+ext), text, why, true
}

func joinParts(parts []origin.Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Text)
	}
	return b.String()
}

// endOf is what stays of a name of which all else is general.
func endOf(name string, last bool) string {
	if !last {
		return ""
	}
	_, ext := cutExtension(name)
	return ext
}

// cutExtension cuts off what tells the format of a file, also a compression's behind it:
// world.json.gz. It always stays as it is.
func cutExtension(name string) (stem, ext string) {
	stem = name
	for range 2 {
		e := path.Ext(stem)
		if len(e) < 2 || len(e) > 9 || len(e) == len(stem) || !strings.ContainsFunc(e, unicode.IsLetter) {
			break
		}
		if ext != "" && len(ext) > 4 { // Mr. Oakes.save: the first of two is none
			break
		}
		stem, ext = strings.TrimSuffix(stem, e), e+ext
	}
	return stem, ext
}

// ownedPart replaces the user's or the host's name inside a name, unless it is a word of the
// program's too: many accounts are called player.
func ownedPart(name string, self *footprint.Self, found *origin.Result) (s place.Segment, why string, ok bool) {
	for _, x := range []struct{ text, part, what string }{
		{self.User, "user", "the user's name"},
		{self.Inside, "user", "the user's name"},
		{self.Host, "host", "the host's name"},
	} {
		if len(x.text) < minOwned || found.Brings(x.text) {
			continue
		}
		if before, after, found := cutWord(name, x.text); found {
			return segmentOf(before, x.part, after), fmt.Sprintf("the name holds %s: {%s}", x.what, x.part), true
		}
	}
	return nil, "", false
}

// minOwned is how many bytes a user's or a host's name needs to be looked for in names.
const minOwned = 3

func endsInWord(text string) bool {
	r, _ := utf8.DecodeLastRuneInString(text)
	return text != "" && (unicode.IsLetter(r) || unicode.IsDigit(r))
}

func startsInWord(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return text != "" && (unicode.IsLetter(r) || unicode.IsDigit(r))
}

// nothingFixed reports whether the first name below the anchor is a player's alone.
func nothingFixed(l place.Location) bool {
	first := l.Pattern.Segments[0]
	return len(first) == 1 && first[0].Kind == place.Named && first[0].Text == "profile"
}
