package copies

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"endroit/core/copyplan"
)

// MakeTops makes the anchors' own folders that are missing, such as ~/.local/share for a new
// account or Documents in a new prefix, so that files can be put there. Only what lies below
// one of the given folders is made, and these have to be there: what is elsewhere is missing
// because its disk is.
func (p *Prepared) MakeTops(below ...string) error {
	had := map[string]bool{}
	for _, c := range p.Changes {
		if c.Top == "" || had[c.Top] || c.After.Kind == copyplan.Nothing {
			continue
		}
		had[c.Top] = true
		if _, err := os.Lstat(c.Top); !errors.Is(err, fs.ErrNotExist) {
			continue
		}
		for _, folder := range below {
			rel, err := filepath.Rel(folder, c.Top)
			if folder == "" || err != nil || !filepath.IsLocal(rel) {
				continue
			}
			root, err := os.OpenRoot(folder)
			if err != nil {
				continue
			}
			err = root.MkdirAll(rel, 0o700) // as the XDG base directory specification has it
			if err = errors.Join(err, root.Close()); err != nil {
				return fmt.Errorf("%s: %w", c.Top, err)
			}
			break
		}
	}
	return nil
}
