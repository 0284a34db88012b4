package manifest

import (
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/agnivade/levenshtein"
	"golang.org/x/text/cases"
	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// Fold brings a name to the form in which names are compared: without case, accents and
// double spaces.
func Fold(name string) string {
	if ascii(name) { // as most are; the tables of Unicode take their time
		return strings.Join(strings.Fields(strings.ToLower(name)), " ")
	}
	t := transform.Chain(norm.NFKD, runes.Remove(runes.In(unicode.Mn)), norm.NFKC)
	plain, _, err := transform.String(t, name)
	if err != nil {
		plain = name
	}
	return strings.Join(strings.Fields(cases.Fold().String(plain)), " ")
}

func ascii(text string) bool {
	return !strings.ContainsFunc(text, func(r rune) bool { return r >= utf8.RuneSelf })
}

var apostrophes = strings.NewReplacer("'", "", "’", "")

// Plain is a folded name without punctuation: the letters and digits of any script, with a
// hyphen between words. People leave punctuation out when they write a name; it does not
// tell two titles apart ("C Tale", "C++ Tale").
func Plain(name string) string {
	words := strings.FieldsFunc(Fold(apostrophes.Replace(name)), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	})
	return strings.Join(words, "-")
}

// AllNames are a title's name and its other names.
func (t *Title) AllNames() []string {
	all := []string{t.Name}
	for _, n := range t.Names {
		all = append(all, n.Name)
	}
	return all
}

// Named reports whether a text is one of a title's names, when both are folded.
func (t *Title) Named(text string) bool {
	folded := Fold(text)
	for _, n := range t.AllNames() {
		if Fold(n) == folded {
			return true
		}
	}
	return false
}

// Nearest gathers the names that come close to one.
type Nearest struct {
	folded string
	all    []near
}

type near struct {
	name     string
	distance int
}

// NewNearest begins with the name that is looked for.
func NewNearest(name string) *Nearest { return &Nearest{folded: Fold(name)} }

// Add looks at one more name, and its folded form.
func (n *Nearest) Add(name, folded string) {
	limit := max(2, len(n.folded)/3)
	d := limit + 1
	if abs := len(folded) - len(n.folded); abs <= limit && -abs <= limit { // else it cannot come close
		d = levenshtein.ComputeDistance(n.folded, folded)
	}
	if len(n.folded) >= 3 && strings.Contains(folded, n.folded) {
		d = min(d, 1)
	}
	if d <= limit {
		n.all = append(n.all, near{name, d})
	}
}

// Names are the closest, at most five.
func (n *Nearest) Names() (names []string) {
	sort.SliceStable(n.all, func(i, j int) bool { return n.all[i].distance < n.all[j].distance })
	for i := 0; i < len(n.all) && i < 5; i++ {
		names = append(names, n.all[i].name)
	}
	return names
}
