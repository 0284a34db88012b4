package content

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// rebuilt makes the second file of the first and the differences.
func rebuilt(t require.TestingT, a, b []byte, list []Difference) {
	var out []byte
	at := 0
	for i, d := range list {
		require.GreaterOrEqual(t, d.A, at)
		out = append(out, a[at:d.A]...)
		require.Equal(t, len(out), d.B, "what is before it is the same")
		out = append(out, b[d.B:d.B+d.BLen]...)
		at = d.A + d.ALen
		require.Positive(t, d.ALen+d.BLen)
		if i > 0 {
			last := list[i-1]
			require.False(t, last.A+last.ALen == d.A && last.B+last.BLen == d.B, "differences do not touch")
		}
	}
	out = append(out, a[at:]...)
	require.True(t, bytes.Equal(b, out))
}

func text(list []Difference) (s string) {
	for _, d := range list {
		s += fmt.Sprintf("%d+%d/%d+%d ", d.A, d.ALen, d.B, d.BLen)
	}
	return s
}

func TestCompare(t *testing.T) {
	long := make([]byte, 5000)
	r := rand.New(rand.NewPCG(1, 2))
	for i := range long {
		long[i] = byte(r.Uint32())
	}
	join := func(parts ...[]byte) []byte { return bytes.Join(parts, nil) }
	for _, c := range []struct {
		name string
		a, b []byte
		want string
	}{
		{"the same", long, long, ""},
		{"both empty", nil, nil, ""},
		{"made", nil, []byte("abc"), "0+0/0+3 "},
		{"emptied", []byte("abc"), nil, "0+3/0+0 "},
		{"a counter", []byte("gold=10;day=3"), []byte("gold=25;day=3"), "5+2/5+2 "},
		{"two fields", []byte("gold=10;day=3;end"), []byte("gold=11;day=4;end"), "6+1/6+1 12+1/12+1 "},
		{"inserted", long, join(long[:1000], []byte("new"), long[1000:]), "1000+0/1000+3 "},
		{"removed", long, join(long[:1000], long[1200:]), "1000+200/1000+0 "},
		{"inserted and changed", long, join(long[:1000], []byte("new"), long[1000:3000], []byte{long[3000] ^ 1}, long[3001:]), "1000+0/1000+3 3000+1/3003+1 "},
		{"fields before a body that is another", join([]byte("HEAD"), []byte{1, 0, 0, 0, 0, 0, 0, 0}, []byte("Sedge"), long[:600]), join([]byte("HEAD"), []byte{3, 0, 0, 0, 9, 0, 0, 0}, []byte("Sedge"), long[600:1200]), "4+5/4+5 17+600/17+600 "},
		{"added at the end", long, join(long, []byte("more")), "5000+0/5000+4 "},
		{"a short text grew", []byte("name=Mira\nday=3\nname=x\n"), []byte("name=Ysolde\nday=3\nname=x\n"), "5+4/5+6 "},
	} {
		got := Compare(c.a, c.b)
		rebuilt(t, c.a, c.b, got)
		assert.Equal(t, c.want, text(got), c.name)
	}
}

// Whatever was changed, the differences turn one file into the other.
func TestCompareRebuilds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		alphabet := rapid.IntRange(1, 256).Draw(t, "alphabet")
		some := rapid.Custom(func(t *rapid.T) byte { return byte(rapid.IntRange(0, alphabet-1).Draw(t, "byte")) })
		a := rapid.SliceOfN(some, 0, 900).Draw(t, "a")
		b := bytes.Clone(a)
		for range rapid.IntRange(0, 5).Draw(t, "edits") {
			at := rapid.IntRange(0, len(b)).Draw(t, "at")
			gone := rapid.IntRange(0, min(100, len(b)-at)).Draw(t, "gone")
			put := rapid.SliceOfN(some, 0, 100).Draw(t, "put")
			b = append(append(bytes.Clone(b[:at]), put...), b[at+gone:]...)
		}
		rebuilt(t, a, b, Compare(a, b))
	})
}

// A large file with insertions is aligned in blocks, not as one difference.
func TestCompareLarge(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	a := make([]byte, 4<<20)
	for i := range a {
		a[i] = byte(r.Uint32())
	}
	b := append(append(append(bytes.Clone(a[:1<<20]), "inserted"...), a[1<<20:3<<20]...), a[3<<20+77:]...)
	got := Compare(a, b)
	rebuilt(t, a, b, got)
	assert.Equal(t, "1048576+0/1048576+8 3145728+77/3145736+0 ", text(got))
	zeros := make([]byte, 1<<20) // the same block everywhere
	rebuilt(t, zeros, append([]byte{1}, zeros[:1<<19]...), Compare(zeros, append([]byte{1}, zeros[:1<<19]...)))
}

func BenchmarkCompare(b *testing.B) {
	r := rand.New(rand.NewPCG(3, 4))
	x := make([]byte, 64<<20)
	for i := range x {
		x[i] = byte(r.Uint32())
	}
	y := append(append(bytes.Clone(x[:1<<20]), "inserted"...), x[1<<20:]...)
	y[50<<20] ^= 1
	for b.Loop() {
		Compare(x, y)
	}
}
