package copies

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
)

// ofOneMoment copies the files until all were unchanged from the first look to the last.
//
// The record is written while they are looked at for the last time.
func (t *taking) ofOneMoment(ctx context.Context, side *Side) (tries int, r *writtenRecord, err error) {
	t.done, t.stored = map[string]doneFile{}, map[string]string{}
	pause := t.o.Pause
	if pause == 0 {
		pause = usualPause
	}
	for tries = 1; ; tries++ {
		changed, err := t.copyAll(ctx, side)
		if err != nil {
			return tries, nil, err
		}
		if t.o.Again == nil {
			if len(changed) > 0 {
				return tries, nil, &RestlessError{changed}
			}
			return tries, t.write(t.record(side)), nil
		}
		if len(changed) == 0 {
			r = t.write(t.record(side))
		}
		again, err := t.o.Again(ctx)
		if err != nil {
			return tries, nil, err
		}
		if len(changed) == 0 {
			changed = differ(side, again)
		}
		if len(changed) == 0 {
			if changed, err = t.settle(ctx, side); err != nil {
				return tries, nil, err
			}
		}
		if len(changed) == 0 {
			return tries, r, nil
		}
		if tries == maxTries {
			return tries, nil, &RestlessError{changed[:min(len(changed), 5)]}
		}
		if err := sleep(ctx, pause); err != nil {
			return tries, nil, err
		}
		pause *= 2
		if side, err = t.o.Again(ctx); err != nil {
			return tries, nil, err
		}
		if len(side.Files) == 0 {
			return tries, nil, ErrEmpty
		}
	}
}

func sleep(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}

// settle waits until all that was copied has been quiet, and says what changed meanwhile.
func (t *taking) settle(ctx context.Context, side *Side) (changed []string, err error) {
	wait := t.unsettled(side, time.Now())
	if wait == 0 {
		return nil, nil
	}
	if err := sleep(ctx, wait); err != nil {
		return nil, err
	}
	again, err := t.o.Again(ctx)
	if err != nil {
		return nil, err
	}
	if changed = differ(side, again); len(changed) > 0 {
		return changed, nil
	}
	for _, f := range side.Files {
		d := t.done[f.Place]
		if d.fresh() == 0 {
			continue
		}
		same, err := t.stillSame(ctx, side, f, d)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.File.Path, disk.Cause(err))
		}
		if !same {
			changed = append(changed, f.File.Path)
		}
	}
	return changed, nil
}

// stillSame reads a file again, whose times would not tell of a change.
func (t *taking) stillSame(ctx context.Context, side *Side, f SideFile, d doneFile) (bool, error) {
	from, err := side.open(f)
	if err != nil {
		if err = replaced(f, err); errors.Is(err, disk.ErrChanged) {
			return false, nil
		}
		return false, err
	}
	defer from.Close()
	now, err := disk.Digest(ctx, from, disk.BLAKE3)
	return err == nil && now.BLAKE3 == d.BLAKE3, err
}

// unsettled is how long it takes until all that was copied has been quiet, and a change
// would show: the files by their last change, and their folders, which tell of files that
// are gone or not there yet. A time that is still to come tells nothing, so all of Quiet is
// waited for.
func (t *taking) unsettled(side *Side, now time.Time) (wait time.Duration) {
	since := func(changed int64, before bool, quiet time.Duration) {
		switch age := now.Sub(time.Unix(0, changed)); {
		case age < 0 && !before:
			wait = max(wait, quiet)
		case age >= 0:
			wait = max(wait, quiet-age)
		}
	}
	folders := map[string]bool{}
	for _, f := range side.Files {
		d := t.done[f.Place]
		since(max(d.identity.Time, d.identity.Changed), d.reused, max(t.o.Quiet, d.fresh()))
		if d.fresh() > 0 {
			wait = max(wait, time.Millisecond)
		}
		folders[filepath.Dir(f.File.Path)] = true
	}
	if t.o.Quiet == 0 {
		return wait
	}
	for folder := range folders {
		if info, err := os.Stat(folder); err == nil {
			since(info.ModTime().UnixNano(), true, t.o.Quiet)
		}
	}
	return wait
}

// differ lists the files that are not the same in two looks at one side.
func differ(a, b *Side) (paths []string) {
	is := map[string]SideFile{}
	for _, f := range b.Files {
		is[f.Place] = f
	}
	for _, f := range a.Files {
		other, there := is[f.Place]
		if !there || other.Size != f.Size || !other.Time.Equal(f.Time) && f.Kind != copyplan.Key || other.Kind != f.Kind ||
			other.Link != f.Link || f.Kind == copyplan.Key && other.Digest != f.Digest {
			paths = append(paths, f.File.Path)
		}
		delete(is, f.Place)
	}
	for _, f := range is {
		paths = append(paths, f.File.Path)
	}
	return paths
}
