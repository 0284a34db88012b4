package content

import (
	"bytes"
	"math/rand/v2"
	"testing"
	"time"

	"endroit/standin/growth"
)

func randomBytes(n int) []byte {
	r, out := rand.New(rand.NewPCG(1, 1)), make([]byte, n)
	for i := range out {
		out[i] = byte(r.Uint32())
	}
	return out
}

func TestExamineTimeIsLinear(t *testing.T) {
	examine := func(data []byte) { Examine(data, time.Unix(1_700_000_000, 0)) }
	inputs := map[string]growth.Input{
		"zeros":          func(n int) []byte { return make([]byte, n) },
		"random":         randomBytes,
		"one text":       growth.Repeat("", "a", ""),
		"texts":          growth.Repeat("", "abcd\x00", ""),
		"texts of 16":    growth.Repeat("", "a\x00b\x00c\x00d\x00\x00\x00", ""),
		"heads of gzip":  growth.Repeat("", "\x1f\x8b\x08\x00", ""),
		"heads of zip":   growth.Repeat("", "PK\x03\x04", ""),
		"heads of zlib":  growth.Repeat("", "\x78\x9c", ""),
		"heads of zstd":  growth.Repeat("", "\x28\xb5\x2f\xfd", ""),
		"heads of lz4":   growth.Repeat("", "\x04\x22\x4d\x18", ""),
		"heads of a png": growth.Repeat("", "\x89PNG\r\n\x1a\n", ""),
		"numbers":        growth.Repeat("", "\x00\x01\x00\x00", ""),
		"times":          growth.Repeat("", "\x00\xf1\x53\x65", ""),
		"lengths":        growth.Repeat("", "\x04\x00\x00\x00abcd", ""),
		"braces":         growth.Repeat("", "{\"a\":", ""),
		"angle brackets": growth.Repeat("", "<a>", ""),
	}
	for name, input := range inputs {
		growth.Hold(t, name, 8<<10, input, examine)
		growth.Hold(t, name+", its sums", 1<<10, input, func(data []byte) { FindSums(data, SumOptions{}) })
	}
	growth.Hunt(t, 2<<10, []string{"\x00", "\xff", "a", "\x1f\x8b\x08", "\x78\x9c", "PK\x03\x04", "\x28\xb5\x2f\xfd", "BZh9", "\x04\x00\x00\x00", "{", "<", "\n"}, examine)
}

func TestCompareTimeIsLinear(t *testing.T) {
	for name, other := range map[string]func([]byte) []byte{
		"the same":     bytes.Clone,
		"one inserted": func(b []byte) []byte { return append([]byte{1}, b...) },
		"backwards": func(b []byte) []byte {
			c := bytes.Clone(b)
			for i := range c {
				c[i] = b[len(b)-1-i]
			}
			return c
		},
		"every second": func(b []byte) []byte {
			c := bytes.Clone(b)
			for i := 0; i < len(c); i += 2 {
				c[i]++
			}
			return c
		},
		"every seventh": func(b []byte) []byte {
			c := bytes.Clone(b)
			for i := 0; i < len(c); i += 7 {
				c[i]++
			}
			return c
		},
		"halves swapped": func(b []byte) []byte { return append(bytes.Clone(b[len(b)/2:]), b[:len(b)/2]...) },
		"blocks mixed": func(b []byte) []byte {
			c := make([]byte, 0, len(b))
			for _, i := range rand.New(rand.NewPCG(2, 2)).Perm(len(b) / 100) {
				c = append(c, b[i*100:i*100+100]...)
			}
			return c
		},
	} {
		for kind, input := range map[string]growth.Input{"random": randomBytes, "periods": growth.Repeat("", "abcdefg{n}", ""), "zeros": func(n int) []byte { return make([]byte, n) }, "two alike": growth.Repeat("", "ab", "")} {
			growth.Hold(t, kind+", "+name, 8<<10, input, func(data []byte) { Compare(data, other(data)) })
		}
	}
}
