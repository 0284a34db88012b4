package yamldoc

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type menu struct {
	Name   string `yaml:"name"`
	Dishes []struct {
		Dish string `yaml:"dish"`
		Cost int    `yaml:"cost"`
	} `yaml:"dishes"`
	Nested map[string]any `yaml:"nested"`
}

func TestAFieldIsFoundInTheText(t *testing.T) {
	var m menu
	doc, err := Decode("menu", []byte("# today\nname: Larder\ndishes:\n  - dish: eel\n    cost: 3\n  - dish: reed soup\nx-mine: kept\n"), 1<<10, &m)
	require.NoError(t, err)
	assert.Equal(t, "reed soup", m.Dishes[1].Dish)
	for field, want := range map[string][2]int{"name": {2, 7}, "dishes[0].cost": {5, 11}, "dishes[1].dish": {6, 11}, "dishes[1].cost": {6, 5}, "nowhere": {1, 1}, "": {1, 1}} {
		var e *Error
		require.ErrorAs(t, doc.At(&Error{What: "menu", Field: field, Reason: "it is too dear"}), &e)
		if field == "dishes[1].cost" { // it is not there: its parent is meant
			assert.Equal(t, 6, e.Line, field)
			continue
		}
		assert.Equal(t, want, [2]int{e.Line, e.Column}, field)
	}
	assert.Equal(t, "menu: line 2, column 7: name: it is too dear", doc.At(&Error{What: "menu", Field: "name", Reason: "it is too dear"}).Error())
	assert.Equal(t, "menu: it has no end", (&Error{What: "menu", Reason: "it has no end"}).Error())
}

func TestWhatIsRefused(t *testing.T) {
	for text, reason := range map[string]string{
		"name: a\nnmae: b\n":                  "unknown field",
		"name: [a\n":                          "menu: line",
		"name: &a x\nnested: {b: *a}\n":       "anchors and aliases",
		"nested: &a {b: 1}\n":                 "anchors and aliases",
		"dishes: eel\n":                       "menu: line 1",
		"dishes:\n  - cost: much\n":           "menu: line 2",
		strings.Repeat("#", 1<<10) + "#":      "a menu has at most 1024",
		"nested: " + strings.Repeat("[", 201): "nested deeper than 200 levels",
		strings.Repeat("- ", 201) + "x\n":     "nested deeper than 200 levels",
	} {
		var m menu
		_, err := Decode("menu", []byte(text), 1<<10, &m)
		assert.ErrorContains(t, err, reason, "%.40q", text)
		var e *Error
		assert.True(t, errors.As(err, &e), "%.40q", text)
	}
}

func TestWhatIsNestedDeepIsSeenAtOnce(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		deep bool
	}{
		"brackets":           {strings.Repeat("{a: ", 201), true},
		"closed brackets":    {strings.Repeat("[]", 5000), false},
		"more closed":        {strings.Repeat("]", 5000), false},
		"marks in one line":  {strings.Repeat("- ", 201) + "a", true},
		"marks in many":      {strings.Repeat("- a\n", 5000), false},
		"marks in a text":    {"a: " + strings.Repeat("- ", 300), false},
		"parts of a key":     {strings.Repeat("a.", 201) + "b = 1", true},
		"dots in a value":    {"a = \"" + strings.Repeat("a.", 300) + "\"", false},
		"a row of questions": {strings.Repeat("? ", 201) + "a", true},
		"nothing":            {"", false},
	} {
		assert.Equal(t, c.deep, TooDeep([]byte(c.text)), name)
	}
}

func TestAliasesAreSeen(t *testing.T) {
	assert.True(t, Aliases([]byte("a: &x [1]\nb: *x\n")))
	assert.True(t, Aliases([]byte("---\na: 1\n---\nb: &x 2\n")), "in any document")
	assert.False(t, Aliases([]byte("a: '&x'\nb: \"*x\"\n")), "in a text they are none")
	assert.False(t, Aliases([]byte("a: [")), "whoever reads it says what is wrong")
	assert.False(t, Aliases(nil))
}
