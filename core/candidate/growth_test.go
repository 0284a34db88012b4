package candidate

import (
	"bytes"
	"fmt"
	"testing"

	"github.com/klauspost/compress/zstd"

	"endroit/core/footprint"
	"endroit/core/trace"
	"endroit/standin/growth"
)

// A trace's cost grows with it, whatever its lines are.
func TestJudgeTimeIsLinear(t *testing.T) {
	z, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	if err != nil {
		t.Fatal(err)
	}
	const native, prefixed = `{"format":"endroit/trace/1","runtime":"native","os":"linux","home":"/h"}` + "\n",
		`{"format":"endroit/trace/1","runtime":"prefix","os":"linux","prefix":{"folder":"/p","user":"u"}}` + "\n"
	limits := trace.DefaultLimits
	limits.Ratio = 0 // what is written below is monotonous
	read := func(text []byte) {
		r, err := trace.NewReader(bytes.NewReader(z.EncodeAll(text, nil)), limits)
		if err != nil {
			t.Fatal(err)
		}
		f, err := footprint.FromTrace(r)
		if err != nil {
			t.Fatal(err)
		}
		Propose(f, nil)
		if _, err := Compare([]*footprint.Footprint{f, f}); err != nil {
			t.Fatal(err)
		}
	}
	lines := func(head string, line func(b *bytes.Buffer, i int)) growth.Input {
		return func(n int) []byte {
			b := bytes.NewBufferString(head)
			for i := 1; b.Len() < n; i++ {
				line(b, i)
			}
			return b.Bytes()
		}
	}
	file := func(path string) func(b *bytes.Buffer, i int) {
		return func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"f\":%d,\"path\":\"%s\",\"before\":{\"is\":\"file\",\"size\":3}}\n", i, fmt.Sprintf(path, i))
			fmt.Fprintf(b, "{\"t\":%d,\"o\":\"write\",\"f\":%d}\n", i, i)
		}
	}
	for name, input := range map[string]growth.Input{
		"files in one folder": lines(native, file("/h/.local/share/t/%d.sav")),
		"folders":             lines(native, file("/h/.local/share/%d/a.sav")),
		"folders in folders":  lines(native, file("/h/a/b/c/d/e/f/g/h/i/j/k/l/m/n/o/p/q/r/s/t/u/v/%d/a")),
		"temporary files":     lines(native, file("/tmp/%d")),
		"the same path":       lines(native, file("/h/a%.0d")),
		"files in a prefix":   lines(prefixed, file("/p/drive_c/users/u/%d")),
		"events":              lines(native+"{\"f\":1,\"path\":\"/h/a\"}\n", func(b *bytes.Buffer, i int) { fmt.Fprintf(b, "{\"t\":%d,\"o\":\"write\",\"f\":1}\n", i) }),
		"cues, then files": lines(native, func(b *bytes.Buffer, i int) {
			if i <= trace.MaxCues {
				fmt.Fprintf(b, "{\"cue\":\"c%d\",\"at\":%d}\n", i, i)
			} else {
				file("/h/%d")(b, i-trace.MaxCues)
			}
		}),
		"processes": lines(native+"{\"f\":1,\"path\":\"/h/a\"}\n", func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"p\":%d,\"pid\":%d,\"parent\":%d,\"exe\":\"/x%d\"}\n{\"t\":1,\"p\":%d,\"o\":\"write\",\"f\":1}\n", i, i, i-1, i, i)
		}),
		"processes with roots": lines(native+"{\"f\":1,\"path\":\"/h/a\"}\n", func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"p\":%d,\"env\":{\"HOME\":\"/h%d\",\"XDG_DATA_HOME\":\"/d%d\"}}\n{\"t\":1,\"p\":%d,\"o\":\"write\",\"f\":1}\n", i, i, i, i)
		}),
		"a chain of renames": lines(native+"{\"f\":1,\"path\":\"/h/0\"}\n", func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"f\":%d,\"path\":\"/h/%d\"}\n{\"t\":%d,\"o\":\"rename\",\"f\":%d,\"to\":%d}\n", i+1, i, i, i, i+1)
		}),
		"renames to one name": lines(native+"{\"f\":1,\"path\":\"/h/0\"}\n", func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"f\":%d,\"path\":\"/h/%d\"}\n{\"t\":%d,\"o\":\"write\",\"f\":%d}\n{\"t\":%d,\"o\":\"rename\",\"f\":%d,\"to\":1}\n", i+1, i, i, i+1, i, i+1)
		}),
		"one file read by many": lines(native+"{\"f\":1,\"path\":\"/h/a\"}\n", func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"p\":%d,\"pid\":1}\n{\"t\":1,\"p\":%d,\"o\":\"read\",\"f\":1}\n{\"t\":1,\"p\":%d,\"o\":\"write\",\"f\":1}\n", i, i, i)
		}),
		"after and known": lines(native+"{\"f\":1,\"path\":\"/h/a\"}\n", func(b *bytes.Buffer, i int) {
			fmt.Fprintf(b, "{\"after\":1,\"state\":{\"is\":\"file\",\"size\":%d}}\n{\"known\":1,\"state\":{\"is\":\"file\"}}\n{\"reached\":1,\"path\":\"/x\"}\n", i)
		}),
	} {
		growth.Hold(t, name, 64<<10, input, read)
	}
}
