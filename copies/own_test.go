package copies

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/copies/disk"
	"endroit/core/copyplan"
)

// A copy of this program's own has the quick digest alone. It is checked and put back by
// that, as a folder and as an archive; and a person's copy after it has both digests.
func TestACopyOfOnesOwn(t *testing.T) {
	for _, form := range Forms {
		t.Run(string(form), func(t *testing.T) {
			h := newHome(t, played())
			before := h.files()
			own := h.take(func(o *TakeOptions) { o.Own, o.Form, o.Always = true, form, true })
			c, err := Open(t.Context(), own.Copy.Path)
			require.NoError(t, err)
			for _, f := range c.Record.Files {
				assert.Empty(t, f.SHA256)
				assert.Len(t, f.BLAKE3, 64)
			}
			problems, err := own.Check(t.Context())
			require.NoError(t, err)
			assert.Empty(t, problems)
			problems, err = c.Check(t.Context(), nil)
			require.NoError(t, err)
			assert.Empty(t, problems)

			h.write(inSlots+"a.sav", "day 99")
			h.write(inSlots+"b.sav", "day 41") // the same size
			require.NoError(t, os.Remove(h.path(inOptions)))
			unpacked, err := c.Unpack(t.Context(), t.TempDir())
			require.NoError(t, err)
			h.do(h.plan(unpacked, PutbackOptions{}))
			assert.Equal(t, before, h.files())
			assert.Empty(t, h.plan(unpacked, PutbackOptions{}).Changes, "what is the same is not written again")

			h.settle()
			persons := h.take(func(o *TakeOptions) { o.Always = true })
			for _, f := range persons.Copy.Record.Files {
				assert.Len(t, f.SHA256, 64, f.Place)
			}
		})
	}
}

// A damaged file shows by either digest, in a folder and in an archive.
func TestACopyOfOnesOwnThatIsDamaged(t *testing.T) {
	h := newHome(t, played())
	own := h.take(func(o *TakeOptions) { o.Own = true })
	for _, f := range own.Copy.Record.Files {
		if strings.HasSuffix(f.Stored, "a.sav") {
			require.NoError(t, os.WriteFile(filepath.Join(own.Copy.Path, f.Stored), bytes.Repeat([]byte("x"), int(f.Size)), 0o600))
		}
	}
	want := []Problem{{"xdg-data:tidewrack/slots/a.sav", "its content is not the one that was copied"}}
	problems, err := own.Copy.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Equal(t, want, problems)
	m := members(own.Copy.Record)[0]
	what, err := bounded(t.Context(), m, bytes.NewReader(bytes.Repeat([]byte("x"), int(m.size))), nil)
	require.NoError(t, err)
	assert.Equal(t, want[0].What, what)
}

// What is known by one digest is not lost when a file is read by the other, unless the file
// changed between.
func TestSeenKeepsBothDigests(t *testing.T) {
	h := newHome(t, nil)
	h.write("a", "day 1")
	seen := OpenSeen(filepath.Join(t.TempDir(), "seen.json"))
	look := func() disk.Identity {
		info, err := os.Lstat(h.path("a"))
		require.NoError(t, err)
		return disk.Look(info)
	}
	later := seen.now().Add(2 * settled)
	seen.Note("a", look(), disk.Copied{SHA256: "sha"}, later)
	seen.Note("a", look(), disk.Copied{BLAKE3: "blake"}, later)
	sha256, blake3 := seen.Digests("a", look())
	assert.Equal(t, []string{"sha", "blake"}, []string{sha256, blake3})
	h.write("a", "day 20")
	seen.Note("a", look(), disk.Copied{BLAKE3: "blake 2"}, later)
	sha256, blake3 = seen.Digests("a", look())
	assert.Equal(t, []string{"", "blake 2"}, []string{sha256, blake3})
}

// Files that were read by different digests count as different, and by none too.
func TestDigestsThatCannotBeCompared(t *testing.T) {
	file := func(sha256, blake3 string) copyplan.State {
		return copyplan.State{Kind: copyplan.Regular, Size: 5, Digest: sha256, BLAKE3: blake3}
	}
	for _, c := range []struct {
		a, b copyplan.State
		same bool
	}{
		{file("1", "2"), file("1", "2"), true},
		{file("1", ""), file("1", "2"), true},
		{file("", "2"), file("1", "2"), true},
		{file("1", ""), file("", "2"), false},
		{file("", ""), file("", ""), false},
		{file("1", "3"), file("1", "2"), false},
		{file("3", "2"), file("1", "2"), false},
	} {
		assert.Equal(t, c.same, c.a.Same(c.b), "%v %v", c.a, c.b)
		assert.Equal(t, c.same, c.b.Same(c.a), "%v %v", c.b, c.a)
	}
}
