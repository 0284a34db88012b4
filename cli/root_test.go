package cli

import (
	"encoding/base64"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/localpg/pgtest"
)

// A program that is built for a publication trusts it without being asked, and no other.
func TestAProgramBuiltForAPublication(t *testing.T) {
	work := t.TempDir()
	run := func(in, program string, args ...string) (string, error) {
		c := exec.Command(program, args...)
		c.Stdin = strings.NewReader(in)
		c.Env = append(os.Environ(), "HOME="+filepath.Join(work, "home"), "XDG_CONFIG_HOME=", "XDG_DATA_HOME=")
		said, err := c.CombinedOutput()
		return string(said), err
	}
	publication := func(name string) (tree, root string) {
		keys, tree := filepath.Join(work, name, "keys"), filepath.Join(work, name, "tree")
		require.NoError(t, os.MkdirAll(filepath.Dir(keys), 0o755))
		said, err := run(
			"a passphrase of some length\n", "endroit", "keys", "make", "--in", keys, "--root", filepath.Join(work, name, "root.key"),
			"--name", name, "--passphrase-stdin",
		)
		require.NoError(t, err, said)
		said, err = run("", "endroit", "publish", "--to", tree, "--keys", keys, "--database", pgtest.Database(t))
		require.NoError(t, err, said)
		return tree, filepath.Join(keys, "1.root.json")
	}
	ours, root := publication("ours")
	theirs, _ := publication("theirs")
	raw, err := os.ReadFile(root)
	require.NoError(t, err)
	own := filepath.Join(work, "own")
	if runtime.GOOS == "windows" {
		own += ".exe"
	}
	built, err := exec.Command(
		"go", "build", "-ldflags", "-X endroit/cli.BuiltInRoot="+base64.StdEncoding.EncodeToString(raw), "-o", own, "endroit/cmd/endroit",
	).CombinedOutput()
	require.NoError(t, err, string(built))

	said, err := run("", "endroit", "fetch", "--mirror", ours)
	assert.Error(t, err)
	assert.Contains(t, said, "nothing is trusted yet")
	said, err = run("", own, "fetch", "--mirror", theirs)
	assert.Error(t, err)
	assert.Contains(t, said, "is not signed by the keys of this publication")
	said, err = run("", own, "fetch", "--mirror", ours)
	assert.NoError(t, err)
	assert.Contains(t, said, "revision 1")
}
