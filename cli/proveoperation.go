package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"endroit/copies"
	"endroit/core/proof"
	"endroit/core/standing"
)

// possible says why an operation cannot be tried here.
func (x *proving) possible(side *copies.Side) error {
	v := side.Variant
	switch {
	case x.aim == "prefix-removal" && v.Prefix == "":
		return fail(exitUsage, "%s does not run in a prefix here: there is none to remove", x.s.title.Name)
	case (x.aim == "move" || x.aim == "uninstall" || x.aim == "repair") && v.StartedBy == "":
		return fail(exitUsage, "no launcher on this machine lists %s: it cannot be seen where it is afterwards (endroit machine)", x.s.title.Name)
	case x.aim == "cloud" && v.Cloud != nil && !*v.Cloud:
		return fail(exitConflict, "%s keeps no cloud copies of it: switch that on for this title, and let it synchronise first", launcherOf(v))
	case x.c.Bool("listed") && len(v.CloudFolders) == 0:
		return fail(exitNotFound, "%s's own files do not say of which files its cloud keeps copies: without --listed it is tried", launcherOf(v))
	case x.aim.Hazard() && len(x.c.StringSlice("by")) > len(x.ways()):
		return fail(exitUsage, "--by is given %d times, and %s has %d", len(x.c.StringSlice("by")), x.aim, len(x.ways()))
	case x.aim == "move" && len(x.c.StringSlice("by")) == 1:
		return fail(exitUsage, "moving has two directions: give --by twice, there and back")
	}
	return nil
}

func (x *proving) ways() []string {
	if x.aim == "move" {
		return []string{proof.There, proof.Back}
	}
	return []string{""}
}

// operationSays is what will be done, or has to be done by a person.
func (x *proving) operationSays() string {
	by := x.c.StringSlice("by")
	if len(by) > 0 {
		tries := fmt.Sprintf("What %s does to them is tried by %q", standing.Operation(x.aim).Words(), by[0])
		if len(by) > 1 {
			tries += fmt.Sprintf(", and back by %q", by[1])
		}
		return tries + "."
	}
	switch x.aim {
	case "prefix-removal":
		return "The prefix is moved aside, Endroit looks at what is left, and it is moved back."
	case "move":
		return "You move the installation to another library and back with the launcher; each time Endroit looks at what is left."
	case "uninstall":
		return "You uninstall the game with the launcher and install it again; then Endroit looks at what is left."
	case "repair":
		return "You have the launcher check and repair the installation; then Endroit looks at what is left."
	}
	return "They are taken away, you let the launcher synchronise, and then Endroit looks at what its cloud brought back."
}

// askFor is what a person has to do for an operation.
func (x *proving) askFor(direction string) string {
	switch {
	case x.aim == "move" && direction == proof.There:
		return "Move the installation to another library with the launcher."
	case x.aim == "move":
		return "Move it back with the launcher."
	case x.aim == "uninstall":
		return "Uninstall the game with the launcher, and install it again."
	case x.aim == "repair":
		return "Have the launcher check and repair the installation."
	}
	return "Let the launcher synchronise its cloud copies of this title: start the launcher, wait until it is done, and end it."
}

// operate does an operation, by a command, by itself, or by asking a person to.
func (x *proving) operate(ctx context.Context, side *copies.Side, direction string) error {
	if by := x.c.StringSlice("by"); len(by) > 0 {
		line := by[min(len(x.p.Rounds), len(by))-1]
		c := exec.CommandContext(ctx, "sh", "-c", line)
		c.Stdout, c.Stderr = x.a.err, x.a.err
		if err := c.Run(); err != nil {
			return fail(exitFailed, "--by %s: %w", line, err)
		}
		return nil
	}
	if x.aim == "prefix-removal" {
		return x.moveAside(side.Variant.Prefix)
	}
	_, err := x.a.askLine(x.askFor(direction) + " Press Enter when it is done")
	return err
}

// moveAside moves a prefix aside, so that it is as if it had been removed. Where it is then
// is written down before.
func (x *proving) moveAside(prefix string) error {
	x.p.Aside = &proof.Aside{Folder: prefix, At: prefix + ".endroit-" + x.p.ID}
	if err := x.save(); err != nil {
		return err
	}
	return os.Rename(prefix, x.p.Aside.At)
}

// returnAside moves a prefix back that was moved aside. What has appeared in its place
// meanwhile is kept beside it.
func (x *proving) returnAside(ctx context.Context) error {
	if x.p == nil || x.p.Aside == nil {
		return nil
	}
	aside := *x.p.Aside
	if _, err := os.Lstat(aside.At); errors.Is(err, fs.ErrNotExist) {
		x.p.Aside = nil // it is back, or was not moved yet
		return x.save()
	} else if err != nil {
		return err
	}
	if _, err := os.Lstat(aside.Folder); err == nil {
		made := aside.At + ".made"
		if err := os.Rename(aside.Folder, made); err != nil {
			return err
		}
		x.a.tell("endroit: a new prefix had been made meanwhile; it is kept as %s", shown(made))
	}
	if err := os.Rename(aside.At, aside.Folder); err != nil {
		return err
	}
	x.p.Aside = nil
	if err := x.save(); err != nil {
		return err
	}
	return x.resurvey(ctx)
}

// resurvey looks at the machine again: after an operation things are elsewhere.
func (x *proving) resurvey(ctx context.Context) error {
	s, err := x.a.readSubject(ctx, x.c, x.c.Args().First())
	if err != nil {
		return err
	}
	x.s.close()
	x.s.here, x.s.close = s.here, s.close
	return x.s.find(ctx)
}

// look compares what is there after an operation with the copy.
func (x *proving) look(ctx context.Context) ([]proof.Became, error) {
	var changed map[string]bool // by place: changed, or gone
	var side *copies.Side
	if x.p.Aside == nil {
		if err := x.resurvey(ctx); err != nil {
			return nil, err
		}
		var err error
		if side, err = x.side(ctx); err != nil && exitCode(err) != exitNotFound {
			return nil, err
		} else if err != nil {
			side = nil // it is not on this machine any more
		}
	}
	c, err := x.a.findCopy(ctx, x.p.Copy, nil)
	if err != nil {
		return nil, err
	}
	here := map[string]bool{}
	if side != nil {
		unseen := x.file + ".seen" // all is read: an operation can change a file and keep its time
		defer os.Remove(unseen)
		for _, f := range side.Files {
			here[f.Place] = true
		}
		plan, err := copies.PlanPutback(ctx, side, c, copies.PutbackOptions{Seen: copies.OpenSeen(unseen)})
		if err != nil {
			return nil, err
		}
		defer plan.Close()
		changed = map[string]bool{}
		for _, ch := range plan.Changes {
			changed[ch.Place] = true
		}
		for _, r := range plan.Refused {
			changed[r.Place] = true
		}
	}
	became := make([]proof.Became, len(x.p.Locations))
	for i := range became {
		became[i].Location = i
	}
	for _, f := range c.Record.Files {
		at := c.Record.Locations[f.Location].At
		i := slices.IndexFunc(x.p.Locations, func(l proof.Location) bool { return l.At == at })
		if i < 0 {
			continue
		}
		switch {
		case side == nil && x.outside(f.Place):
			became[i].Same++
		case side == nil || !here[f.Place]:
			became[i].Gone++
		case changed[f.Place]:
			became[i].Changed++
		default:
			became[i].Same++
		}
	}
	for _, b := range became {
		x.tell("  %s: %s", shown(x.p.Locations[b.Location].At), b)
	}
	return became, nil
}

// outside reports whether a file that is not in the prefix that was moved aside is where it
// was, by the paths that were written down.
func (x *proving) outside(at string) bool {
	path, err := url.PathUnescape(x.p.Paths[at])
	if path == "" || err != nil {
		return false
	}
	_, err = os.Lstat(filepath.FromSlash(path))
	return err == nil
}

// operationTold says that an operation is done now.
func (x *proving) operationTold(direction string) string {
	if direction == "" {
		return "Now: " + standing.Operation(x.p.Aim).Words()
	}
	return "Now: " + standing.Operation(x.p.Aim).Words() + ", " + direction
}
