//go:build amd64 || arm64

package calls

import (
	"runtime"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture/processes"
)

func TestBatonIsExclusive(t *testing.T) {
	var b baton
	var holders, turns atomic.Int32
	var threads sync.WaitGroup
	const all = 2000
	for range 8 {
		threads.Add(1)
		go func() {
			defer threads.Done()
			runtime.LockOSThread()
			for b.take() {
				assert.EqualValues(t, 1, holders.Add(1))
				over := turns.Add(1) == all
				holders.Add(-1)
				if over {
					b.drop()
					return
				}
				b.pass()
			}
		}()
	}
	b.pass()
	ended := make(chan struct{})
	go func() { threads.Wait(); close(ended) }()
	select {
	case <-ended:
	case <-time.After(time.Minute):
		t.Fatal("a thread waits for ever")
	}
	assert.EqualValues(t, all, turns.Load())
	assert.False(t, b.take(), "it was dropped")
	b.pass()
	assert.False(t, b.take(), "and stays so")
}

// A baton that is laid down is taken by who waits, however long nothing happened before.
func TestProgressIsMade(t *testing.T) {
	var b baton
	var r relief
	ended := make(chan struct{})
	go func() { r.run(&b); close(ended) }()
	taken := make(chan struct{})
	go func() {
		runtime.LockOSThread()
		for b.take() {
			taken <- struct{}{} // and it is held until the next round lays it down
		}
		close(taken)
	}()
	for _, pause := range []time.Duration{0, time.Millisecond, 30 * time.Millisecond, 0} {
		time.Sleep(pause)
		if pause > restAfter*patience {
			assert.Eventually(t, func() bool { return r.asleep.Load() == 1 }, time.Minute, time.Millisecond, "it rests while there is nothing to see")
		}
		b.lay()
		r.lies()
		select {
		case <-taken:
		case <-time.After(time.Minute):
			t.Fatal("nobody took it")
		}
	}
	b.drop()
	r.lies()
	<-ended
	<-taken
}

func TestManyProcesses(t *testing.T) {
	var c crowd
	// calls come by threads in turn, and waits is what each look finds.
	calls := func(looks int, waits bool, threads ...uint32) (changes int) {
		for range looks * crowdEvery {
			if c.came(threads[int(c.calls)%len(threads)]) {
				changes++
			}
			if c.due() {
				c.look(waits)
			}
		}
		return changes
	}
	assert.Zero(t, calls(10, false, 1))
	assert.Zero(t, calls(10, true, 1), "a single thread's next call may wait at once")
	assert.Zero(t, calls(10, false, 1, 2), "threads that take turns are no crowd")
	assert.False(t, c.is)
	assert.Equal(t, 1, calls(10, true, 1, 2, 3))
	assert.True(t, c.is)
	assert.Zero(t, calls(1, false, 1, 2, 3), "one look does not count")
	assert.Zero(t, calls(1, true, 1, 2, 3))
	assert.Equal(t, 1, calls(10, false, 1))
	assert.False(t, c.is)
}

func TestRegexpTables(t *testing.T) {
	r := newRecent()
	here, there := &processes.Base{Folder: "/here"}, &processes.Base{Folder: "/there"}
	a, b := &name{path: "/here/a"}, &name{path: "/there/a"}
	r.put("a", here, a, 3, time.Second)
	r.put("a", there, b, 3, time.Second)
	assert.Same(t, a, r.find([]byte("a"), here, 3, time.Second))
	assert.Same(t, b, r.find([]byte("a"), there, 3, time.Second))
	assert.Nil(t, r.find([]byte("b"), here, 3, time.Second))
	assert.Nil(t, r.find([]byte("a"), here, 4, time.Second), "paths may mean others by now")
	assert.NotNil(t, r.find([]byte("a"), here, 3, time.Second+processes.Trust-time.Millisecond))
	assert.Nil(t, r.find([]byte("a"), here, 3, time.Second+processes.Trust), "too long ago")
	r.put("a", here, b, 4, 2*time.Second)
	assert.Same(t, b, r.find([]byte("a"), here, 4, 2*time.Second), "the latest counts")

	// However many there are: what is found was put, and the last ones are found.
	all := make([]name, 5*recentSets*recentWays)
	for i := range all {
		r.put(strconv.Itoa(i), here, &all[i], 4, time.Second)
		require.Same(t, &all[i], r.find([]byte(strconv.Itoa(i)), here, 4, time.Second))
	}
	found := 0
	for i := range all {
		if n := r.find([]byte(strconv.Itoa(i)), here, 4, time.Second); n != nil {
			require.Same(t, &all[i], n)
			found++
		}
	}
	assert.Greater(t, found, recentSets*recentWays*9/10)
}
