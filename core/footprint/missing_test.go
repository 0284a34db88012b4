package footprint

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/core/trace"
)

// Games rotate backups that are not there yet: a rename of a missing file fails, and is no
// write. The observer is told of a call before it is made.
func TestARenameOfAMissingFileIsNoWrite(t *testing.T) {
	slot, backup, older := data+"tw.sav", data+"tw.sav.1", data+"tw.sav.2"
	s := tell(t)
	s.file(slot, bytesOf(500)).file(backup, absent()).file(older, absent())
	s.do(1, trace.Read, slot).do(30, trace.Rename, backup, older).do(30.1, trace.Rename, slot, backup).do(30.2, trace.Create, slot)
	s.do(50, trace.Rename, backup, older).do(50.1, trace.Rename, slot, backup).do(50.2, trace.Create, slot)
	fp := s.after(slot, bytesOf(510)).after(backup, bytesOf(505)).after(older, bytesOf(500)).end()
	for _, f := range fp.Files {
		want := map[string]int{slot: 2, backup: 2, older: 1}[f.Path]
		assert.Equal(t, want, f.Writes, f.Path)
	}
}

// A game can rename what it saved, and read it by that name: it was read all the same. What is
// written there afterwards is other content.
func TestReadUnderAnotherName(t *testing.T) {
	auto, loading, last := data+"auto.sav", data+"loading.tmp", data+"last.tmp"
	s := tell(t)
	s.file(auto, bytesOf(500)).file(loading, absent()).file(last, absent())
	s.do(1, trace.Rename, auto, loading).do(1.1, trace.Read, loading).do(2, trace.Rename, loading, last).do(2.1, trace.Read, last)
	s.do(3, trace.Create, loading).do(3.1, trace.Read, loading).do(4, trace.Create, auto)
	fp := s.after(auto, bytesOf(510)).after(loading, bytesOf(5)).after(last, bytesOf(500)).end()
	for _, f := range fp.Files {
		want := map[string]int{auto: 2, loading: 1, last: 0}[f.Path]
		assert.Equal(t, want, f.ReadAs, f.Path)
	}
	assert.Len(t, fp.Files, 3)
}
