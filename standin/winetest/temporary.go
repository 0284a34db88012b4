package winetest

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func Temporary(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "watch")
	require.NoError(t, err)
	t.Cleanup(func() {
		if err := os.RemoveAll(folder); runtime.GOOS != "windows" {
			assert.NoError(t, err)
		}
	})
	return folder
}

func Write(t *testing.T, name, text string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
}
