// Package workers spreads work over the processors.
//
//	workers.Each(len(titles), told, func(i int) { found[i] = look(titles[i]) })
package workers

import (
	"runtime"
	"sync"
)

// Each calls do for every number below n, several at a time, and returns when all
// have returned. told is called after each, one call at a time, with how many are
// done of how many; it may be nil.
func Each(n int, told func(done, of int), do func(i int)) {
	var lock sync.Mutex
	next, done := 0, 0
	take := func() (i int, ok bool) {
		lock.Lock()
		defer lock.Unlock()
		next++
		return next - 1, next <= n
	}
	var all sync.WaitGroup
	for range min(n, runtime.NumCPU()) {
		all.Go(func() {
			for i, ok := take(); ok; i, ok = take() {
				do(i)
				if told != nil {
					lock.Lock()
					done++
					told(done, n)
					lock.Unlock()
				}
			}
		})
	}
	all.Wait()
}
