package parallel

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEveryNumberOnce(t *testing.T) {
	for _, n := range []int{0, 1, 1000} {
		times := make([]atomic.Int32, n)
		require.NoError(t, Each(t.Context(), n, func(_ context.Context, i int) error { times[i].Add(1); return nil }))
		for i := range times {
			require.EqualValues(t, 1, times[i].Load(), i)
		}
	}
}

func TestItEndsWithTheFirstError(t *testing.T) {
	wrong := errors.New("wrong")
	var called atomic.Int32
	err := Each(t.Context(), 100_000, func(ctx context.Context, i int) error {
		called.Add(1)
		if i == 7 {
			return wrong
		}
		return nil
	})
	require.ErrorIs(t, err, wrong)
	assert.Less(t, int(called.Load()), 100_000)

	ctx, cancel := context.WithCancel(t.Context())
	err = Each(ctx, 100_000, func(ctx context.Context, i int) error { cancel(); return nil })
	require.ErrorIs(t, err, context.Canceled)
}

func TestItTellsHowManyAreDone(t *testing.T) {
	var told []int
	require.NoError(t, EachTold(t.Context(), 50, func(done, of int) {
		assert.Equal(t, 50, of)
		told = append(told, done) // one at a time
	}, func(context.Context, int) error { return nil }))
	for i := range told {
		assert.Equal(t, i+1, told[i])
	}
	assert.Len(t, told, 50)
	require.NoError(t, EachTold(t.Context(), 50, nil, func(context.Context, int) error { return nil }))
}
