package registry

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheRegistryOfWindows(t *testing.T) {
	writesAndReads(t, Key{"", `HKEY_CURRENT_USER\Software\Fen\TidewrackTest`}, odd())
	writesAndReads(t, Key{"", `HKEY_LOCAL_MACHINE\Software\Fen\TidewrackTest`}, odd())
	require.NoError(t, Write(t.Context(), Key{"", fen}, odd()))
	_, changed, err := Read(t.Context(), Key{"", fen})
	require.NoError(t, err)
	assert.False(t, changed.IsZero())
}
