package workers

import (
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestEach(t *testing.T) {
	for _, n := range []int{0, 1, 2, 1000} {
		times := make([]atomic.Int32, n)
		var told []int
		Each(n, func(done, of int) {
			assert.Equal(t, n, of)
			told = append(told, done)
		}, func(i int) { times[i].Add(1) })
		for i := range times {
			assert.Equal(t, int32(1), times[i].Load())
		}
		assert.Len(t, told, n)
		for i, done := range told {
			assert.Equal(t, i+1, done)
		}
		Each(n, nil, func(int) {})
	}
}
