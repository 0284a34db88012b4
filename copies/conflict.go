package copies

import (
	"context"
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
	all, _ := List(ctx, []string{filepath.Join(to, filename.Portable(side.Title))})
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
	if err := side.Digests(ctx, seen, func(SideFile) bool { return true }); err != nil {
		return nil, err
	}
	c := &Conflict{Base: all[base], There: all[there]}
	c.OnlyHere, c.OnlyThere, c.Both = copyplan.Divided(Items(c.Base.Record), side.Items(), Items(c.There.Record))
	if len(c.OnlyThere)+len(c.Both) == 0 || len(c.OnlyHere)+len(c.Both) == 0 {
		return nil, nil // one side has all that the other has
	}
	return c, seen.Save()
}

// sameBuild is sameVariant, whatever the account.
func sameBuild(v copyrecord.Variant, side *Side) bool {
	v.Account = side.Variant.Account
	return sameVariant(v, side)
}
