package manifest

import (
	"sort"
	"strings"

	"github.com/agnivade/levenshtein"
)

// Find returns the title with this name or id, and otherwise those whose names
// come close, the closest first, at most five.
func (m *Manifest) Find(name string) (title *Title, near []string) {
	folded, id := Fold(name), ID(name)
	n := NewNearest(name)
	for i := range m.Titles {
		t := &m.Titles[i]
		other := Fold(t.Name)
		if t.ID == id || other == folded {
			return t, nil
		}
		n.Add(t.Name, other)
	}
	return nil, n.Names()
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
