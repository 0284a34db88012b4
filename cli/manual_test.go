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

// TestTheManualPage holds the page that is built in to the commands. After a change of a command
// ENDROIT_MANUAL=write go test ./cli -run TestTheManualPage writes it anew.
func TestTheManualPage(t *testing.T) {
	page, err := docs.ToManWithSection((&app{}).root(), 1)
	require.NoError(t, err)
	if os.Getenv("ENDROIT_MANUAL") == "write" {
		require.NoError(t, os.WriteFile(filepath.Join("help", "endroit.1"), []byte(page), 0o644))
		t.Skip("written: run it again to compare")
	}
	assert.Equal(t, page, string(manualPage), "the page is older than the commands: see above how to write it")
	assert.True(t, bytes.Contains(manualPage, []byte("endroit trace")))
}
