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
