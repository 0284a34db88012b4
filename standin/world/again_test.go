package world

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What the demo's people found is judged by today's rules as they sent it.
func TestWhatWasFoundIsJudgedAlike(t *testing.T) {
	for _, f := range findings {
		body := f.body()
		body.Evidence().Explain()
		for _, x := range body.Evidence().Files {
			assert.Nil(t, x.Again, "%s: %s is %s; judged again it is %+v", f.title, x.Place, x.Kind, x.Again)
		}
	}
}
