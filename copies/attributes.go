package copies

import (
	"fmt"
	"os"
	"path/filepath"

	"endroit/core/copyplan"
	"endroit/core/copyrecord"
)

// RestoreAttributes gives files that have a copy's content the times and permissions that
// they had, too: a game that wrote a file again without a change left others, and some games
// look at them. What the plan changes is not looked at, nor what is not in the copy. It says
// how many files it changed.
func (p *Prepared) RestoreAttributes(c *Copy) (n int, err error) {
	had := map[string]int{}
	for i, f := range c.Record.Files {
		had[f.Place] = i
	}
	for _, f := range p.Side.Files {
		i, known := had[f.Place]
		if !known || f.State.Kind != copyplan.Regular || p.changes(f.Place) {
			continue
		}
		was := c.Record.Files[i]
		info, err := os.Lstat(f.File.Path)
		if err != nil || !info.Mode().IsRegular() {
			continue
		}
		times := !was.Time.IsZero() && !was.Time.Equal(info.ModTime())
		mode := was.Mode != 0 && was.Mode != copyrecord.Mode(info.Mode().Perm())
		if was.SHA256 == "" && was.BLAKE3 == "" || was.Size != f.State.Size || !times && !mode {
			continue
		}
		root, err := os.OpenRoot(f.Target.Top)
		if err != nil {
			return n, err
		}
		rel := filepath.Join(f.Target.Names...)
		if mode {
			err = root.Chmod(rel, os.FileMode(was.Mode))
		}
		if err == nil && times {
			err = root.Chtimes(rel, was.Time, was.Time)
		}
		if closed := root.Close(); err == nil {
			err = closed
		}
		if err != nil {
			return n, fmt.Errorf("%s: %w", f.File.Path, err)
		}
		n++
	}
	return n, nil
}
