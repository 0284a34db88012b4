package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture/cues"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
)

func TestWithoutATerminalNobodyIsAsked(t *testing.T) {
	in, err := os.Open(os.DevNull)
	require.NoError(t, err)
	defer in.Close()
	var said bytes.Buffer
	a := &app{in: in, out: &said, err: &said}
	yes, err := a.ask("Send it?")
	assert.ErrorContains(t, err, "pass --yes to go ahead")
	assert.False(t, yes)
	assert.Empty(t, said.String())
	told, end := a.progress("looking")
	assert.Nil(t, told, "nor is progress drawn")
	end()
}

func TestFileIsNeverOverwritten(t *testing.T) {
	name := filepath.Join(t.TempDir(), "tidewrack.trace")
	f, err := newFile(name)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	info, err := os.Stat(name)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	_, err = newFile(name)
	assert.ErrorContains(t, err, "already exists")
	_, err = newFile(filepath.Join(name, "below"))
	assert.Error(t, err)
}

func TestTimesOfARun(t *testing.T) {
	for text, want := range map[string]time.Duration{"95s": 95 * time.Second, "1m35s": 95 * time.Second, "1:35": 95 * time.Second, "95": 95 * time.Second, "0": 0, "0.5": 500 * time.Millisecond, "2:05.25": 125250 * time.Millisecond, "1500ms": 1500 * time.Millisecond, "61:00": 61 * time.Minute} {
		got, err := parseTime(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "soon", "-1", "-5s", "1:60", "1:-2", ":5", "1:2:3", "NaN", "1e99", "x:10", "70000:00"} {
		_, err := parseTime(text)
		assert.ErrorContains(t, err, "write 95s, 1m35s or 1:35", "%q", text)
	}
	for _, word := range cues.Standard {
		assert.NotEmpty(t, cueMeans[word], word)
	}
}

func TestASubmissionSaysThatNamesStayBehind(t *testing.T) {
	for at, hidden := range map[string]bool{"xdg-data:tidewrack/ANNA.sav": true, "xdg-data:tidewrack/slot1.sav": false} {
		fp := &footprint.Footprint{OS: "linux", Files: []footprint.File{{Place: at, Kind: footprint.Save, Writes: 1, Reasons: []string{"its name"}}}}
		d := &draft.Draft{Format: draft.Format, Title: "Tidewrack", OS: "linux", Locations: []draft.Location{{At: "xdg-data:tidewrack/*.sav", Holds: draft.Save}}}
		body, err := contribution.Prepare(d, fp)
		require.NoError(t, err)
		var out bytes.Buffer
		require.NoError(t, (&app{out: &out}).preview(body, 100))
		assert.NotContains(t, out.String(), "ANNA")
		assert.Equal(t, hidden, strings.Contains(out.String(), "are sent as name-1, name-2 and so on"), out.String())
	}
}

// A reviewer is warned of a name that a player may have chosen, and of nothing else.
func TestReviewWarnsOfNamesOfPlayers(t *testing.T) {
	var said bytes.Buffer
	a := &app{out: &said}
	a.warnOfSources(nil)
	a.warnOfSources(&draft.Sources{Program: 3, Files: 14})
	assert.Empty(t, said.String())
	a.warnOfSources(&draft.Sources{Program: 3, Other: 1, Files: 14})
	assert.Contains(t, said.String(), "1 name in it: in none of the program's 14 files that were searched")
}
