package candidate

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
	"endroit/core/words"
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
	for _, joint := range []string{"", "-", "_"} { // programs often call themselves so
		if name := strings.Join(strings.Fields(f.Title), joint); name != "" {
			add(&expected, name)
		}
	}
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
	name string, last bool, f *footprint.Footprint, found *origin.Result, same func(a, b string) bool,
	s *place.Segment, why *[]string,
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
			return slices.ContainsFunc(
				[]string{p.User, p.Inside, p.Host},
				func(own string) bool { return same(own, text) },
			)
		}) {
			ok = false
		}
	}
	if !ok {
		ok = anybody(f, func(p *footprint.Self) (ok bool) {
			made, reason, ok = ownedPart(name, last, p, found, same)
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
		stem, ext := stemOf(name, last)
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

func segmentOf(before, part, after string) place.Segment {
	return around(before, place.Part{Kind: place.Named, Text: part}, after)
}

// around puts fixed texts around a variable part.
func around(before string, part place.Part, after string) (s place.Segment) {
	if before != "" {
		s = append(s, place.Part{Kind: place.Literal, Text: before})
	}
	s = append(s, part)
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
	parts, ext := partsOf(name, last, found)
	if !slices.ContainsFunc(parts, func(p origin.Part) bool { return p.From == origin.Other }) {
		return nil, "", "", false
	}
	before, text, after, _ := madeOf(parts)
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

// partsOf are the parts of a name without its extension, which is cut off. What the program
// brings may go on into it: the format "auto-%d-LT1.save" brings -LT1.
func partsOf(name string, last bool, found *origin.Result) (parts []origin.Part, ext string) {
	stem, ext := stemOf(name, last)
	left := len(stem)
	for _, p := range found.Name(name) {
		if left == 0 {
			break
		}
		p.Text = p.Text[:min(len(p.Text), left)]
		left -= len(p.Text)
		parts = append(parts, p)
	}
	if n := len(parts) - 1; n > 0 && last && found.Filled(ext) && !found.Brings(name) {
		parts[n].From = origin.Other // "%s.sav": what stands there was put in, though it is a word of the program's
	}
	return parts, ext
}

// madeOf cuts a name at what the program does not bring: from the first such part to the
// last. What the program brings in front of it and behind it stays, with what parts it from
// the rest, such as a dash. ok is false if the program brings all of it.
func madeOf(parts []origin.Part) (before, made, after string, ok bool) {
	first, last := -1, -1
	for i, p := range parts {
		if p.From != origin.Program && strings.ContainsFunc(p.Text, inWord) {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	if first < 0 {
		return joinParts(parts), "", "", false
	}
	before, made, after = joinParts(parts[:first]), joinParts(parts[first:last+1]), joinParts(parts[last+1:])
	if brings(parts[:first]) {
		rest := strings.TrimLeftFunc(made, notInWord)
		before, made = before+strings.TrimSuffix(made, rest), rest
	} else {
		before, made = "", before+made
	}
	if brings(parts[last+1:]) {
		rest := strings.TrimRightFunc(made, notInWord)
		made, after = rest, strings.TrimPrefix(made, rest)+after
	} else {
		made, after = made+after, ""
	}
	return before, made, after, true
}

func inWord(r rune) bool    { return unicode.IsLetter(r) || unicode.IsDigit(r) }
func notInWord(r rune) bool { return !inWord(r) }

// brings reports whether the program brings one of the parts.
func brings(parts []origin.Part) bool {
	return slices.ContainsFunc(parts, func(p origin.Part) bool { return p.From == origin.Program })
}

// numberBehind takes the number off an extension of which the program brings the rest alone:
// it brings ".state" and nowhere .state1.
func numberBehind(ext string, found *origin.Result) (rest string, ok bool) {
	rest = strings.TrimRightFunc(ext, unicode.IsDigit)
	return rest, rest != ext && len(rest) > 1 && found.Brings(strings.TrimPrefix(rest, ".")) &&
		!found.Brings(strings.TrimPrefix(ext, "."))
}

// withoutNumberBehind makes such a number general, in the segment that a name became.
func withoutNumberBehind(s place.Segment, name string, slotted bool, found *origin.Result, why *[]string) place.Segment {
	n := len(s) - 1
	rest, ok := numberBehind(endOf(name, true), found)
	if !ok || !found.Conclusive() || s[n].Kind != place.Literal {
		return s
	}
	part := place.Part{Kind: place.Named, Text: "slot"}
	if slotted {
		part = place.Part{Kind: place.Any}
	}
	*why = append(*why, fmt.Sprintf("the program brings %s without the number behind it: %s", rest, place.Segment{part}))
	s = slices.Clone(s)
	s[n].Text = strings.TrimRightFunc(s[n].Text, unicode.IsDigit)
	return append(s, part)
}

// framed is what a name becomes of which a format or a template of the program's holds the
// beginning, and perhaps the end: what lies between is made at run time, also where it is a
// word of the program's. Numbers alone are left to the rules for slots.
func framed(name string, last bool, kind footprint.Kind, found *origin.Result) (s place.Segment, why string, ok bool) {
	if !found.Conclusive() || found.Brings(name) {
		return nil, "", false
	}
	stem, ext := stemOf(name, last)
	before, after, ok := found.Frame(stem, ext)
	if !ok && last && kind == footprint.Save && found.Filled(ext) {
		why = fmt.Sprintf("the program puts a text in front of %s at run time, and holds this name nowhere: {profile}", ext)
		return segmentOf("", "profile", ext), why, true
	}
	if !ok {
		return nil, "", false
	}
	made := strings.TrimSuffix(strings.TrimPrefix(stem, before), after)
	if !strings.ContainsFunc(made, unicode.IsLetter) {
		return nil, "", false
	}
	why = "the program holds a format for the name, and puts the rest into it at run time: *"
	return around(before, place.Part{Kind: place.Any}, after+ext), why, true
}

// typed reports whether a name of words with spaces between them looks like one that
// somebody typed: programs join words by other signs.
func typed(name, ext string) bool {
	return len(strings.Fields(strings.TrimSuffix(name, ext))) > 1
}

// leftOver is what a name becomes that the program makes of what it brings and of something
// short, a letter or a number, of which by itself nothing could be said: it brings
// "autosave_" and nowhere autosave_a. named is whether the location has a slot already.
func leftOver(name string, last, named bool, found *origin.Result) (s place.Segment, why string, ok bool) {
	if !found.Conclusive() || found.Brings(name) {
		return nil, "", false
	}
	parts, ext := partsOf(name, last, found)
	before, made, after, ok := madeOf(parts)
	if !ok && typed(name, ext) {
		why = fmt.Sprintf(
			"the words of the name are the program's, but the name is in none of its files (%d were searched), so somebody typed it: "+
				"{profile}", found.Files,
		)
		return segmentOf("", "profile", ext), why, true
	}
	digits := strings.ContainsFunc(made, unicode.IsDigit)
	if !ok || !brings(parts) && !digits {
		return nil, "", false
	}
	part := place.Part{Kind: place.Any}
	if digits && !named && strings.Trim(made, "0123456789") == "" {
		part = place.Part{Kind: place.Named, Text: "slot"}
	}
	why = fmt.Sprintf(
		"the name as a whole is in none of the program's files (%d were searched), only parts of it are: %s",
		found.Files, place.Segment{part},
	)
	return around(before, part, after+ext), why, true
}

func joinParts(parts []origin.Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Text)
	}
	return b.String()
}

// stemOf is a name without its extension, which only the last name of a place has.
func stemOf(name string, last bool) (stem, ext string) {
	if !last {
		return name, ""
	}
	return cutExtension(name)
}

// endOf is what stays of a name of which all else is general.
func endOf(name string, last bool) string {
	_, ext := stemOf(name, last)
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
// program's too: many accounts are called player. Where the case differs, and counts, it is
// a name that the player typed, and so it may be where others were added.
func ownedPart(
	name string, last bool, self *footprint.Self, found *origin.Result, same func(a, b string) bool,
) (s place.Segment, why string, ok bool) {
	for _, x := range []struct{ text, part, what string }{
		{self.User, "user", "the user's name"},
		{self.Inside, "user", "the user's name"},
		{self.Host, "host", "the host's name"},
	} {
		if len(x.text) < minOwned || found.Brings(x.text) {
			continue
		}
		before, after, in := cutWord(name, x.text)
		if !in {
			continue
		}
		ext := endOf(name, last)
		rest := strings.TrimSuffix(before+" "+after, ext)
		switch {
		case !ofTheTrade(rest, found) || numberOfNobody(rest, found):
			why = fmt.Sprintf("the name holds %s, and what may be the player's too: {profile}", x.what)
			return segmentOf("", "profile", ext), why, true
		case !same(name[len(before):len(name)-len(after)], x.text):
			return segmentOf(before, "profile", after), fmt.Sprintf("the name holds %s in another case: {profile}", x.what), true
		}
		return segmentOf(before, x.part, after), fmt.Sprintf("the name holds %s: {%s}", x.what, x.part), true
	}
	return nil, "", false
}

// numberOfNobody reports whether a text holds a number that is too long for a slot or a year,
// and not the program's.
func numberOfNobody(text string, found *origin.Result) bool {
	return slices.ContainsFunc(shapes().digits.FindAllString(text, -1), func(n string) bool {
		return len(n) > len("2026") && !found.Brings(n)
	})
}

// tradeWords matches those that programs put beside somebody's name.
var tradeWords = sync.OnceValue(func() *regexp.Regexp {
	words := strings.Fields(`the of a s for auto autosaves? quick quicksaves? saves? sav savegames? games? slots? profiles? players?
		users? names? hosts? accounts? characters? chars? hero(es)? settings? options? config cfg prefs? preferences graphics video
		audio sound input controls? keys bindings local machine cloud backup bak old new data state progress scores? stats`)
	return regexp.MustCompile(`(?i)^(` + strings.Join(words, "|") + `)$`)
})

// ofTheTrade reports whether each word of a text is the program's, or one that programs put
// beside somebody's name.
func ofTheTrade(text string, found *origin.Result) bool {
	for _, w := range words.Split(text) {
		if strings.ContainsFunc(w, unicode.IsLetter) && !found.Brings(w) && !tradeWords().MatchString(w) {
			return false
		}
	}
	return true
}

// minOwned is how many bytes a user's or a host's name needs to be looked for in names.
const minOwned = 3

func endsInWord(text string) bool {
	r, _ := utf8.DecodeLastRuneInString(text)
	return text != "" && inWord(r)
}

func startsInWord(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return text != "" && inWord(r)
}

// nothingFixed reports whether the first name below the anchor is a player's alone.
func nothingFixed(l place.Location) bool {
	first := l.Pattern.Segments[0]
	return len(first) == 1 && first[0].Kind == place.Named && first[0].Text == "profile"
}
