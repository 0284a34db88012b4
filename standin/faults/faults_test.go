//go:build linux

package main

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A few kills in each run of the tests; make faults kills hundreds of times.
func TestNothingIsLostByKills(t *testing.T) {
	bin := t.TempDir()
	out, err := exec.Command("go", "build", "-o", bin+"/endroit", "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	g, err := Run(t.Context(), bin, 8)
	require.NoError(t, err)
	assert.Equal(t, 8, g.services+g.servers)
	assert.NotEmpty(t, g.submitted)
}

// And of the commands that copy; make faults plays a thousand rounds.
func TestCopiesSurviveKills(t *testing.T) {
	bin := t.TempDir()
	out, err := exec.Command("go", "build", "-o", bin+"/endroit", "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	seen, err := RunCopies(t.Context(), bin, 20)
	require.NoError(t, err)
	killed := 0
	for what, n := range seen {
		if strings.HasSuffix(what, " killed") {
			killed += n
		}
	}
	assert.NotZero(t, killed)
}
