package candidate

import (
	"slices"
	"strings"
	"unicode/utf8"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/words"
)

// maxTexts is how many cues in words of the person's own are looked at for names.
const maxTexts = 50

// plainCues are those that say what was done, and no name.
var plainCues = []string{"ready", "loaded", "saved", "changed-setting", "quit"}

// chosenInCues are the names that the person's cues say were typed: what follows the word
// chose, and, of any other text of their own, the names of files, or parts of them, that
// stand in it and that a conclusive search found nowhere in the program.
func chosenInCues(f *footprint.Footprint, found *origin.Result) (chosen []string) {
	add := func(name string) bool {
		name = strings.TrimSpace(name)
		if name != "" && !slices.Contains(chosen, name) && len(chosen) < draft.MaxNames {
			chosen = append(chosen, name)
		}
		return true
	}
	var texts []string
	for _, c := range f.Cues {
		word, name, more := strings.Cut(strings.TrimSpace(c.Word), " ")
		switch {
		case more && strings.EqualFold(word, "chose"):
			add(name)
		case !slices.Contains(plainCues, c.Word) && len(texts) < maxTexts:
			texts = append(texts, c.Word)
		}
	}
	if len(texts) == 0 || !found.Conclusive() {
		return chosen
	}
	said := func(name string) bool {
		return utf8.RuneCountInString(name) >= minOwned && !found.Brings(name) && !tradeWords().MatchString(name) &&
			slices.ContainsFunc(texts, func(text string) bool { _, _, ok := cutWord(text, name); return ok })
	}
	names, _ := Names(f)
	for _, name := range names {
		stem, _ := cutExtension(name)
		if said(stem) && add(stem) {
			continue
		}
		for _, w := range words.Split(stem) {
			if said(w) {
				add(w)
			}
		}
	}
	return chosen
}
