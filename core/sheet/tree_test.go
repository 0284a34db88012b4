package sheet

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"github.com/stretchr/testify/require"

	"endroit/standin/growth"
)

func TestEveryFormatComesToOneTree(t *testing.T) {
	for name, c := range map[string]struct{ as, text, want string }{
		"json":               {"json", `{"a": [1, "b"], "ref": 9007199254740993}`, `{"a": [1, "b"], "ref": 9007199254740993}`},
		"json with a mark":   {"json", "\xef\xbb\xbf{}", `{}`},
		"json in UTF-16":     {"json", "\xff\xfe{\x00}\x00", `{}`},
		"json, big-endian":   {"json", "\xfe\xff\x00{\x00}", `{}`},
		"yaml":               {"yaml", "a:\n  - b: 1\n7: x\n", `{"a": [{"b": 1}], "7": "x"}`},
		"toml":               {"toml", "[[title]]\nref = \"7\"\n[[title]]\nref = \"8\"\n", `{"title": [{"ref": "7"}, {"ref": "8"}]}`},
		"ini":                {"ini", "top=1\n[library]\npath = /games\nname=a;b\n", `{"": {"top": "1"}, "library": {"path": "/games", "name": "a;b"}}`},
		"xml":                {"xml", `<titles v="2"><title ref="7">Tide &amp; wrack</title><title ref="8"/></titles>`, `{"titles": [{"@v": "2", "title": [{"@ref": "7", "#text": "Tide & wrack"}, {"@ref": "8"}]}]}`},
		"nested text":        {"nested-text", "\"library\"\n{\n\t\"path\"\t\"/games\\\\x\"\n \"titles\" { \"7\" \"yes\" }\n}\n", `{"library": {"path": "/games\\x", "titles": {"7": "yes"}}}`},
		"nested, twice":      {"nested-text", `"l" {"p" "1"} "l" {"p" "2"} "l" "3"`, `{"l": [{"p": "1"}, {"p": "2"}, "3"]}`},
		"nested, nothing":    {"nested-text", " \n", `{}`},
		"hive":               {"hive", "WINE REGISTRY Version 2\n[Software\\\\Tide] 1\n\"Path\"=\"C:\\\\Tide\"\n\"N\"=dword:0000000a\n[Software\\\\Tide\\\\Sub] 1\n", `{"Software": {"Tide": {"#values": {"Path": "C:\\Tide", "N": 10}, "Sub": {"#values": {}}}}}`},
		"ini with CR and LF": {"ini", "[a]\r\nb=c\r\n", `{"": {}, "a": {"b": "c"}}`},
	} {
		tree, err := Tree(c.as, []byte(c.text))
		require.NoError(t, err, name)
		got, err := json.Marshal(tree)
		require.NoError(t, err, name)
		want := c.want
		if c.as == "ini" && !strings.Contains(want, `"":`) {
			want = strings.Replace(want, "{", `{"": {}, `, 1)
		}
		assert.JSONEq(t, want, string(got), name)
	}
}

func TestUnexpectedFileTypes(t *testing.T) {
	deep := strings.Repeat(`{"a":`, 70) + "1" + strings.Repeat("}", 70)
	for _, c := range []struct{ as, text, says string }{
		{"parchment", "", "the formats are hive, ini, json"},
		{"json", `{"a": `, "not json"},
		{"json", `{} {}`, "there is data after the value"},
		{"json", deep, "nested more than 64 levels deep"},
		{"json", "\xff\xfe{", "odd number"},
		{"yaml", "a: [", "not yaml"},
		{"yaml", "a: &x [1]\nb: [*x, *x]", "anchors and aliases"},
		{"toml", "a = ", "not toml"},
		{"ini", "[a\nb=c", "not ini"},
		{"xml", "<a><b></a>", "not xml"},
		{"xml", "", "no element"},
		{"xml", strings.Repeat("<a>", 100), "nested more than 64 levels deep"},
		{"xml", `<?xml version="1.0" encoding="parchment"?><a/>`, "UTF-16"},
		{"hive", "regf", "not hive"},
		{"nested-text", `"a" { "b" "c"`, `line 1: "a": a } is missing at its end`},
		{"nested-text", "\"a\" \"b\"\n}", "line 2: a } without"},
		{"nested-text", "\"a\"\n\n\"b\" c", "line 3"},
		{"nested-text", `"a" "b`, "closing quote"},
		{"nested-text", `"a`, "closing quote"},
		{"nested-text", `a "b"`, "'a' instead of a quoted text"},
		{"nested-text", strings.Repeat(`"a"{`, 100), "nested more than 64 levels deep"},
	} {
		_, err := Tree(c.as, []byte(c.text))
		assert.ErrorContains(t, err, c.says, "%s %.30q", c.as, c.text)
	}
	for as, size := range map[string]int{"json": MaxFile, "yaml": 2 << 20, "toml": 4 << 20} {
		_, err := Tree(as, make([]byte, size+1))
		assert.ErrorContains(t, err, "of "+as+" at most")
	}
	_, err := Tree("hive", []byte("WINE REGISTRY Version 2\n"+strings.Repeat("[a] 1\n", 10)))
	assert.NoError(t, err, "one key again and again is one")
	_, err = Tree("hive", growth.Repeat("WINE REGISTRY Version 2\n", "[{n}]\n", "")(9<<20))
	assert.ErrorContains(t, err, "more than 1048576 keys")
	_, err = Tree("hive", []byte("WINE REGISTRY Version 2\n["+strings.Repeat(`a\\`, 70)+"b] 1\n"))
	assert.ErrorContains(t, err, "deeper than 64 levels")
}

func FuzzTree(f *testing.F) {
	for _, as := range Formats() {
		for _, text := range []string{`{"a":[1]}`, "a: 1", "[a]\nb=1", "<a b='c'>d</a>", `"a" { "b" "c" }`, "WINE REGISTRY Version 2\n[a] 1\n"} {
			f.Add(as, []byte(text))
		}
	}
	f.Fuzz(func(t *testing.T, as string, data []byte) {
		tree, err := Tree(as, data)
		if err == nil && deeper(tree, maxDepth) {
			t.Fatal("a tree that is too deep")
		}
	})
}

// What is nested deep, or has a key of many parts, ends at once.
func TestDeepNestingIsRefusedQuickly(t *testing.T) {
	const n = 1 << 20
	for name, c := range map[string]struct{ as, text string }{
		"lists":             {"yaml", strings.Repeat("[", n)},
		"list marks":        {"yaml", strings.Repeat("- ", n)},
		"objects":           {"yaml", strings.Repeat("{a: ", n)},
		"keys of keys":      {"yaml", strings.Repeat("? ", n)},
		"arrays":            {"toml", "a=" + strings.Repeat("[", n)},
		"inline tables":     {"toml", "a=" + strings.Repeat("{a=", n)},
		"a dotted header":   {"toml", "[" + strings.Repeat("a.", n) + "a]"},
		"a dotted key":      {"toml", strings.Repeat("a.", n) + "a=1"},
		"JSON":              {"json", strings.Repeat("[", n)},
		"XML":               {"xml", strings.Repeat("<a>", n)},
		"nested text":       {"nested-text", strings.Repeat(`"a"{`, n)},
		"a hive's long key": {"hive", "WINE REGISTRY Version 2\n[" + strings.Repeat(`a\\`, n) + "] 1\n"},
	} {
		_, err := Tree(c.as, []byte(c.text))
		assert.Error(t, err, name)
	}
	text := "a: 'x" + strings.Repeat(".", 500) + "'\nb: [1, [2]]\n" + strings.Repeat("- x\n", 0)
	_, err := Tree("yaml", []byte(text))
	assert.NoError(t, err, "dots in a value are no key")
}

func TestDeepTOMLIsRefusedQuickly(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		deep bool
	}{
		"brackets":        {strings.Repeat("{a: ", 201), true},
		"closed brackets": {strings.Repeat("[]", 5000), false},
		"more closed":     {strings.Repeat("]", 5000), false},
		"parts of a key":  {strings.Repeat("a.", 201) + "b = 1", true},
		"dots in a value": {"a = \"" + strings.Repeat("a.", 300) + "\"", false},
		"nothing":         {"", false},
	} {
		assert.Equal(t, c.deep, tooDeep([]byte(c.text)), name)
	}
}
