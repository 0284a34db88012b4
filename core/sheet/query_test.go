package sheet

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/theory/jsonpath"
	"pgregory.net/rapid"

	"endroit/standin/growth"
)

// What a query selects is what the standard's reader selects, in the order of the ways.
func TestQueriesSelectWhatTheStandardSays(t *testing.T) {
	part := rapid.SampledFrom([]string{".a", ".b", "['c']", "[0]", "[-1]", "[*]", ".*", "[0,1]", "['a','b','a']", "[1:]", "[::-1]", "[:3:2]", "[?@.a]", "[?@.a == 1]", "[?@.b != @.a || @[0] > 2]", "[?@.a,0]", "..a", "..[*]", "..[0,'b']"})
	leaf := rapid.SampledFrom([]any{json.Number("1"), json.Number("3"), "x", true, nil})
	var tree func(depth int) *rapid.Generator[any]
	tree = func(depth int) *rapid.Generator[any] {
		if depth == 0 {
			return leaf
		}
		return rapid.OneOf(leaf,
			rapid.Custom(func(rt *rapid.T) any { return rapid.SliceOfN(tree(depth-1), 0, 4).Draw(rt, "list") }),
			rapid.Custom(func(rt *rapid.T) any {
				return rapid.MapOfN(rapid.SampledFrom([]string{"a", "b", "c"}), tree(depth-1), 0, 3).Draw(rt, "keys")
			}))
	}
	rapid.Check(t, func(rt *rapid.T) {
		root := tree(4).Draw(rt, "tree")
		query := "$" + strings.Join(rapid.SliceOfN(part, 0, 4).Draw(rt, "parts"), "")
		p, err := jsonpath.Parse(query)
		require.NoError(rt, err)
		located := p.SelectLocated(root)
		located.Sort()
		var a asking
		got := []any{}
		for _, n := range a.ask(a.parse(query), root, 1_000_000) {
			got = append(got, n.value)
		}
		require.Equal(rt, slices.Collect(located.Nodes()), append([]any(nil), got...), query)
		require.False(rt, a.over)
	})
}

// A few bytes of brackets that each take all again and again come to an end.
func TestQueriesThatMultiply(t *testing.T) {
	list := make([]any, 20)
	for i := range list {
		list[i] = []any{"x", []any{"x", []any{"x", []any{"x"}}}}
	}
	for _, query := range []string{
		"$" + strings.Repeat("[*,*,*,*,*,*]", 20),
		"$" + strings.Repeat("[0,0,0,0,0,0,0,0,0,0]", 13),
		"$..[*,*,*]" + strings.Repeat("[*,*,*,*,*,*]", 10),
	} {
		deep := any(list)
		for range 30 {
			deep = []any{deep, deep}
		}
		var a asking
		found := a.ask(a.parse(query), deep, maxNodes)
		assert.True(t, a.over || len(found) == maxNodes, query)
		assert.LessOrEqual(t, len(found), maxNodes)
		assert.LessOrEqual(t, a.steps, maxSteps+1, query)
	}
}

func TestQueryTimeIsLinearInTheTree(t *testing.T) {
	for _, query := range []string{"$..a", "$.*", "$[?@.a == 1]", "$[*].a", "$[*]['a','a']", "$[::-1]"} {
		growth.Hold(t, query, 8<<10, growth.Repeat(`[{"a":1}`, `,{"a":1}`, "]"), func(text []byte) {
			root, err := Tree("json", text)
			require.NoError(t, err)
			var a asking
			a.ask(a.parse(query), root, maxNodes)
		})
	}
}

// A sheet whose queries take too much says so, and the rest of what it finds stays.
func TestASheetThatAsksTooMuch(t *testing.T) {
	r := &reader{}
	r.asking.steps = maxSteps
	assert.Empty(t, r.one(map[string]any{"a": "x"}, "$.a"))
	r.one(map[string]any{"a": "x"}, "$.a")
	require.Len(t, r.found.Notes, 1, "it is said once")
	assert.Contains(t, r.found.Notes[0].What, fmt.Sprintf("more than %d steps", maxSteps))
}
