package footprint

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// event adds an event that says more about itself.
func (s *story) event(e trace.Event, path, to string) *story {
	s.t.Helper()
	e.Process, e.File, e.To = max(e.Process, 1), s.files[path], s.files[to]
	require.NoError(s.t, s.w.Event(e))
	return s
}

func (s *story) reached(path, by string) *story {
	s.t.Helper()
	require.NoError(s.t, s.w.Reached(trace.Reached{File: s.files[path], Path: by}))
	return s
}

// A world that is saved as a folder and renamed into place lies under its new name.
func TestAFolderThatIsRenamedIntoPlace(t *testing.T) {
	s := tell(t).file(data+"world.tmp", absent()).file(data+"world.tmp/part", absent()).file(data+"world", absent()).file(data+"world/part", absent())
	s.do(20, trace.MakeFolder, data+"world.tmp").do(20, trace.Create, data+"world.tmp/part").do(20.2, trace.Rename, data+"world.tmp", data+"world")
	s.event(trace.Event{At: 20200 * time.Millisecond, Op: trace.Rename, What: trace.WithFolder}, data+"world.tmp/part", data+"world/part")
	s.after(data+"world", trace.State{Is: trace.IsFolder}).after(data+"world.tmp/part", absent()).after(data+"world/part", bytesOf(100))
	s.cue(22, "saved")
	fp := s.end()
	kinds := map[string]Kind{}
	for _, f := range fp.Files {
		kinds[f.Path] = f.Kind
	}
	assert.Equal(t, Save, kinds[data+"world/part"])
	assert.Equal(t, Temp, kinds[data+"world.tmp/part"])
}

func TestAFileThatIsOpenedBothWaysIsRead(t *testing.T) {
	s := tell(t).file(data+"a.sav", bytesOf(10))
	s.event(trace.Event{At: time.Second, Op: trace.Update, What: trace.BothWays}, data+"a.sav", "")
	s.after(data+"a.sav", bytesOf(12))
	f := s.end().Files[0]
	assert.Equal(t, 1, f.Reads)
	assert.Equal(t, 1, f.Writes)
	assert.Equal(t, time.Second, f.FirstRead)
}

// What lies elsewhere, and is reached through a link in its place, has that place.
func TestAPlaceThroughALink(t *testing.T) {
	s := tell(t).file("/mnt/big/tidewrack/a.sav", absent())
	s.do(1, trace.Create, "/mnt/big/tidewrack/a.sav").reached("/mnt/big/tidewrack/a.sav", data+"a.sav").after("/mnt/big/tidewrack/a.sav", bytesOf(3))
	fp := s.end()
	f := fp.Files[0]
	assert.Equal(t, "xdg-data:tidewrack/a.sav", f.Place)
	assert.Equal(t, data+"a.sav", f.Reached)
	assert.Empty(t, fp.Share(fp.Anonymizer()).Files[0].Reached, "the machine's folders stay")
}

func TestStateTakenDuringTheRunIsMarked(t *testing.T) {
	changed := bytesOf(10)
	changed.Time = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)
	s := tell(t)
	for path, before := range map[string]trace.State{data + "late.sav": changed, data + "old.sav": {Is: trace.IsFile, Size: 10, Time: time.Time{}.Add(-time.Hour)}} {
		f := trace.File{Path: path, Before: before, At: 9 * time.Second}
		require.NoError(t, s.w.File(&f))
		s.files[path] = f.N
		s.do(9, trace.Read, path)
	}
	for _, f := range s.end().Files {
		assert.Equal(t, map[string]time.Duration{data + "late.sav": 9 * time.Second}[f.Path], f.Seen, f.Path)
	}
}
