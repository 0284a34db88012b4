// Package origin finds where names come from: which parts of the names of files a program
// brings along, and which stand in none of its files, so that a person, an account, a
// clock or chance made them.
//
//	found, err := origin.Search(ctx, origin.Words(names), files, origin.Budget{})
//	parts := found.Name("keepers-ANNA.sav")
//
// A program writes the names that it makes from literals: "autosave.sav", or the format
// "slot%d.sav". What it got from elsewhere is no literal of it. Words are looked for in any
// case, in UTF-8 and in UTF-16 (little-endian), in files and inside zip, gzip, bzip2 and
// Zstandard. What is found stays on this machine: see Result.
package origin

import (
	"slices"
	"strings"
	"unicode"

	"endroit/core/words"
)

// MinWord is how many letters a word needs to be looked for: shorter ones stand in any
// large file by chance.
const MinWord = 3

// shortWord is up to how many letters a word counts only in a longer printable text: in
// 100 MB of random bytes a word of three letters stands about 50 times, in either case; one
// of five letters in one of 300 such files.
const shortWord = 4

// longWord is from how many letters a word counts wherever it stands: some compilers put
// texts one behind the other, with nothing between them.
const longWord = 6

// leastText is how long, in bytes, the printable text around a short word has to be.
const leastText = 12

// From says where a part of a name comes from.
type From string

// Where a part of a name can come from.
const (
	Program From = "program" // a file of the program holds it
	Other   From = "other"   // no file that was searched holds it
	Unsure  From = "unsure"  // it is too short to say, or the search was not conclusive
)

// Part is a piece of a name. The parts of a name, joined, are the name.
type Part struct {
	Text string `json:"text"`
	From From   `json:"from"`
	In   string `json:"in,omitempty"` // the path of a file that holds it
}

// Words lists what has to be looked for to tell where names come from, in lowercase: each
// name, without its extension too, and each run of its words.
func Words(names []string) []string {
	seen := map[string]bool{}
	var out []string
	add := func(text string) {
		text = strings.ToLower(text)
		if (letters(text) >= MinWord || digits(text) >= minNumber) && !seen[text] {
			seen[text] = true
			out = append(out, text)
		}
	}
	frame := func(text string) {
		if text = strings.ToLower(text); !seen[text] {
			seen[text] = true
			out = append(out, text)
		}
	}
	for _, name := range names {
		tokens := split(name)
		for at := 1; at < min(len(tokens), maxFrame); at++ {
			for _, sign := range opening(strings.Join(tokens[:at], "")) {
				frame(sign)
			}
			for _, sign := range closing(strings.Join(tokens[at:], "")) {
				frame(sign)
			}
		}
		if dot := strings.LastIndexByte(name, '.'); dot > 0 {
			for _, sign := range filling(name[dot:]) {
				frame(sign)
			}
		}
		for from := range tokens {
			for to := from + 1; to <= min(len(tokens), from+maxRun); to++ {
				add(strings.Join(tokens[from:to], ""))
			}
		}
	}
	return out
}

// maxFrame is at how many places of a name the literals of a format are looked for.
const maxFrame = 8

// opening are the texts that show that a program puts something behind a beginning: the
// format "slot_%d", the template "slot_{0}", or a literal that ends in the sign that parts
// words, "slot_".
func opening(begin string) (signs []string) {
	if letters(begin) < MinWord {
		return nil
	}
	signs = []string{begin + "%", begin + "{"}
	if strings.ContainsAny(begin[len(begin)-1:], "_-") {
		signs = append(signs, begin+"\x00", begin+`"`, begin+"'")
	}
	return signs
}

// closing are those that show that it puts something in front of an end: "%d_thumb".
func closing(end string) (signs []string) {
	if letters(end) < MinWord {
		return nil
	}
	for _, before := range []string{"%d", "%s", "%u", "1d", "2d", "3d", "4d", "}"} { // %02d too
		signs = append(signs, before+end)
	}
	return signs
}

// filling are the texts that show that a program puts a text in front of an extension:
// "%s.sav", "{name}.sav".
func filling(ext string) []string {
	if letters(ext) < MinWord {
		return nil
	}
	return []string{"%s" + ext, "}" + ext}
}

// Filled reports whether a format or a template of the program's puts a text in front of an
// extension.
func (r *Result) Filled(ext string) bool {
	return r != nil && r.holdsOne(filling(ext))
}

// holdsOne reports whether one of some texts was found.
func (r *Result) holdsOne(texts []string) bool { return slices.ContainsFunc(texts, r.Brings) }

// Frame finds the literals around the part of a name, without its extension, that a program
// makes at run time: the name begins with before and ends with after. ok is false if no
// format or template of the program's fits.
func (r *Result) Frame(stem, ext string) (before, after string, ok bool) {
	if r == nil {
		return "", "", false
	}
	tokens := split(stem)
	from := 0
	for at := min(len(tokens)-1, maxFrame-1); at > 0 && from == 0; at-- {
		if r.holdsOne(opening(strings.Join(tokens[:at], ""))) {
			from = at
		}
	}
	if from == 0 {
		return "", "", false
	}
	before = strings.Join(tokens[:from], "")
	for at := from + 1; at < len(tokens); at++ {
		if end := strings.Join(tokens[at:], ""); r.holdsOne(closing(end+ext)) || r.holdsOne(closing(end)) {
			return before, end, true
		}
	}
	return before, "", true
}

// maxRun is how many tokens a run has that is looked for as one word, at most.
const maxRun = 7

// maxTokens is how many tokens a name has at most: its last one is the rest.
const maxTokens = 24

// split cuts a name into its first tokens and the rest.
func split(name string) []string {
	tokens := words.Split(name)
	if len(tokens) > maxTokens {
		tokens = append(tokens[:maxTokens-1], strings.Join(tokens[maxTokens-1:], ""))
	}
	return tokens
}

func letters(text string) (n int) {
	for _, r := range text {
		if unicode.IsLetter(r) {
			n++
		}
	}
	return n
}

// minNumber is how many digits a number needs to be looked for.
const minNumber = 7

func digits(text string) (n int) {
	for _, r := range text {
		if unicode.IsDigit(r) {
			n++
		}
	}
	return n
}

// Brings reports whether a file of the program holds the whole of a name.
func (r *Result) Brings(name string) bool {
	if r == nil {
		return false
	}
	_, ok := r.found[strings.ToLower(name)]
	return ok
}

// Name tells where each part of a name comes from. Parts side by side that come from the
// same place are one.
func (r *Result) Name(name string) []Part {
	tokens := split(name)
	var parts []Part
	for from := 0; from < len(tokens); {
		to, part := from+1, Part{Text: tokens[from], From: Unsure}
		for end := min(len(tokens), from+maxRun); end > from; end-- {
			text := strings.Join(tokens[from:end], "")
			if in, ok := r.found[strings.ToLower(text)]; ok {
				to, part = end, Part{Text: text, From: Program, In: in}
				break
			}
		}
		// Of what was not looked for nothing can be said.
		if part.From == Unsure && r.Conclusive() && letters(part.Text) >= MinWord && r.sought[strings.ToLower(part.Text)] {
			part.From = Other
		}
		if n := len(parts); n > 0 && parts[n-1].From == part.From && parts[n-1].In == part.In {
			parts[n-1].Text += part.Text
		} else {
			parts = append(parts, part)
		}
		from = to
	}
	return parts
}

// Conclusive reports whether a word that was not found comes from elsewhere: all code could
// be searched, and a name that the program must have made itself was found. A packed
// program, or one that keeps its texts in a way of its own, holds no name at all.
func (r *Result) Conclusive() bool { return r != nil && r.expected > 0 && !r.blind }

// Expect says names that the program itself must have made, such as the title's own folder.
// It reports how many of them were found.
func (r *Result) Expect(names []string) int {
	for _, name := range names {
		for _, t := range append(split(name), name) {
			if _, ok := r.found[strings.ToLower(t)]; ok && letters(t) > shortWord-1 {
				r.expected++
				break
			}
		}
	}
	return r.expected
}
