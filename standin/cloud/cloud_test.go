package cloud

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheCloudMakesItsMistakes(t *testing.T) {
	in := t.TempDir()
	c := Cloud{filepath.Join(in, "launcher"), filepath.Join(in, "server")}
	game := filepath.Join(in, "game")
	write := func(top, name, text string) {
		require.NoError(t, os.MkdirAll(top, 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(top, name), []byte(text), 0o644))
	}
	has := func(want string) {
		t.Helper()
		data, err := os.ReadFile(filepath.Join(game, "a.sav"))
		require.NoError(t, err)
		assert.Equal(t, want, string(data))
	}
	sync := func(answer Choice, want string) {
		t.Helper()
		did, err := c.Sync("418820", func() Choice { return answer })
		require.NoError(t, err)
		assert.Equal(t, want, did)
	}
	require.NoError(t, c.Set(true, []Title{{"418820", game, true}}))
	write(game, "a.sav", "day 1")
	sync("", "uploaded")
	sync("", "nothing")
	// What is taken away comes back, at the launcher's start too.
	require.NoError(t, os.Remove(filepath.Join(game, "a.sav")))
	require.NoError(t, c.Start())
	has("day 1")
	// What another machine saved comes, and where both saved it asks.
	write(filepath.Join(c.Server, "418820"), "a.sav", "day 2 elsewhere")
	sync("", "put back")
	has("day 2 elsewhere")
	write(game, "a.sav", "day 3")
	write(filepath.Join(c.Server, "418820"), "a.sav", "day 3 elsewhere")
	_, err := c.Sync("418820", nil)
	assert.ErrorIs(t, err, ErrAsked)
	sync(Remote, "put back")
	has("day 3 elsewhere")
	// Switched off for the title, or at all, it does nothing.
	require.NoError(t, c.Set(true, []Title{{"418820", game, false}}))
	require.NoError(t, os.Remove(filepath.Join(game, "a.sav")))
	require.NoError(t, c.Start())
	sync("", "off")
	assert.NoFileExists(t, filepath.Join(game, "a.sav"))
	require.NoError(t, c.Set(false, []Title{{"418820", game, true}}))
	sync("", "off")
}
