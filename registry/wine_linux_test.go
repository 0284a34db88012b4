package registry

import (
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/machine"
	"endroit/standin/winetest"
)

// While something runs in a prefix, its registry is changed through its server; else in its
// hive, which Wine reads then. On Windows, its own functions do it.
func TestAPrefixOfWine(t *testing.T) {
	p := winetest.Prefix(t)
	k := Key{p.Folder, fen}
	writesAndReads(t, k, odd())
	require.NoError(t, Write(t.Context(), k, odd()))
	query := func() string {
		out, err := p.Prefix.Run(t.Context(), "reg", "query", fen, "/s")
		if err != nil {
			return ""
		}
		return out
	}
	assert.Contains(t, query(), "0x50", "Wine reads what was written into the hive")
	require.NoError(t, p.Rest(t.Context()))
	require.NoError(t, Write(t.Context(), k, ended(odd()))) // which Wine's editor needs

	// Something that runs in the prefix.
	stay := exec.Command("wine", "cmd", "/c", "pause")
	stay.Env = append(stay.Environ(), "WINEPREFIX="+p.Folder, "HOME="+p.Home, "WINEDEBUG=-all", "DISPLAY=")
	in, err := stay.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, stay.Start())
	defer func() { _ = in.Close(); _ = stay.Wait() }()
	require.Eventually(t, func() bool { return machine.PrefixServer(p.Folder) != 0 }, 30*time.Second, 50*time.Millisecond)
	got, _, err := Read(t.Context(), k)
	require.NoError(t, err)
	assert.True(t, Same(ended(odd()), got), "%v", got)
	require.NoError(t, Write(t.Context(), k, nil))
	writesAndReads(t, k, ended(odd()))
	require.NoError(t, Write(t.Context(), k, odd()), "a text that nothing ends gets an end")
	require.NoError(t, Write(t.Context(), k, other()))
	assert.NotZero(t, machine.PrefixServer(p.Folder))
	assert.Contains(t, query(), "0x14")
	require.NoError(t, in.Close())
	_ = stay.Wait()
	require.NoError(t, p.Rest(t.Context()))
	got, _, err = Read(t.Context(), k)
	require.NoError(t, err)
	assert.True(t, Same(other(), got), "the server wrote it down at its end: %v", got)

	out := p.Run(t, p.BuildTests(t, "endroit/registry"), "-test.v", "-test.timeout=120s", "-test.run=Windows")
	assert.Contains(t, out, "--- PASS: TestTheRegistryOfWindows")
	require.NoError(t, p.Rest(t.Context()))
	got, _, err = Read(t.Context(), k)
	require.NoError(t, err)
	assert.True(t, Same(odd(), got), "what the functions of Windows write is read here: %v", got)
}
