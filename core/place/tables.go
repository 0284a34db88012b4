package place

import (
	"maps"
	"slices"
)

// Tables are what the rules of narrowness look up, for other implementations of them.
// Folders are written as locations that end in a slash; where nothing stands behind the
// colon, that is the anchor's own folder.
type Tables struct {
	Anchors []TableAnchor `json:"anchors"`
	// Shared are, for each anchor, the folders below it that many programs share.
	Shared map[Anchor][]TablePlace `json:"shared"`
	// Guarded are, for each anchor, the places below it that no location may enter.
	Guarded map[Anchor][]TablePlace `json:"guarded"`
	// GuardedNames are files that are guarded wherever they lie.
	GuardedNames []TablePlace `json:"guarded_names"`
	// Alike are, for each anchor, the folders that its own can be.
	Alike map[Anchor][]string `json:"alike"`
	// Ways are folders that are, or lead to, those of another anchor.
	Ways []TableWay `json:"ways"`
}

// TableAnchor is an anchor, as far as the rules ask for it.
type TableAnchor struct {
	Name    Anchor `json:"name"`
	Folds   bool   `json:"folds"`   // names compare without regard to case on every host
	Shared  bool   `json:"shared"`  // many titles keep files side by side
	Windows bool   `json:"windows"` // it exists on Windows, whose file systems read names in more than one way
}

// TablePlace is a folder or a file.
type TablePlace struct {
	At    string `json:"at"`
	Name  string `json:"name,omitempty"`  // as a reason calls it, if that is not At
	Holds string `json:"holds,omitempty"` // what lies there, if it is guarded
}

// TableWay says that a folder is that of an anchor.
type TableWay struct {
	Outer string `json:"outer"`
	Inner Anchor `json:"inner"`
}

// RulesTables gives the tables of this version.
func RulesTables() Tables {
	t := Tables{Shared: map[Anchor][]TablePlace{}, Guarded: map[Anchor][]TablePlace{}, Alike: map[Anchor][]string{}}
	for _, d := range Definitions {
		t.Anchors = append(t.Anchors, TableAnchor{d.Anchor, d.FoldCase, d.Shared, d.Windows != ""})
		shared := guards()[d.Anchor].all()
		for _, g := range shared {
			at := Location{d.Anchor, g.folder}.String()
			t.Shared[d.Anchor] = append(t.Shared[d.Anchor], TablePlace{At: at, Name: g.name})
		}
		for _, g := range secrets()[d.Anchor].all() {
			t.Guarded[d.Anchor] = append(t.Guarded[d.Anchor], TablePlace{At: g.name + "/", Holds: g.holds})
		}
		for _, l := range alike()[d.Anchor] {
			l.Pattern.Folder = len(l.Pattern.Segments) > 0
			t.Alike[d.Anchor] = append(t.Alike[d.Anchor], l.String())
		}
	}
	for _, name := range slices.Sorted(maps.Keys(secretFiles())) {
		f := secretFiles()[name]
		t.GuardedNames = append(t.GuardedNames, TablePlace{At: f.name, Holds: f.holds})
	}
	for _, w := range waysIn() {
		w.outer.Pattern.Folder = true
		t.Ways = append(t.Ways, TableWay{w.outer.String(), w.inner})
	}
	slices.SortFunc(t.Ways, func(a, b TableWay) int {
		return slices.Compare([]string{a.Outer, string(a.Inner)}, []string{b.Outer, string(b.Inner)})
	})
	return t
}

// all gives every guard of a tree.
func (t *guardTree) all() (list []guard) {
	if t == nil {
		return nil
	}
	list = slices.Clone(t.here)
	for _, name := range slices.Sorted(maps.Keys(t.byName)) {
		list = append(list, t.byName[name].all()...)
	}
	return append(list, t.any.all()...)
}
