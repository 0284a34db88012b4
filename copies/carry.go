package copies

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/filename"
	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/place"
)

// CarryOptions say how a copy becomes one of another variant.
type CarryOptions struct {
	Choice
	// FromAccount is the account whose files are meant, where the copy has several; Account
	// the one that they are for.
	FromAccount, Account string
}

// Carried is a copy whose files have the places of another variant.
type Carried struct {
	// Record says what the copy would be there. Its files are stored where those of the copy
	// that it was made of are.
	Record *copyrecord.Record
	Routes []CarriedRoute
	// Left are files that have no place there.
	Left []Problem
	// Unshown is true where nobody has shown that the files are the same.
	Unshown bool
}

// CarriedRoute is a location, and the one that its files go to.
type CarriedRoute struct {
	From  string `json:"from"`
	To    string `json:"to,omitempty"` // empty if there is none
	Shown bool   `json:"shown"`
	Why   string `json:"why"`
	Files int    `json:"files"`
}

// VariantOf is the variant of a title that a copy is of; nil if the title no longer has it.
func VariantOf(t *manifest.Title, r *copyrecord.Record) *manifest.Variant {
	for i, v := range t.Variants {
		w := r.Variant
		if v.Store == w.Store && v.Ref == w.Reference && v.Launcher == w.Launcher && v.OS == w.OS && v.Runtime == w.Runtime {
			return &t.Variants[i]
		}
	}
	return nil
}

// Carry translates a copy to another variant of its title, by what is recorded of both: to
// is the side that it is for.
func Carry(t *manifest.Title, c *Copy, to *Side, o CarryOptions) (*Carried, error) {
	from := VariantOf(t, c.Record)
	if from == nil {
		return nil, errors.New("the variant that the copy is of is no longer recorded for the title")
	}
	v := to.Variant
	target := copyplan.Build{Store: v.Store, Reference: v.Reference, OS: v.System, Runtime: v.Runtime}
	w := c.Record.Variant
	source := copyplan.Build{Store: w.Store, Reference: w.Reference, OS: w.OS, Runtime: w.Runtime}
	var there []copyplan.Kept
	for i := range v.Locations {
		l := &v.Locations[i]
		if l.Error == "" && l.Usable {
			there = append(there, copyplan.Kept{At: l.Place(), Holds: l.Holds, Notes: notesDigest(l.Notes)})
		} else {
			there = append(there, copyplan.Kept{Holds: "-"})
		}
	}
	var here []copyplan.Kept
	for _, l := range c.Record.Locations {
		at, err := place.Parse(l.At)
		if err != nil {
			return nil, err // which Parse of the record lets not pass
		}
		k := copyplan.Kept{At: at, Holds: l.Holds}
		if i := slices.IndexFunc(from.Locations, func(m manifest.Location) bool { return m.At == l.At }); i >= 0 {
			k.Notes = notesDigest(from.Locations[i].Notes)
		}
		here = append(here, k)
	}
	routes, alone := copyplan.Routes(source, target, here, there)
	out := &Carried{}
	byFrom := map[int]copyplan.Route{}
	used := map[int]bool{} // of the copy's locations, those with files
	for _, f := range c.Record.Files {
		used[f.Location] = true
	}
	for _, r := range routes {
		if byFrom[r.From] = r; !used[r.From] {
			continue
		}
		out.Routes = append(out.Routes, CarriedRoute{From: here[r.From].At.String(), To: there[r.To].At.String(), Shown: r.Shown, Why: r.Why})
	}
	for _, i := range alone {
		if !used[i] {
			continue
		}
		out.Routes = append(
			out.Routes,
			CarriedRoute{From: here[i].At.String(), Why: "no location of that variant is known to keep the same; " + copyplan.Would},
		)
	}
	account, err := o.account(c.Record)
	if err != nil {
		return nil, err
	}
	out.Record = carriedRecord(c.Record, to)
	places := map[string]string{} // of the copy's files, there
	var links []copyrecord.File
	for _, f := range c.Record.Files {
		if !o.Includes(c.Record.Locations[f.Location].Holds) || o.Slot != "" && f.Parts["slot"] != o.Slot {
			continue
		}
		r, ok := byFrom[f.Location]
		if !ok {
			out.Left = append(out.Left, Problem{f.Place, "that variant has no location for it"})
			continue
		}
		if account != "" && f.Parts["account"] != "" && f.Parts["account"] != account {
			out.Left = append(out.Left, Problem{f.Place, "it is of the account " + f.Parts["account"]})
			continue
		}
		if f.Link != "" {
			links = append(links, f)
			continue
		}
		if err := out.add(f, r, here[r.From].At, there[r.To].At, to, o.values(to, v.Locations[r.To].Known(), account), places); err != nil {
			out.Left = append(out.Left, Problem{f.Place, err.Error()})
		}
	}
	for _, f := range links {
		r := byFrom[f.Location]
		at, there2 := here[r.From].At, there[r.To].At
		target := places[f.Link]
		if target == "" {
			out.Left = append(out.Left, Problem{f.Place, "it is a link to a file that is not carried"})
			continue
		}
		f.Link = target
		if err := out.add(f, r, at, there2, to, o.values(to, v.Locations[r.To].Known(), account), places); err != nil {
			out.Left = append(out.Left, Problem{f.Place, err.Error()})
		}
	}
	if len(out.Record.Files) == 0 {
		return out, nil
	}
	return out, out.Record.Check()
}

// add gives a file its place there.
func (out *Carried) add(
	f copyrecord.File, r copyplan.Route, from, at place.Location, to *Side, values place.Captures, places map[string]string,
) error {
	_, names, err := f.Names()
	if err != nil {
		return err
	}
	translated := names
	if f.IsKey() && from.String() != at.String() {
		return fmt.Errorf("that variant keeps it in another key of the registry, %s", at)
	}
	if !f.IsKey() {
		if translated, err = copyplan.Translate(from, at, names, values); err != nil {
			return err
		}
	}
	was := f.Place
	f.Place = place.Of(at.Anchor, translated, f.IsKey()).String()
	for _, other := range places {
		if other == f.Place {
			return errors.New("another file of the copy has the same place there")
		}
	}
	f.Parts = nil
	if parts, ok := at.Match(translated, nil); ok && len(parts) > 0 {
		f.Parts = parts
	}
	f.Location = out.location(at, to, r)
	places[was] = f.Place
	out.Record.Files = append(out.Record.Files, f)
	for i := range out.Routes {
		if out.Routes[i].From == from.String() {
			out.Routes[i].Files++
			out.Unshown = out.Unshown || !out.Routes[i].Shown
		}
	}
	return nil
}

// location is the index of a location in the record, which gets it if it has it not yet.
func (out *Carried) location(at place.Location, to *Side, r copyplan.Route) int {
	text := at.String()
	for i, l := range out.Record.Locations {
		if l.At == text {
			return i
		}
	}
	l := to.Variant.Locations[r.To]
	out.Record.Locations = append(out.Record.Locations, copyrecord.Location{At: text, Holds: l.Holds, Standing: l.Standing, Reason: l.Reason})
	return len(out.Record.Locations) - 1
}

// account is the account whose files of a copy are meant.
func (o CarryOptions) account(r *copyrecord.Record) (string, error) {
	had := map[string]bool{}
	var all []string
	for _, f := range r.Files {
		if a := f.Parts["account"]; a != "" && !had[a] {
			had[a] = true
			all = append(all, a)
		}
	}
	switch {
	case o.FromAccount != "" && !had[o.FromAccount]:
		return "", fmt.Errorf("the copy has no files of the account %s", o.FromAccount)
	case o.FromAccount != "":
		return o.FromAccount, nil
	case len(all) > 1:
		slices.Sort(all)
		return "", fmt.Errorf("the copy has files of several accounts (%v); name the one that you mean with --from-account", all)
	case len(all) == 1:
		return all[0], nil
	}
	return "", nil
}

// values are what named parts stand for there. The account is the one that was named, else
// the one in use there, else the one that it was.
func (o CarryOptions) values(to *Side, known place.Captures, was string) place.Captures {
	out := place.Captures{}
	for name, value := range known {
		out[name] = value
	}
	account := was
	for _, a := range to.Variant.Accounts {
		if a.InUse {
			account = a.ID
		}
	}
	if o.Account != "" {
		account = o.Account
	}
	if account != "" {
		out["account"] = account
	}
	return out
}

// carriedRecord begins the record of a copy that is carried to a side.
func carriedRecord(r *copyrecord.Record, to *Side) *copyrecord.Record {
	v := to.Variant
	out := *r
	out.ID, out.Source, out.Set, out.Kept = newID(), to.Source, false, false
	out.Variant = copyrecord.Variant{
		Store: v.Store, Reference: v.Reference, Launcher: v.Launcher, OS: v.System, Runtime: v.Runtime, Version: r.Variant.Version,
		Account: v.Account, Parts: to.parts(),
	}
	out.Locations, out.Files, out.LeftOut = nil, []copyrecord.File{}, nil
	return &out
}

// notesDigest tells notes on structure apart; empty if there are none.
func notesDigest(n *notes.Notes) string {
	if n == nil {
		return ""
	}
	data, err := manifest.Canonical(n)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// WriteCarried makes a copy of its own of files that were carried: nothing else is changed.
func WriteCarried(ctx context.Context, from *Copy, carried *Carried, to string, told func(done, of int)) (*Copy, error) {
	r := *carried.Record
	r.Files = slices.Clone(r.Files)
	folder := filepath.Join(to, filename.Portable(r.Title))
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("%s: %w", folder, disk.Cause(err))
	}
	t := &taking{o: TakeOptions{To: to, Form: Folder, Machine: r.Machine}, folder: folder, part: filepath.Join(folder, partName(r.Machine))}
	defer disk.RemoveAll(t.part)
	if err := os.MkdirAll(t.part, 0o755); err != nil {
		return nil, fmt.Errorf("%s: %w", folder, disk.Cause(err))
	}
	source, err := os.OpenRoot(from.Path)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", from.Path, disk.Cause(err))
	}
	defer source.Close()
	root, err := os.OpenRoot(t.part)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	for i := range r.Files {
		f := &r.Files[i]
		if f.Link == "" {
			anchor, names, err := f.Names()
			if err != nil {
				return nil, err
			}
			stored := t.names.Next(anchor, storedNames(anchor, names))
			if err := t.takeOver(ctx, source, root, f, stored); err != nil {
				return nil, err
			}
		}
		if told != nil {
			told(i+1, len(r.Files))
		}
	}
	r.Taken = time.Now().UTC().Truncate(time.Millisecond)
	return t.publish(ctx, t.write(&r))
}

// takeOver copies a stored file of another copy into this one, and checks it.
func (t *taking) takeOver(ctx context.Context, source, root *os.Root, f *copyrecord.File, stored string) error {
	from, err := openRegular(source, filepath.FromSlash(f.Stored))
	if err != nil {
		return fmt.Errorf("%s: %w", f.Place, disk.Cause(err))
	}
	defer from.Close()
	name := filepath.FromSlash(stored)
	if err := root.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	to, err := root.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	copied, err := disk.Copy(ctx, to, from, f.Holes, f.Size, quickest(*f))
	if err == nil && (copied.Size != f.Size || !isContent(copied, *f)) {
		err = &ProblemsError{source.Name(), []Problem{{f.Place, "its content is not the one that was copied"}}}
	}
	if err == nil {
		err = to.Sync()
	}
	if closed := to.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return err
	}
	f.Stored = stored
	return root.Chtimes(name, f.Time, f.Time)
}
