package content

import (
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCompareLines(t *testing.T) {
	settings := "[sound]\nvolume=80\nmusic=70\n[video]\nwidth=1280\nheight=800\n"
	for name, c := range map[string]struct {
		a, b string
		want []LineDifference
	}{
		"the same":       {settings, settings, nil},
		"a value":        {settings, strings.Replace(settings, "80\n", "8\n", 1), []LineDifference{{2, 2, []string{"volume=80"}, []string{"volume=8"}}}},
		"two values":     {settings, strings.NewReplacer("80\nm", "60\nm", "1280", "1920").Replace(settings), []LineDifference{{2, 2, []string{"volume=80"}, []string{"volume=60"}}, {5, 5, []string{"width=1280"}, []string{"width=1920"}}}},
		"a line more":    {settings, strings.Replace(settings, "[video]\n", "[video]\nvsync=1\n", 1), []LineDifference{{5, 5, []string{}, []string{"vsync=1"}}}},
		"a line less":    {settings, strings.Replace(settings, "music=70\n", "", 1), []LineDifference{{3, 3, []string{"music=70"}, []string{}}}},
		"at the end":     {settings, settings + "gamma=1\n", []LineDifference{{7, 7, []string{}, []string{"gamma=1"}}}},
		"from nothing":   {"", settings, []LineDifference{{1, 1, []string{}, strings.Split(strings.TrimSpace(settings), "\n")}}},
		"two in a line":  {"a=1 b=2 c=3\n", "a=9 b=2 c=8\n", []LineDifference{{1, 1, []string{"a=1 b=2 c=3"}, []string{"a=9 b=2 c=8"}}}},
		"no end of line": {"a=1\nb=2", "a=1\nb=3", []LineDifference{{2, 2, []string{"b=2"}, []string{"b=3"}}}},
		"CR LF":          {"a=1\r\nb=2\r\n", "a=1\r\nb=3\r\n", []LineDifference{{2, 2, []string{"b=2"}, []string{"b=3"}}}},
		"UTF-16":         {"\xff\xfea\x00\n\x00", "\xff\xfeb\x00\n\x00", []LineDifference{{1, 1, []string{"a"}, []string{"b"}}}},
	} {
		got, ok := CompareLines([]byte(c.a), []byte(c.b))
		assert.True(t, ok, name)
		assert.Equal(t, c.want, got, name)
	}
	for name, c := range map[string][2]string{
		"no text":      {"a\x00b", "a\x00c"},
		"line endings": {settings, strings.ReplaceAll(settings, "\n", "\r\n")},
		"the last end": {"a\nb\n", "a\nb"},
		"one line":     {`{"x":1` + strings.Repeat(" ", maxLine) + "}", "{}"},
		"the encoding": {"\xff\xfea\x00", "a"},
	} {
		_, ok := CompareLines([]byte(c[0]), []byte(c[1]))
		assert.False(t, ok, name)
	}
}

// Whatever was edited, what differs leads from one text to the other.
func TestLinesThatDifferRebuildTheText(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		was := make([]string, r.IntN(60))
		for i := range was {
			was[i] = strconv.Itoa(r.IntN(8)) + strings.Repeat("=x", r.IntN(3))
		}
		is := slices.Clone(was)
		for range r.IntN(6) {
			at := r.IntN(len(is) + 1)
			switch {
			case at == len(is) || r.IntN(3) == 0:
				is = slices.Insert(is, at, strconv.Itoa(r.IntN(1000)))
			case r.IntN(2) == 0:
				is = slices.Delete(is, at, at+1)
			default:
				is[at] += strconv.Itoa(r.IntN(10))
			}
		}
		text := func(lines []string) []byte {
			if len(lines) == 0 {
				return nil
			}
			return []byte(strings.Join(lines, "\n") + "\n")
		}
		list, ok := CompareLines(text(was), text(is))
		require.True(t, ok, seed)
		rebuilt, moved := slices.Clone(was), 0
		for _, d := range list {
			require.Equal(t, d.From+moved, d.To, seed)
			rebuilt = slices.Replace(rebuilt, d.To-1, d.To-1+len(d.Was), d.Is...)
			require.Equal(t, d.Was, append([]string{}, was[d.From-1:d.From-1+len(d.Was)]...), seed)
			moved += len(d.Is) - len(d.Was)
		}
		require.Equal(t, is, rebuilt, seed)
	}
}
