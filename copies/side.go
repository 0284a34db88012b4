package copies

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/filename"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/regtext"
	"endroit/locate"
	"endroit/machine"
	"endroit/registry"
)

// Choice says what of a title is meant.
type Choice struct {
	Holds []string // of draft.Holds; empty for all
	Slot  string   // only files whose {slot} this is; empty for all
}

// Includes reports whether locations that hold something are meant.
func (c Choice) Includes(holds string) bool {
	return len(c.Holds) == 0 || slices.Contains(c.Holds, holds)
}

// Side is what one variant of a title has on this machine.
type Side struct {
	Title, TitleID string
	Source         copyrecord.Source
	Variant        locate.Variant
	Files          []SideFile // by place
	// LeftOut is what of the variant is not among the files, and why.
	LeftOut []copyrecord.LeftOut
	// Evidence is how many files were seen by each location when it was found, where that is
	// known.
	Evidence map[string]int

	looked []int  // the variant's locations that were looked at, with files or without
	slot   string // that the files are limited to
	here   *locate.Resolver
}

// SideFile is a file of a side.
type SideFile struct {
	copyplan.Item
	Location int // in the variant's
	File     machine.File
	Target   machine.Target
	// Key is where it is if it is a registry key, Text its content (package regtext), with
	// so many Values.
	Key    registry.Key
	Text   []byte
	Values int
}

// Gather looks at the files of a variant that here has found. A location that is disputed
// or could not be searched is left out.
func Gather(ctx context.Context, here *locate.Resolver, t locate.Title, v locate.Variant, choice Choice) *Side {
	s := &Side{Title: t.Title, TitleID: t.ID, Variant: v, slot: choice.Slot, here: here}
	most := 0
	for _, l := range v.Locations {
		most += len(l.Files)
	}
	s.Files = make([]SideFile, 0, most)
	had := make(map[string]bool, most)
	for i := range v.Locations {
		l := &s.Variant.Locations[i]
		leave := func(why string) { s.LeftOut = append(s.LeftOut, copyrecord.LeftOut{What: l.At, Why: why}) }
		switch {
		case l.Error != "":
			leave(l.Error)
			continue
		case !l.Usable:
			leave(fmt.Sprintf("%s: %s", l.Standing, l.Reason))
			continue
		case !choice.Includes(l.Holds) && l.Values != nil:
			leave(fmt.Sprintf("it holds %s, which was not chosen", footprint.Kind(l.Holds).Word()))
			continue
		case !choice.Includes(l.Holds):
			if len(l.Files) > 0 {
				leave(
					fmt.Sprintf("it holds %s, which was not chosen (%s)", footprint.Kind(l.Holds).Word(), phrase.Count(len(l.Files), "file", "files")),
				)
			}
			continue
		}
		if l.Place().Anchor == place.Registry {
			if choice.Slot != "" {
				leave("a registry key has no slots")
				continue
			}
			key, err := s.readKey(ctx, i)
			if err != nil {
				leave(err.Error())
				continue
			}
			s.looked = append(s.looked, i)
			if key.Kind != copyplan.Nothing {
				s.Files = append(s.Files, key)
			}
			continue
		}
		s.looked = append(s.looked, i)
		for _, sk := range l.Skipped {
			s.LeftOut = append(s.LeftOut, copyrecord.LeftOut{What: sk.Path, Why: sk.Why})
		}
		if l.More > 0 {
			leave(fmt.Sprintf("%d more were skipped", l.More))
		}
		for _, f := range l.Files {
			if choice.Slot != "" && f.Captures["slot"] != choice.Slot {
				continue
			}
			names := f.Names()
			at := place.Exact(l.Place().Anchor, names)
			if had[f.Path] {
				continue // two locations find it
			}
			had[f.Path] = true
			s.Files = append(s.Files, SideFile{
				copyplan.Item{Place: at, State: copyplan.State{Kind: copyplan.Regular, Size: f.Size, Time: f.Time}},
				i, f, machine.Target{Top: f.Top(), Names: names}, registry.Key{}, nil, 0,
			})
		}
	}
	s.findLinks()
	s.sort()
	return s
}

// sort puts the files in order by place: their numbers first, as they are large.
func (s *Side) sort() {
	order := make([]int, len(s.Files))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(s.Files[a].Place, s.Files[b].Place) })
	sorted := make([]SideFile, len(s.Files))
	for i, n := range order {
		sorted[i] = s.Files[n]
	}
	s.Files = sorted
}

// keyOf is the registry key of a location, where this variant is.
func (s *Side) keyOf(l *locate.Location) registry.Key {
	return registry.Key{Prefix: s.Variant.Prefix, Path: strings.Join(l.Place().Names(), `\`)}
}

// readKey reads the registry key of a location; its kind is Nothing if there is none.
func (s *Side) readKey(ctx context.Context, location int) (f SideFile, err error) {
	l := &s.Variant.Locations[location]
	f.Key, f.Location, f.Place = s.keyOf(l), location, l.Place().String()
	f.File.Path = f.Key.String()
	tree, changed, err := registry.Read(ctx, f.Key)
	if err != nil || len(tree) == 0 {
		return f, err
	}
	if f.Text, err = regtext.Text(f.Key.Path, tree); err != nil {
		return f, err
	}
	f.State = keyState(f.Text, changed)
	f.Values = regtext.Values(tree)
	f.File.Size, f.File.Time = f.Size, changed
	return f, nil
}

// keyState is the state of a registry key with this text.
func keyState(text []byte, changed time.Time) copyplan.State {
	sum := sha256.Sum256(text)
	return copyplan.State{Kind: copyplan.Key, Size: int64(len(text)), Digest: hex.EncodeToString(sum[:]), Time: changed.UTC()}
}

// findLinks finds what links lead to: one that leads to no other file of the side is left
// out.
func (s *Side) findLinks() {
	if !slices.ContainsFunc(s.Files, func(f SideFile) bool { return f.File.Linked() }) {
		return
	}
	byPath := map[string]string{}
	for _, f := range s.Files {
		if f.File.Linked() {
			continue
		}
		if real, err := filepath.EvalSymlinks(f.File.Path); err == nil {
			byPath[real] = f.Place
		}
	}
	s.Files = slices.DeleteFunc(s.Files, func(f SideFile) bool {
		return f.File.Linked() && s.linkTarget(f, byPath) == ""
	})
	for i := range s.Files {
		f := &s.Files[i]
		if !f.File.Linked() {
			continue
		}
		f.State = copyplan.State{Kind: copyplan.Link, Link: s.linkTarget(*f, byPath)}
		if info, err := os.Lstat(f.File.Path); err == nil {
			f.Time = info.ModTime()
		}
	}
}

func (s *Side) linkTarget(f SideFile, byPath map[string]string) string {
	real, err := filepath.EvalSymlinks(f.File.Path)
	if at := byPath[real]; err == nil && at != "" && anchorOf(at) == anchorOf(f.Place) {
		return at
	}
	left := copyrecord.LeftOut{What: f.File.Path, Why: "it is a link to something that no location covers"}
	if !slices.Contains(s.LeftOut, left) {
		s.LeftOut = append(s.LeftOut, left)
	}
	return ""
}

func anchorOf(at string) string {
	anchor, _, _ := strings.Cut(at, ":")
	return anchor
}

// Items are the files with what is known of them.
func (s *Side) Items() []copyplan.Item {
	out := make([]copyplan.Item, len(s.Files))
	for i, f := range s.Files {
		out[i] = f.Item
	}
	return out
}

// location is the location of a file.
func (s *Side) location(f SideFile) *locate.Location { return &s.Variant.Locations[f.Location] }

// sample opens a file of the side that has content.
func (s *Side) sample() (*os.File, error) {
	for _, f := range s.Files {
		if f.Kind == copyplan.Regular && f.Size > 0 {
			return s.open(f)
		}
	}
	return nil, ErrEmpty
}

// open opens a file of the side, the one that was found.
func (s *Side) open(f SideFile) (*os.File, error) { return s.here.Open(s.location(f), f.File) }

// Digests reads the files, where seen does not know them, and fills in both their digests.
func (s *Side) Digests(ctx context.Context, seen *Seen) error {
	for i := range s.Files {
		f := &s.Files[i]
		if f.Kind != copyplan.Regular {
			continue
		}
		if err := s.digestBy(ctx, f, seen, disk.SHA256|disk.BLAKE3); err != nil {
			return fmt.Errorf("%s: %w", f.File.Path, err)
		}
	}
	return nil
}

// digest reads a file that is to be compared with another, where seen does not know enough,
// by the quicker of the digests that the other has.
func (s *Side) digest(ctx context.Context, f *SideFile, seen *Seen, other copyplan.State) error {
	if other.BLAKE3 == "" {
		return s.digestBy(ctx, f, seen, disk.SHA256)
	}
	if s.lookup(f, seen); f.Comparable(other) {
		return nil
	}
	return s.digestBy(ctx, f, seen, disk.BLAKE3)
}

// lookup fills in what seen knows of a file.
func (s *Side) lookup(f *SideFile, seen *Seen) {
	if info, err := os.Lstat(f.File.Path); err == nil && info.Mode().IsRegular() {
		f.Digest, f.BLAKE3 = seen.Digests(f.File.Path, disk.Look(info))
	}
}

func (s *Side) digestBy(ctx context.Context, f *SideFile, seen *Seen, sums disk.Sum) error {
	s.lookup(f, seen)
	if (f.Digest != "" || sums&disk.SHA256 == 0) && (f.BLAKE3 != "" || sums&disk.BLAKE3 == 0) {
		return nil
	}
	file, err := s.open(*f)
	if err != nil {
		return err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return err
	}
	begun := seen.now()
	copied, err := disk.Digest(ctx, file, sums)
	if err != nil {
		return err
	}
	after, err := file.Stat()
	if err != nil {
		return err
	}
	if disk.Look(after) != disk.Look(info) || copied.Size != info.Size() {
		return disk.ErrChanged
	}
	f.Digest, f.BLAKE3 = copied.SHA256, copied.BLAKE3
	seen.Note(f.File.Path, disk.Look(info), copied, begun)
	return nil
}

// foldOf gives for a place the text under which this machine finds it.
func (s *Side) foldOf() func(at string) string {
	folding := map[string]bool{}
	for i := range s.Variant.Locations {
		l := &s.Variant.Locations[i]
		if l.Folds() || l.Error == "" && filepath.IsAbs(l.Folder) && disk.Folds(l.Folder) {
			folding[string(l.Place().Anchor)] = true
		}
	}
	return func(at string) string {
		if folding[anchorOf(at)] {
			return filename.Fold(at)
		}
		return at
	}
}

// parts are what the named parts of a side's locations stand for everywhere.
func (s *Side) parts() place.Captures {
	out := place.Captures{}
	for i := range s.Variant.Locations {
		l := &s.Variant.Locations[i]
		for name, value := range l.Known() {
			if strings.Contains(l.At, "{"+name+"}") {
				out[name] = value
			}
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// captures are what a file's location captured, with what was known beforehand.
func (s *Side) captures(f SideFile) place.Captures {
	l := s.location(f)
	if !strings.Contains(l.At, "{") {
		return nil
	}
	out := place.Captures{}
	if found, ok := l.Place().Match(f.Target.Names, nil); ok {
		maps.Copy(out, found)
	}
	if len(out) == 0 {
		return nil
	}
	return out
}
