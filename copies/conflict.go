package copies

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/filename"
)

// Conflict says that a title's files were changed here and on another machine, since both
// were last the same. Neither wins by being newer: a person has to choose.
type Conflict struct {
	Base  *Copy // what both had
	There *Copy // the other machine's newest copy, in the same folder of copies
	// Both are the places that changed on both sides to different contents; OnlyHere and
	// OnlyThere are the others.
	Both      []copyplan.Divergence
	OnlyHere  []string
	OnlyThere []string
}

// FindConflict looks in a folder of copies, which another machine may put copies into as
// well, whether a side has diverged from the other machine's. It is nil where it has not.
func FindConflict(ctx context.Context, side *Side, to, machine string, seen *Seen) (*Conflict, error) {
	folder := filepath.Join(to, filename.Portable(side.Title))
	if !othersIn(folder, machine) {
		return nil, nil
	}
	all, _ := List(ctx, []string{folder})
	all = slices.DeleteFunc(all, func(c *Copy) bool {
		return c.Record.TitleID != side.TitleID || c.Record.Title != side.Title || !sameBuild(c.Record.Variant, side) || c.Record.Set
	})
	there := slices.IndexFunc(all, func(c *Copy) bool { return c.Record.Machine != machine })
	if there < 0 {
		return nil, nil
	}
	// What both had: the newest copy that this machine took before the other's newest, or
	// else the other's before it.
	base := -1
	for i := there + 1; i < len(all); i++ {
		if all[i].Record.Machine == machine {
			base = i
			break
		}
	}
	if base < 0 {
		return nil, nil
	}
	if err := side.Digests(ctx, seen); err != nil {
		return nil, err
	}
	c := &Conflict{Base: all[base], There: all[there]}
	c.OnlyHere, c.OnlyThere, c.Both = copyplan.Divided(Items(c.Base.Record), side.Items(), Items(c.There.Record))
	if len(c.OnlyThere)+len(c.Both) == 0 || len(c.OnlyHere)+len(c.Both) == 0 {
		return nil, nil // one side has all that the other has
	}
	return c, seen.Save()
}

// othersIn reports whether a folder has copies that another machine took, or that cannot be
// told: most folders have none, and then nobody has to read what all of them are of.
func othersIn(folder, machine string) bool {
	entries, err := listNames(folder)
	if err != nil {
		return false
	}
	for _, e := range entries {
		if !isCandidate(e) {
			continue
		}
		h, err := headOf(filepath.Join(folder, e.Name()), e)
		if err != nil || h.Machine != machine {
			return true
		}
	}
	return false
}

func headOf(path string, e fs.DirEntry) (h copyrecord.Head, err error) {
	if !e.IsDir() {
		return h, errors.New("an archive is read whole")
	}
	root, err := os.OpenRoot(path)
	if err != nil {
		return h, err
	}
	defer root.Close()
	f, err := openRegular(root, copyrecord.FileName)
	if err != nil {
		return h, err
	}
	defer f.Close()
	return copyrecord.ReadHead(io.LimitReader(f, copyrecord.MaxBytes))
}

// sameBuild is sameVariant, whatever the account.
func sameBuild(v copyrecord.Variant, side *Side) bool {
	v.Account = side.Variant.Account
	return sameVariant(v, side)
}
