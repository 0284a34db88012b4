package companion

import (
	"math"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNumbers(t *testing.T) {
	for _, n := range []uint64{0, 7, 10, 4096, math.MaxInt32, math.MaxUint64 - 1, math.MaxUint64} {
		assert.Equal(t, strconv.FormatUint(n, 10), digits(n))
		got, ok := number(digits(n))
		assert.True(t, ok)
		assert.Equal(t, n, got)
	}
	for _, bad := range []string{"", "-1", "+1", " 1", "1 ", "0x1", "a", "18446744073709551616", "99999999999999999999", "000000000000000000001"} {
		_, ok := number(bad)
		assert.False(t, ok, bad)
	}
}

func TestWords(t *testing.T) {
	for _, words := range [][]string{nil, {""}, {"a"}, {"endroit", "trace", "", "--", "a b\n", ""}} {
		var text []byte
		for _, w := range words {
			text = append(append(text, w...), 0)
		}
		assert.Equal(t, words, split(text))
	}
	assert.Equal(t, []string{"a", "b"}, split([]byte("a\x00b")), "the last one may lack its end")
}
