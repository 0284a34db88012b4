package manifest

import (
	"sort"
	"strings"

	"github.com/agnivade/levenshtein"
)

// Find returns the title with this name or id, and otherwise those whose names
// come close, the closest first, at most five.
func (m *Manifest) Find(name string) (title *Title, close []string) {
	folded, id := Fold(name), ID(name)
	type near struct {
		name     string
		distance int
	}
	var all []near
	for i := range m.Titles {
		t := &m.Titles[i]
		other := Fold(t.Name)
		if t.ID == id || other == folded {
			return t, nil
		}
		d := levenshtein.ComputeDistance(folded, other)
		if len(folded) >= 3 && strings.Contains(other, folded) {
			d = min(d, 1)
		}
		if d <= max(2, len(folded)/3) {
			all = append(all, near{t.Name, d})
		}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].distance < all[j].distance })
	for i := 0; i < len(all) && i < 5; i++ {
		close = append(close, all[i].name)
	}
	return nil, close
}
