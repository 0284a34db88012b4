package growth

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
)

var sink int

func TestSuperlinearGrowthIsDetected(t *testing.T) {
	input := Repeat("[", "a{n}", "]")
	assert.Equal(t, "[a0a1a2a3]", string(input(9)))
	linear := func(text []byte) { sink += bytes.Count(text, []byte("a")) + len(bytes.Clone(text)) }
	assert.Empty(t, grows(64<<10, input, linear))
	slow := func(text []byte) {
		for i := range text {
			sink += bytes.IndexByte(text[i:], 'z')
		}
	}
	assert.Contains(t, grows(4<<10, input, slow), "took")
	large := func(text []byte) {
		for range len(text) / 1000 {
			sink += len(bytes.Clone(text))
		}
	}
	assert.Contains(t, grows(16<<10, input, large), "allocate")
	Hold(t, "linear", 64<<10, input, linear)
	Hunt(t, 1<<10, []string{"a", "b"}, linear)
}
