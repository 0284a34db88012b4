// Package parallel does a piece of work for many things on all processors.
package parallel

import (
	"context"
	"runtime"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Each calls do for every number below n, several at a time, until one call fails or ctx
// ends, and returns the first error. A few goroutines take one number after the other: their
// stacks, once grown, serve for all of them.
func Each(ctx context.Context, n int, do func(ctx context.Context, i int) error) error {
	group, ctx := errgroup.WithContext(ctx)
	var next atomic.Int64
	for range min(n, runtime.NumCPU()) {
		group.Go(func() error {
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := do(ctx, i); err != nil {
					return err
				}
			}
		})
	}
	return group.Wait()
}

// EachTold is Each, which tells after every call how many are done, one at a time; told may
// be nil.
func EachTold(ctx context.Context, n int, told func(done, of int), do func(ctx context.Context, i int) error) error {
	if told == nil {
		return Each(ctx, n, do)
	}
	var lock sync.Mutex
	done := 0
	return Each(ctx, n, func(ctx context.Context, i int) error {
		err := do(ctx, i)
		lock.Lock()
		defer lock.Unlock()
		done++
		told(done, n)
		return err
	})
}
