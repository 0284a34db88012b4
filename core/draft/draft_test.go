package draft

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

const good = `format: endroit/draft/1
title: Tidewrack
edition:
  store: quayside
  ref: "418820"
os: linux
runtime: native
locations:
  - at: xdg-data:tidewrack/slots/slot{slot}.sav
    holds: save
  - at: xdg-config:tidewrack/settings.ini
    holds: config
`

func TestMistakesAreFoundWhereTheyStand(t *testing.T) {
	_, err := Parse([]byte(good))
	require.NoError(t, err)
	for _, c := range []struct {
		old, new string
		line     int
		reason   string
	}{
		{"title: Tidewrack", "titel: Tidewrack", 2, `unknown field "titel"`},
		{"title: Tidewrack", "title: ''", 2, "missing"},
		{"draft/1", "draft/9", 1, "reads endroit/draft/1"},
		{"xdg-data:tidewrack/slots/slot{slot}.sav", "xdg-data:../x", 9, "is not allowed in a path"},
		{"xdg-data:tidewrack/slots/slot{slot}.sav", "/home/mira/x", 9, "no colon"},
		{"xdg-config:tidewrack/settings.ini", "home:.config/", 11, "reaches too far"},
		{"xdg-config:tidewrack/settings.ini", "home:**/x", 11, "reaches too far"},
		{"holds: config", "holds: settings", 12, "it must be save (progress), config (settings) or capture (pictures)"},
		{"xdg-config:tidewrack/settings.ini", "xdg-data:tidewrack/slots/slot{slot}.sav", 11, "it is the same as locations[0]"},
		{"os: linux", "os: beos", 6, "it must be linux, windows or macos"},
		{"  - at: xdg-data", "  - at xdg-data", 10, "mapping values are not allowed"},
		{"title: Tidewrack", "title: &a Tidewrack", 2, "anchors and aliases"},
		{"title: Tidewrack", "title: \"Tide\\e[2J\"", 2, "it contains an invisible or unprintable character"},
	} {
		_, err := Parse([]byte(strings.Replace(good, c.old, c.new, 1)))
		var e *Error
		if assert.ErrorAs(t, err, &e, c.new) {
			assert.Equal(t, c.line, e.Line, "%s: %v", c.new, e)
			assert.Contains(t, e.Reason, c.reason, c.new)
		}
	}
	_, err = Parse([]byte(good + "x-mine: 1\n"))
	assert.NoError(t, err, "somebody's own key")
	_, err = Parse([]byte(strings.Split(good, "locations:")[0]))
	assert.ErrorContains(t, err, "at least one")
	_, err = Parse(make([]byte, MaxBytes+1))
	assert.ErrorContains(t, err, "at most")
}

func TestTextIsReadBackTheSame(t *testing.T) {
	d := &Draft{Format: Format, Title: "Ninefold: Orchard #2", Edition: &trace.Edition{Store: "larder", Ref: "007"}, OS: "linux", Runtime: "native",
		Locations: []Location{{At: "xdg-data:%20 x/{account}/*.sav", Holds: Save, Why: []string{"a: b"}, Seen: []string{"- x"}}},
		Questions: []Question{{Ask: "is it? #1", Topic: TopicKind, Of: []string{"xdg-data:x/a"}, Answers: AnswersTo(TopicKind)}}, Note: "two\nlines"}
	text, err := d.Text()
	require.NoError(t, err)
	again, err := Parse(text)
	require.NoError(t, err, string(text))
	assert.Equal(t, d, again)
	assert.Contains(t, string(text), "# A draft")
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(good))
	f.Fuzz(func(t *testing.T, data []byte) {
		if d, err := Parse(data); err == nil {
			require.NoError(t, d.Check())
		}
	})
}
