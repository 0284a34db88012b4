package sheet

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"github.com/theory/jsonpath"
	"github.com/theory/jsonpath/spec"
)

// asking evaluates the queries of one reading, and counts its steps: a query in which
// every part takes all several times multiplies with each part, however short it is.
type asking struct {
	paths map[string]*asked // by their text
	steps int
	over  bool // maxSteps were taken: nothing more is found
}

// maxSteps bounds what the queries of a reading do in all: a node that is looked at is a
// step. What the bounds of files allow is a hundredth of it where each is asked once.
const maxSteps = 50_000_000

// asked is a query that was parsed.
type asked struct {
	segments []*spec.Segment
	singular bool // it selects one at most
	cost     int  // of a filter, beside one
}

// node is what a query selects, with the way to it: names and positions.
type node struct {
	value any
	way   []any
}

// parse reads a query once, however many files are asked; nil if there is none.
func (a *asking) parse(query string) *asked {
	if query == "" {
		return nil
	}
	q, known := a.paths[query]
	if !known {
		if p, err := jsonpath.Parse(query); err == nil { // a checked sheet has no other
			q = &asked{p.Query().Segments(), p.Query().Singular() != nil, len(query) / 8}
		}
		if a.paths == nil {
			a.paths = map[string]*asked{}
		}
		a.paths[query] = q
	}
	return q
}

// ask gives what a query selects in a tree, at most so many nodes, in the order of their
// ways: an object has none of its own.
func (a *asking) ask(q *asked, tree any, most int) []node {
	var found []node
	way := make([]any, 0, maxDepth)
	var from func(value any, segments []*spec.Segment) bool
	// child goes on with one child, and reports whether to go on at all.
	child := func(key, value any, segments []*spec.Segment) bool {
		way = append(way, key)
		ok := from(value, segments)
		way = way[:len(way)-1]
		return ok
	}
	from = func(value any, segments []*spec.Segment) bool {
		if a.steps++; a.steps > maxSteps {
			a.over = true
			return false
		}
		if len(segments) == 0 {
			n := node{value: value}
			if !q.singular {
				n.way = slices.Clone(way)
			}
			found = append(found, n)
			return len(found) < most
		}
		s, rest := segments[0], segments[1:]
		for _, x := range s.Selectors() {
			if !a.selected(x, value, tree, q.cost, func(key, v any) bool { return child(key, v, rest) }) {
				return false
			}
		}
		if !s.IsDescendant() {
			return true
		}
		return children(value, func(key, v any) bool { return child(key, v, segments) })
	}
	from(tree, q.segments)
	if !q.singular {
		slices.SortStableFunc(found, func(x, y node) int { return slices.CompareFunc(x.way, y.way, compareKeys) })
	}
	return found
}

// selected calls do for the children that one selector of RFC 9535 takes, until it says
// that it is enough.
func (a *asking) selected(x spec.Selector, value, root any, cost int, do func(key, v any) bool) bool {
	switch x := x.(type) {
	case spec.Name:
		if m, ok := value.(map[string]any); ok {
			if v, ok := m[string(x)]; ok {
				return do(string(x), v)
			}
		}
	case spec.Index:
		if list, ok := value.([]any); ok {
			i := int(x)
			if i < 0 {
				i += len(list)
			}
			if i >= 0 && i < len(list) {
				return do(i, list[i])
			}
		}
	case spec.SliceSelector:
		if list, ok := value.([]any); ok {
			lower, upper := x.Bounds(len(list))
			if step := x.Step(); step > 0 {
				for i := lower; i < upper; i += step {
					if !do(i, list[i]) {
						return false
					}
				}
			} else if step < 0 {
				for i := upper; i > lower; i += step {
					if !do(i, list[i]) {
						return false
					}
				}
			}
		}
	case spec.WildcardSelector:
		return children(value, do)
	case *spec.FilterSelector:
		return children(value, func(key, v any) bool {
			if a.steps += 1 + cost; a.steps > maxSteps {
				a.over = true
				return false
			}
			return !x.Eval(v, root) || do(key, v)
		})
	}
	return true
}

// children calls do for each child, in the order of names and positions.
func children(value any, do func(key, v any) bool) bool {
	switch t := value.(type) {
	case map[string]any:
		for _, k := range slices.Sorted(maps.Keys(t)) {
			if !do(k, t[k]) {
				return false
			}
		}
	case []any:
		for i, v := range t {
			if !do(i, v) {
				return false
			}
		}
	}
	return true
}

// compareKeys orders positions before names, as they never stand beside each other.
func compareKeys(a, b any) int {
	i, isIndex := a.(int)
	j, other := b.(int)
	switch {
	case isIndex && other:
		return cmp.Compare(i, j)
	case isIndex:
		return -1
	case other:
		return 1
	}
	return strings.Compare(a.(string), b.(string))
}
