package phrase

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestDurationsForPeople(t *testing.T) {
	for d, want := range map[time.Duration]string{0: "0.0 s", 9940 * time.Millisecond: "9.9 s", 31 * time.Second: "31 s", 125 * time.Second: "2 min 5 s", 3 * time.Hour: "3.0 h"} {
		assert.Equal(t, want, Duration(d))
	}
	assert.Equal(t, "1 file", Count(1, "file", "files"))
	assert.Equal(t, "12,345 files", Count(12345, "file", "files"))
	assert.Equal(t, "0 B", Size(-1))
}

// What comes from outside cannot move the terminal's cursor or hide.
func TestUntrustedTextIsEscaped(t *testing.T) {
	for text, want := range map[string]string{
		"plain é 漢\tx\n":       `plain é 漢\tx\n`,
		"\x1b[2Jgone":          `\u001B[2Jgone`,
		"a\rb":                 `a\u000Db`,
		"bad \xff byte":        `bad \xFF byte`,
		"turned \u202eround":   `turned \u202Eround`,
		"no\u200bwidth":        `no\u200Bwidth`,
		"\u0085next\u2028line": `\u0085next\u2028line`,
	} {
		assert.Equal(t, want, Visible(text), "%q", text)
	}
}

func TestATextFromRightToLeftIsIsolated(t *testing.T) {
	assert.Equal(t, "\u2068שלום\u2069", Visible("שלום"))
	assert.Equal(t, "\u2068saves of مرحبا\u2069", Visible("saves of مرحبا"))
	assert.Equal(t, "\u2068\\u2069שלום\\u202E\u2069", Visible("\u2069שלום\u202e"), "nothing in it ends its own isolation")
	assert.Equal(t, "霧の灯 é", Visible("霧の灯 é"))
}
