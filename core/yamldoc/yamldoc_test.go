package yamldoc

import (
	"encoding/json"
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

func TestInvalidInput(t *testing.T) {
	for text, reason := range map[string]string{
		"name: a\nnmae: b\n":             "unknown field",
		"name: [a\n":                     "menu: line",
		"name: &a x\nnested: {b: *a}\n":  "anchors and aliases",
		"nested: &a {b: 1}\n":            "anchors and aliases",
		"dishes: eel\n":                  "menu: line 1",
		"dishes:\n  - cost: much\n":      "menu: line 2",
		strings.Repeat("#", 1<<10) + "#": "a menu has at most 1024",
		"nested: " + strings.Repeat("[", 101) + strings.Repeat("]", 101): "it is nested more than 100 levels deep",
		strings.Repeat("- ", 201) + "x\n":                                "line 1, column 201: it is nested more than 100 levels deep",
		"name: a\nname: b\n":                                             `line 2, column 1: duplicate key "name"`,
		"name: !!str a\n":                                                "YAML tags",
		"nested: {<<: {a: 1}}\n":                                         "YAML merge keys",
		"nested: {[a]: 1}\n":                                             "must be a plain text",
		"name: a\n---\nname: b\n":                                        "only one YAML document",
		"name: [a]\n":                                                    "line 1, column 7: name: expected a single value",
		"dishes: [a]\n":                                                  "dishes[0]: expected keys and values",
		"nested: x\n":                                                    "nested: expected keys and values",
		"dishes:\n  - cost: 99999999999999999999\n":                      "dishes[0].cost: \"99999999999999999999\" is not an integer",
	} {
		var m menu
		_, err := Decode("menu", []byte(text), 1<<10, &m)
		assert.ErrorContains(t, err, reason, "%.40q", text)
		var e *Error
		assert.True(t, errors.As(err, &e), "%.40q", text)
	}
}

func TestTree(t *testing.T) {
	got, err := Tree([]byte("a: 1234567890123456789\nb: [true, 'true', 0x10, 1.5, ~, x, 1_0]\n2: {deep: .inf}\n"))
	require.NoError(t, err)
	assert.Equal(t, map[string]any{
		"a": json.Number("1234567890123456789"),
		"b": []any{true, "true", json.Number("16"), json.Number("1.5"), nil, "x", "1_0"},
		"2": map[string]any{"deep": ".inf"},
	}, got)
	got, err = Tree(nil)
	require.NoError(t, err)
	assert.Nil(t, got)
	_, err = Tree([]byte("a: &x [1]\nb: *x\n"))
	assert.ErrorContains(t, err, "line 1, column 4: YAML anchors and aliases")
	_, err = Tree([]byte("a: '&x'\nb: \"*x\"\n"))
	assert.NoError(t, err, "in a text they are none")
}

// What no text holds in a strict reading is left as it is, and a word is a text where one
// is wanted.
func TestValues(t *testing.T) {
	var v struct {
		Version string         `yaml:"version"`
		On      *bool          `yaml:"on"`
		Count   *int           `yaml:"count"`
		Of      map[string]int `yaml:"of"`
		Missing []string       `yaml:"missing"`
	}
	_, err := Decode("menu", []byte("version: 1.10\non: true\ncount: -3\nof: {a: 1}\nmissing:\n"), 1<<10, &v)
	require.NoError(t, err)
	assert.Equal(t, "1.10", v.Version)
	assert.True(t, *v.On)
	assert.Equal(t, -3, *v.Count)
	assert.Equal(t, map[string]int{"a": 1}, v.Of)
	assert.Nil(t, v.Missing)
	_, err = Decode("menu", []byte("on: yes\n"), 1<<10, &v)
	assert.ErrorContains(t, err, `line 1, column 5: on: "yes" is not true or false`)
}
