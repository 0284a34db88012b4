package sheet

import (
	"strings"
	"testing"

	"endroit/standin/growth"
)

// The worst that is known of each reader of launchers' files, at two sizes.
func TestReaderTimeIsLinear(t *testing.T) {
	const hive = "WINE REGISTRY Version 2\n"
	for name, c := range map[string]struct {
		as    string
		input growth.Input
	}{
		"INI keys":                  {"ini", growth.Repeat("[a]\n", "k{n}=v\n", "")},
		"INI keys of one name":      {"ini", growth.Repeat("[a]\n", "k=v\n", "")},
		"INI sections":              {"ini", growth.Repeat("", "[s{n}]\n", "")},
		"INI continued lines":       {"ini", growth.Repeat("a=", "x\\\n", "")},
		"INI quotes":                {"ini", growth.Repeat("a=\"", "x\n\"", "")},
		"YAML keys":                 {"yaml", growth.Repeat("", "k{n}: v\n", "")},
		"YAML keys in braces":       {"yaml", growth.Repeat("{", "k{n}: v, ", "}")},
		"YAML documents":            {"yaml", growth.Repeat("", "---\n", "")},
		"YAML anchors":              {"yaml", growth.Repeat("", "- &a{n} x\n", "")},
		"YAML quotes":               {"yaml", growth.Repeat("'", "''", "'")},
		"YAML texts in quotes":      {"yaml", growth.Repeat("", "- 'x'\n", "")},
		"YAML quotes that stay":     {"yaml", growth.Repeat("\"", "\\\"\n", "")},
		"YAML comments":             {"yaml", growth.Repeat("", "#\n", "a: 1")},
		"YAML comments and braces":  {"yaml", growth.Repeat("", "#\n{", "")},
		"YAML folded lines":         {"yaml", growth.Repeat("a: >\n", " x\n", "")},
		"YAML lists in one line":    {"yaml", growth.Repeat("[", "a,", "]")},
		"TOML keys":                 {"toml", growth.Repeat("", "k{n} = 1\n", "")},
		"TOML tables":               {"toml", growth.Repeat("", "[t{n}]\n", "")},
		"TOML tables below one":     {"toml", growth.Repeat("", "[a.t{n}]\n", "")},
		"TOML rows":                 {"toml", growth.Repeat("", "[[a]]\n", "")},
		"TOML list":                 {"toml", growth.Repeat("a = [", "1,", "]")},
		"TOML list over lines":      {"toml", growth.Repeat("a = [", "1,\n", "]")},
		"XML comments":              {"xml", growth.Repeat("<a>", "x<!-- y -->", "</a>")},
		"XML elements":              {"xml", growth.Repeat("<a>", "<b/>", "</a>")},
		"XML elements of all names": {"xml", growth.Repeat("<a>", "<b{n}/>", "</a>")},
		"XML attributes":            {"xml", growth.Repeat("<a ", "b{n}='c' ", "/>")},
		"XML name spaces":           {"xml", growth.Repeat("<a ", "xmlns:b{n}='c' ", "/>")},
		"XML entities":              {"xml", growth.Repeat("<a>", "&lt;", "</a>")},
		"JSON keys":                 {"json", growth.Repeat("{\"a\":1", ",\"k{n}\":1", "}")},
		"JSON escapes":              {"json", growth.Repeat("\"", `\u00e9`, "\"")},
		"nested keys":               {"nested-text", growth.Repeat("", "\"k{n}\" \"v\"\n", "")},
		"nested keys of one name":   {"nested-text", growth.Repeat("", "\"k\" \"v\"\n", "")},
		"nested escapes":            {"nested-text", growth.Repeat("\"", `\n`, "\" \"v\"")},
		"hive keys":                 {"hive", growth.Repeat(hive, "[k{n}] 1\n", "")},
		"hive keys below a key":     {"hive", growth.Repeat(hive, "["+strings.Repeat(`a\\`, 50)+"k{n}] 1\n", "")},
		"hive values":               {"hive", growth.Repeat(hive+"[k]\n", "\"v{n}\"=\"x\"\n", "")},
		"hive continued bytes":      {"hive", growth.Repeat(hive+"[k]\n\"v\"=hex:", "00,\\\n", "00\n")},
		"hive without an end":       {"hive", growth.Repeat(hive+"[k]\n\"v\"=\"", "x", "")},
	} {
		growth.Hold(t, name, 8<<10, c.input, func(text []byte) { _, _ = Tree(c.as, text) })
	}
}

func TestSearchForSuperlinearInput(t *testing.T) {
	for as, alphabet := range map[string][]string{
		"yaml":        {"a", ":", ": ", "-", "- ", "?", " ", "\n", "\"", "'", "[", "]", "{", "}", ",", "#", "&a ", "*a", "!", "%", "|", ">", "\\", "---\n", "...\n", "\t", "\n ", "é"},
		"toml":        {"a", " = ", "1", "\n", "\"", "'", "\"\"\"", "'''", "[", "]", "[[", "{", "}", ",", "#", ".", "\\", "2026-01-01", "e"},
		"ini":         {"a", "=", "\n", "[", "]", "\"", "'", ";", "#", "\\", " ", ":"},
		"xml":         {"a", "<a>", "</a>", "<", ">", "&", ";", "\"", "'", "=", "<!--", "-->", "<![CDATA[", "]]>", "<?a", "?>", "<!DOCTYPE ", "[", "xmlns:a", "/"},
		"json":        {"1", "\"a\"", ":", ",", "[", "]", "{", "}", "\\", "\"", "e", "-", ".", " ", "null"},
		"nested-text": {"\"a\"", "{", "}", "\"", "\\", "\n", " "},
		"hive":        {"WINE REGISTRY Version 2\n", "[", "]", "a", "\\", "\"", "=", "hex:", "00,", "\n", "dword:", "str(", "@", "#", ";"},
	} {
		t.Run(as, func(t *testing.T) {
			growth.Hunt(t, 2<<10, alphabet, func(text []byte) { _, _ = Tree(as, text) })
		})
	}
}
