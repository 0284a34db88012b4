package place

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A named part whose text is known can contain what separates it from the next.
func TestKnownNamesThatContainASeparator(t *testing.T) {
	for _, c := range []struct {
		at, name string
		known    Captures
		want     Captures
	}{
		{"xdg-data:tw/{user}-{slot}.sav", "anna-lena-3.sav", Captures{"user": "anna-lena"}, Captures{"user": "anna-lena", "slot": "3"}},
		{"xdg-data:tw/{slot}-{user}.sav", "3-anna-lena.sav", Captures{"user": "lena"}, Captures{"user": "lena", "slot": "3-anna"}},
		{"xdg-data:tw/*-{user}-*", "a-b-c-d", Captures{"user": "b-c"}, Captures{"user": "b-c"}},
		{"saved-games:tw/{user}_{slot}", "ANNA_X_1", Captures{"user": "anna_x"}, Captures{"user": "anna_x", "slot": "1"}},
		{"xdg-data:tw/{user}-{slot}.sav", "anna-lena.sav", Captures{"user": "anna-lena"}, nil},
		{"xdg-data:tw/{user}-{slot}.sav", "tobin-3.sav", Captures{"user": "anna"}, nil},
	} {
		l, err := Parse(c.at)
		require.NoError(t, err, c.at)
		got, ok := l.Match([]string{"tw", c.name}, c.known)
		assert.Equal(t, c.want != nil, ok, "%s %s", c.at, c.name)
		if c.want != nil {
			assert.Equal(t, c.want, got, c.name)
		}
	}
}
