package conformance

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const file = "vectors.json"

// The vectors that others read are what this implementation does.
func TestTheVectorsAreOfToday(t *testing.T) {
	made, err := Vectors()
	require.NoError(t, err)
	if os.Getenv("ENDROIT_GOLDEN") != "" {
		require.NoError(t, os.WriteFile(file, made, 0o644))
	}
	kept, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(kept), string(made), "ENDROIT_GOLDEN=1 go test ./conformance writes them again")
}

// The second implementation, compiled and run under Node, passes all that it reads, and
// sees a vector that is wrong.
func TestTheTypeScriptImplementation(t *testing.T) {
	tsc, err := filepath.Abs("../console/node_modules/.bin/tsc")
	require.NoError(t, err)
	if _, err := os.Stat(tsc); err != nil {
		t.Skip("the console's libraries are not installed; make build installs them")
	}
	out := t.TempDir()
	compiled, err := exec.Command(tsc, "-p", "typescript", "--outDir", out).CombinedOutput()
	require.NoError(t, err, string(compiled))
	require.NoError(t, os.WriteFile(filepath.Join(out, "package.json"), []byte(`{"type":"module"}`), 0o644))
	run := func(vectors string) (string, error) {
		said, err := exec.Command("node", filepath.Join(out, "run.js"), vectors).CombinedOutput()
		return string(said), err
	}
	said, err := run(file)
	require.NoError(t, err, said)
	assert.Contains(t, said, " 0 of them not passed")
	wrong := filepath.Join(out, "wrong.json")
	require.NoError(t, os.WriteFile(wrong, []byte(`{"parse":[{"location":"home:.tidewrack/","refused":true}],"match":[],"resolve":[],"shards":[],"versions":[],"standings":[]}`), 0o644))
	said, err = run(wrong)
	assert.Error(t, err)
	assert.Contains(t, said, "1 of them not passed")
}
