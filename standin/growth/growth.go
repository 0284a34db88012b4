// Package growth holds what a reader costs against the size of what it reads: twice the
// text may cost twice as much, and not four times.
//
//	growth.Hold(t, "keys", 64<<10, growth.Repeat("", "a{n}: 1\n", ""), read)
//	growth.Hunt(t, 16<<10, []string{"a", ":", "\n", "\""}, read)
package growth

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// patterns is how many texts Hunt tries: few in make test, many in make attack.
var patterns = flag.Int("growth.patterns", 80, "texts that a hunt for slow ones tries")

const (
	times = 16 // how much larger the second text is
	// most is how much more the second may cost. What is linear costs sixteen times as
	// much, what is quadratic 256 times; caches and the collector of garbage take their
	// part of what is large.
	most = 5 * times
	// floor is below what no cost is held against another: it is the machine's noise.
	floor = 10 * time.Millisecond
)

var begun = time.Now()

// Input makes a text of about n bytes.
type Input func(n int) []byte

// Repeat makes texts of a unit that is repeated between a head and a tail; {n} in it
// counts.
func Repeat(head, unit, tail string) Input {
	return func(n int) []byte {
		var b strings.Builder
		b.WriteString(head)
		for i := 0; b.Len() < n; i++ {
			b.WriteString(strings.ReplaceAll(unit, "{n}", strconv.Itoa(i)))
		}
		b.WriteString(tail)
		return []byte(b.String())
	}
}

// cost is the least time of a few readings, and what one allocates. The time is the
// processor's for this thread, where the system tells it: what others do beside it on a busy
// machine does not count.
func cost(text []byte, read func([]byte), rounds int) (least time.Duration, bytes uint64) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	least = time.Hour
	for range rounds {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		from := spent()
		read(text)
		least = min(least, spent()-from)
		runtime.ReadMemStats(&after)
		bytes = after.TotalAlloc - before.TotalAlloc
	}
	return least, bytes
}

// grows says how a reading grew too fast with the text, empty if it did not.
func grows(n int, input Input, read func([]byte)) string {
	small, large := input(n), input(times*n)
	t2, b2 := cost(large, read, 1)
	t1, b1 := cost(small, read, 3)
	if b2 > most*b1 && b2 > uint64(times*n)*100 {
		return fmt.Sprintf("%d bytes made it allocate %d, and %d made it allocate %d", len(small), b1, len(large), b2)
	}
	if t2 <= floor || t2 <= most*t1 {
		return ""
	}
	// Something else may have taken the machine: only what stays so counts.
	t1, _ = cost(small, read, 20)
	if t2, _ = cost(large, read, 5); t2 <= most*t1 {
		return ""
	}
	return fmt.Sprintf("%d bytes took %v, and %d took %v", len(small), t1, len(large), t2)
}

// Hold reads a text of n bytes and one sixteen times as large, and holds the growth of time
// and memory to nearly linear.
func Hold(t *testing.T, name string, n int, input Input, read func([]byte)) {
	t.Helper()
	assert.Empty(t, grows(n, input, read), "%s: it grows faster than the text", name)
}

// Hunt looks for texts that grow faster than they are long: repeated words of up to four
// pieces of an alphabet, some behind a piece that stays open. What it finds belongs into
// Hold.
func Hunt(t *testing.T, n int, alphabet []string, read func([]byte)) {
	t.Helper()
	r := rand.New(rand.NewPCG(1, uint64(*patterns)))
	pick := func() string { return alphabet[r.IntN(len(alphabet))] }
	tried := 0
	for ; tried < *patterns && !t.Failed(); tried++ {
		var head, unit string
		if r.IntN(2) == 0 {
			head = pick()
		}
		for range 1 + r.IntN(4) {
			unit += pick()
		}
		if r.IntN(3) == 0 {
			unit += "{n}"
		}
		if says := grows(n, Repeat(head, unit, ""), read); says != "" {
			t.Errorf("%q and then %q again and again: %s", head, unit, says)
		}
	}
	t.Logf("%d texts, each at two sizes", tried)
}
