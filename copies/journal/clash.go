package journal

import (
	"fmt"
	"strings"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/filename"
)

// ClashError says that two of the new files would be one.
type ClashError struct{ Paths [2]string }

func (e *ClashError) Error() string {
	return fmt.Sprintf(
		"%s and %s would be one file: they differ in letters' case alone, which makes no difference there; nothing was done",
		e.Paths[0], e.Paths[1],
	)
}

// checkCase looks whether files whose names differ in letters' case alone can be beside each
// other: whether their parts, which are there by now, are found in other letters too.
func (s *stage) checkCase() error {
	had := map[string]int{}
	for i, c := range s.changes {
		if c.After.Kind == copyplan.Nothing || c.Key.Path != "" {
			continue
		}
		path := c.Top + "\x00" + filename.Fold(strings.Join(c.Names, "/"))
		other, clash := had[path]
		if had[path] = i; !clash {
			continue
		}
		parent, err := openParent(c.Top, c.Names)
		if err != nil {
			return fmt.Errorf("%s: %w", c.Path(), disk.Cause(err))
		}
		_, err = parent.root.Lstat(strings.ToUpper(s.d.Steps[i].Part))
		parent.close()
		if err == nil {
			return &ClashError{[2]string{s.changes[other].Path(), c.Path()}}
		}
	}
	return nil
}
