package place

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/standin/growth"
)

// commonByTable is the plain way to find out whether two segments have a name in common.
func commonByTable(m matcher, s, t Segment) bool {
	a, b := m.units(s), m.units(t)
	can := make([][]bool, len(a)+1)
	for i := range can {
		can[i] = make([]bool, len(b)+1)
	}
	for i := len(a); i >= 0; i-- {
		for j := len(b); j >= 0; j-- {
			switch {
			case i == len(a) && j == len(b):
				can[i][j] = true
			case i < len(a) && a[i].star:
				can[i][j] = can[i+1][j] || j < len(b) && can[i][j+1]
			case j < len(b) && b[j].star:
				can[i][j] = can[i][j+1] || i < len(a) && can[i+1][j]
			case i < len(a) && j < len(b):
				can[i][j] = (a[i].one || b[j].one || a[i].r == b[j].r) && can[i+1][j+1]
			}
		}
	}
	return can[0][0]
}

func TestCommonNames(t *testing.T) {
	part := rapid.SampledFrom([]Part{{Literal, "a"}, {Literal, "b"}, {Literal, "ab"}, {Literal, "é"}, {Literal, strings.Repeat("ab", 40)}, {Kind: Any}, {Kind: One}, {Named, "slot"}})
	segment := rapid.Custom(func(rt *rapid.T) Segment { return rapid.SliceOfN(part, 1, 12).Draw(rt, "parts") })
	rapid.Check(t, func(rt *rapid.T) {
		x, y := segment.Draw(rt, "x"), segment.Draw(rt, "y")
		m := matcher{fold: rapid.Bool().Draw(rt, "fold")}
		require.Equal(rt, commonByTable(m, x, y), m.haveCommon(x, y), "%v %v", x, y)
		require.Equal(rt, m.haveCommon(x, y), m.haveCommon(y, x))
	})
}

// The worst that two locations can be costs what their lengths do.
func TestOverlapTimeIsLinear(t *testing.T) {
	for name, unit := range map[string]string{"stars": "a*", "questions": "?a?", "deep": "**/a*/", "letters": "é*"} {
		for _, other := range []string{"a*b", "?b", "*a?", "b*a"} {
			growth.Hold(t, name+" with "+other, 300, growth.Repeat("", unit, ""), func(text []byte) {
				x, y := Segment{}, Segment{}
				for _, r := range string(text) {
					switch r {
					case '*':
						x = append(x, Part{Kind: Any})
					case '?':
						x = append(x, Part{Kind: One})
					default:
						x = append(x, Part{Literal, string(r)})
					}
				}
				for range 500 { // long against short
					y = append(y, Part{Literal, other[:1]}, Part{Kind: Any})
				}
				matcher{}.segmentsMeet(x, y)
			})
		}
	}
}

// Sixty-four of the longest locations against one another: what one draft can ask for.
func BenchmarkOverlap(b *testing.B) {
	var all []Location
	for i := range 64 {
		l, err := Parse(fmt.Sprintf("xdg-data:t/%s%d", strings.Repeat("a*", 480), i))
		require.NoError(b, err)
		all = append(all, l)
	}
	for b.Loop() {
		for i := range all {
			for j := range i {
				Overlap(all[i], all[j])
			}
		}
	}
}

func TestAlignAndFill(t *testing.T) {
	names := []string{"t", "slots", "slotANNA.sav"}
	for at, want := range map[string][]string{
		"xdg-data:t/slots/slot{slot}.sav": {"t", "slots", "slot<ANNA>.sav"},
		"xdg-data:t/**/*NA.sav":           {"t", "-", "<slotAN>NA.sav"},
		"xdg-data:t/slots/":               {"t", "slots", "-"},
		"xdg-data:t/**/slot?NNA.sav":      {"t", "-", "slotANNA.sav"},
		"xdg-data:t/*/*":                  {"t", "<slots>", "<slotANNA.sav>"},
		"xdg-data:t/slots/other.sav":      nil,
		"xdg-data:t/slots":                nil,
		"xdg-data:t/slots/slotANNA.sav/":  nil,
	} {
		l, err := ParseAny(at)
		require.NoError(t, err, at)
		segments, ok := l.Align(names)
		require.Equal(t, want != nil, ok, at)
		var got []string
		for i, s := range segments {
			text := "-"
			if s != nil {
				text = s.Fill(names[i], func(text string) string { return "<" + text + ">" })
			}
			got = append(got, text)
		}
		require.Equal(t, want, got, at)
	}
	bad := Segment{{Literal, "\xff"}, {Kind: Any}}
	require.Equal(t, "<\xffANNA>", bad.Fill("\xffANNA", func(text string) string { return "<" + text + ">" }), "what cannot be told apart is all variable")
	require.Equal(t, "<other>", Segment{{Literal, "a"}}.Fill("other", func(text string) string { return "<" + text + ">" }))
}
