package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	docs "github.com/urfave/cli-docs/v3"
)

// TestTheManualPage checks that the embedded manual page matches the commands. After changing a
// command, update the page:
//
//	ENDROIT_MANUAL=write go test ./cli -run TestTheManualPage
func TestTheManualPage(t *testing.T) {
	page, err := docs.ToManWithSection((&app{}).root(), 1)
	require.NoError(t, err)
	if os.Getenv("ENDROIT_MANUAL") == "write" {
		require.NoError(t, os.WriteFile(filepath.Join("help", "endroit.1"), []byte(page), 0o644))
		t.Skip("help/endroit.1 was updated")
	}
	assert.Equal(t, page, string(manualPage), "the page is out of date; the comment above says how to update it")
	assert.True(t, bytes.Contains(manualPage, []byte("endroit trace")))
}
