package content

import (
	"bytes"
	"encoding/binary"
)

// Difference is a part in which two files are not the same. Where one has no part, bytes
// were inserted or removed.
type Difference struct {
	A, B       int // where it begins
	ALen, BLen int // bytes
}

// The bounds of the alignment. A block is what has to be the same to be found again at
// another place; near is how far such places are looked for byte by byte.
const (
	block = 32
	near  = 512
)

// Compare aligns two files, also where bytes were inserted or removed, and lists what
// differs, in order. Parts that moved to another place in the order count as removed and
// inserted. Its time grows with the sizes and its memory with the smaller part between
// what both begin and end with: a few bytes for each of its blocks.
func Compare(a, b []byte) []Difference {
	start := common(a, b)
	end := commonEnd(a[start:], b[start:])
	c := comparing{a: a, b: b}
	c.between(start, len(a)-end, start, len(b)-end)
	return c.out
}

type comparing struct {
	a, b []byte
	out  []Difference
}

// common is how many bytes two files begin with alike.
func common(a, b []byte) int {
	n := min(len(a), len(b))
	i := 0
	for i+8 <= n && binary.NativeEndian.Uint64(a[i:]) == binary.NativeEndian.Uint64(b[i:]) {
		i += 8
	}
	for i < n && a[i] == b[i] {
		i++
	}
	return i
}

// commonEnd is how many bytes they end with alike.
func commonEnd(a, b []byte) int {
	n := min(len(a), len(b))
	i := 0
	for i < n && a[len(a)-1-i] == b[len(b)-1-i] {
		i++
	}
	return i
}

// between aligns a part of each, whose first bytes differ.
func (c *comparing) between(a, aEnd, b, bEnd int) {
	if aEnd-a == bEnd-b { // nothing inserted, most likely: records that were changed
		if c.inPlace(a, b, aEnd-a) {
			return
		}
	}
	if aEnd-a < block || bEnd-b < block {
		c.small(a, aEnd, b, bEnd)
		return
	}
	index := c.blocks(a, aEnd)
	mask := uint32(len(index) - 1)
	r := rolling{}
	r.begin(c.b[b : b+block])
	for i := b; i+block <= bEnd; {
		found := -1
		if at := index[r.sum()&mask]; at != 0 {
			if x := int(at) - 1; x >= a && x+block <= aEnd && bytes.Equal(c.a[x:x+block], c.b[i:i+block]) {
				found = x
			}
		}
		if found < 0 {
			if i+block < bEnd {
				r.roll(c.b[i], c.b[i+block])
			}
			i++
			continue
		}
		// The same run goes on to both sides.
		x, y := found, i
		for x > a && y > b && c.a[x-1] == c.b[y-1] {
			x, y = x-1, y-1
		}
		n := common(c.a[x:aEnd], c.b[y:bEnd])
		c.small(a, x, b, y)
		a, b = x+n, y+n
		i = b
		if i+block <= bEnd {
			r.begin(c.b[i : i+block])
		}
	}
	c.small(a, aEnd, b, bEnd)
}

// blocks finds the blocks of the first file again by their rolling sum: the table holds
// where each begins, and one more, 0 for none. Of several alike the first counts.
func (c *comparing) blocks(a, aEnd int) []uint32 {
	size := 1024
	for size < (aEnd-a)/block*2 {
		size *= 2
	}
	index := make([]uint32, size)
	for i := a; i+block <= aEnd; i += block {
		r := rolling{}
		r.begin(c.a[i : i+block])
		if at := &index[r.sum()&uint32(size-1)]; *at == 0 {
			*at = uint32(i) + 1
		}
	}
	return index
}

// inPlace lists the bytes that differ of two parts of one length, if most are the same.
func (c *comparing) inPlace(a, b, n int) bool {
	same := 0
	for i := range n {
		if c.a[a+i] == c.b[b+i] {
			same++
		}
	}
	if same*2 < n {
		return false
	}
	c.byRuns(a, b, n, 2) // one byte alike within does not part a difference
	return true
}

// byRuns lists what differs of two parts of one length, parted by runs that are the same
// and at least so long.
func (c *comparing) byRuns(a, b, n, long int) {
	alike := func(i int) (run int) {
		for i+run < n && c.a[a+i+run] == c.b[b+i+run] {
			run++
		}
		return run
	}
	for i := alike(0); i < n; {
		j := i + 1
		for j < n {
			run := alike(j)
			if run >= long || j+run == n {
				break
			}
			j += max(run, 1)
		}
		c.add(Difference{a + i, b + i, j - i, j - i})
		i = j + alike(j)
	}
}

// small aligns short parts exactly, by the fewest bytes removed and inserted; long ones
// as one difference.
func (c *comparing) small(a, aEnd, b, bEnd int) {
	n := common(c.a[a:aEnd], c.b[b:bEnd])
	a, b = a+n, b+n
	n = commonEnd(c.a[a:aEnd], c.b[b:bEnd])
	aEnd, bEnd = aEnd-n, bEnd-n
	switch {
	case a == aEnd && b == bEnd:
		return
	case a == aEnd || b == bEnd:
		c.add(Difference{a, b, aEnd - a, bEnd - b})
		return
	case aEnd-a == bEnd-b && c.inPlace(a, b, aEnd-a):
		return
	case aEnd-a > near || bEnd-b > near:
		if aEnd-a == bEnd-b {
			c.byRuns(a, b, aEnd-a, least)
		} else {
			c.add(Difference{a, b, aEnd - a, bEnd - b})
		}
		return
	}
	c.exact(a, aEnd, b, bEnd)
}

// least is how many bytes alike part two differences: fewer are chance.
const least = 4

// exact finds the longest run that both parts have, and aligns what is before and after.
func (c *comparing) exact(a, aEnd, b, bEnd int) {
	best, x, y := 0, 0, 0
	before := make([]int, bEnd-b+1)
	for i := a; i < aEnd; i++ {
		diagonal := 0
		for j := b; j < bEnd; j++ {
			above := before[j-b+1]
			if c.a[i] == c.b[j] {
				before[j-b+1] = diagonal + 1
				if diagonal+1 > best {
					best, x, y = diagonal+1, i-diagonal, j-diagonal
				}
			} else {
				before[j-b+1] = 0
			}
			diagonal = above
		}
	}
	if best < least {
		c.add(Difference{a, b, aEnd - a, bEnd - b})
		return
	}
	c.small(a, x, b, y)
	c.small(x+best, aEnd, y+best, bEnd)
}

// add adds a difference, joined to the last where they touch.
func (c *comparing) add(d Difference) {
	if n := len(c.out); n > 0 {
		if last := &c.out[n-1]; last.A+last.ALen == d.A && last.B+last.BLen == d.B {
			last.ALen += d.ALen
			last.BLen += d.BLen
			return
		}
	}
	c.out = append(c.out, d)
}

// rolling is a sum over a block that moves by a byte at a time: a polynomial.
type rolling struct{ value uint32 }

const factor = 0x01000193

// factorOut is factor to the power of the block's length less one.
var factorOut = func() uint32 {
	f := uint32(1)
	for range block - 1 {
		f *= factor
	}
	return f
}()

func (r *rolling) begin(b []byte) {
	r.value = 0
	for _, x := range b {
		r.value = r.value*factor + uint32(x) + 1
	}
}

func (r *rolling) roll(out, in byte) {
	r.value = (r.value-(uint32(out)+1)*factorOut)*factor + uint32(in) + 1
}

// sum mixes the upper bits in, which tell more.
func (r *rolling) sum() uint32 { return r.value ^ r.value>>15 }
