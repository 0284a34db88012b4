// Package parallel does a piece of work for many things on all processors.
package parallel

import (
	"context"
	"runtime"
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
