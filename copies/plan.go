package copies

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"endroit/copies/disk"
	"endroit/copies/journal"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/filename"
	"endroit/core/notes"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/regtext"
	"endroit/core/standing"
	"endroit/locate"
	"endroit/machine"
	"endroit/parallel"
	"endroit/registry"
	"endroit/safefile"
)

// Word names something that a person has to say yes to by itself.
type Word string

// The words.
const (
	Wide     Word = "wide"     // files are replaced or removed by a location that finds far more than its evidence
	Observed Word = "observed" // a location was merely observed, and files are replaced or removed by it
	Newer    Word = "newer"    // what is here was changed after what replaces it
	Damaged  Word = "damaged"  // a file that would be put back is damaged, or something else
	Version  Word = "version"  // it is from another version of the game
	Account  Word = "account"  // it is of an account that is not known here
	Running  Word = "running"  // the game runs, or something has its files open
	Cloud    Word = "cloud"    // the launcher keeps cloud copies of it
	Changed  Word = "changed"  // files were changed since the operation that is undone
	Unshown  Word = "unshown"  // nobody has shown that the files are the same in both variants
)

// Words lists them.
var Words = []Word{Wide, Observed, Newer, Damaged, Version, Account, Running, Cloud, Changed, Unshown}

// Warning is something that a person has to know, and to say yes to.
type Warning struct {
	Word Word   `json:"word"`
	Text string `json:"text"`
}

// Prepared is an operation on files that a person is asked about.
type Prepared struct {
	Side    *Side
	Plan    copyplan.Plan
	Changes []journal.Change
	// Here and There are what is on both sides, of what the operation is about.
	Here, There copyplan.Side
	// HereChanges and ThereChanges are the files of both that are not the same. Age says which
	// of these are newer.
	HereChanges, ThereChanges copyplan.Side
	Age                       copyplan.Age
	Warnings                  []Warning
	// Refused are files of the copy that cannot be put here, with the reason: while there
	// are any, nothing is done.
	Refused []Problem
	// Left are files here that are not touched, though the locations cover them.
	Left []Problem
	// Verdicts is what the notes on structure say of the files that are put back, by word.
	Verdicts map[string]int

	close []func()
}

// Close closes what is open for it.
func (p *Prepared) Close() {
	for _, c := range p.close {
		c()
	}
}

// PutbackOptions say how a copy is put back.
type PutbackOptions struct {
	Choice
	Leave bool // what only this machine has stays
	Seen  *Seen
}

// PlanPutback plans how a copy's files, which are in a folder, replace those of a side.
// It reads the files of both sides that may be the same.
func PlanPutback(ctx context.Context, side *Side, c *Copy, o PutbackOptions) (*Prepared, error) {
	p := &Prepared{Side: side, Verdicts: map[string]int{}}
	if slot := c.Record.Slot; slot != "" {
		if o.Slot != "" && o.Slot != slot {
			return nil, safefile.InputErrorf("the copy has only the slot %s", slot)
		}
		o.Slot = slot // of all others it says nothing
	}
	w := &putback{p: p, c: c, o: o, accounts: map[string]bool{}, touched: map[int]bool{}}
	if err := w.findTargets(); err != nil {
		return nil, err
	}
	here := w.ofInterest()
	fold := side.foldOf()
	if err := w.readAlike(ctx, here, fold); err != nil {
		return nil, err
	}
	items := make([]copyplan.Item, len(here))
	for i, n := range here {
		items[i] = side.Files[n].Item
	}
	var err error
	if p.Plan, err = copyplan.Make(items, w.there, copyplan.Options{Leave: o.Leave, Fold: fold}); err != nil {
		return nil, safefile.InputErrorf("%v", err)
	}
	p.Here, p.There = copyplan.Of(items), copyplan.Of(w.there)
	p.HereChanges, p.ThereChanges = p.Plan.Sides()
	if p.ThereChanges.Files == 0 {
		p.ThereChanges = p.There
	}
	if p.Age = copyplan.Equal; len(p.Plan.Steps) > 0 {
		p.Age = copyplan.Newer(p.HereChanges, p.ThereChanges, time.Now())
	}
	if err := w.makeChanges(ctx, fold); err != nil {
		p.Close()
		return nil, err
	}
	w.warn()
	return p, nil
}

// putback is a putback that is planned.
type putback struct {
	p        *Prepared
	c        *Copy
	o        PutbackOptions
	there    []copyplan.Item
	targets  map[string]target // of there, by place
	accounts map[string]bool   // of the copy's files
	touched  map[int]bool      // the variant's locations that the copy has files of
}

type target struct {
	machine.Target
	location int
	file     copyrecord.File
	key      registry.Key // if it is one
}

// findTargets finds where each file of the copy goes here.
func (w *putback) findTargets() error {
	w.targets = map[string]target{}
	for i := range w.p.Side.Variant.Locations {
		l := &w.p.Side.Variant.Locations[i]
		if slices.ContainsFunc(w.c.Record.Locations, func(r copyrecord.Location) bool { return r.At == l.At }) && w.usable(l) {
			w.touched[i] = true
		}
	}
	for n, item := range Items(w.c.Record) {
		f := w.c.Record.Files[n]
		if !w.o.Includes(w.c.Record.Locations[f.Location].Holds) || w.o.Slot != "" && f.Parts["slot"] != w.o.Slot {
			continue
		}
		anchor, names, err := f.Names()
		if err != nil {
			return err // which Parse lets not pass
		}
		t, err := w.targetOf(anchor, names, f)
		if err != nil {
			w.p.Refused = append(w.p.Refused, Problem{f.Place, err.Error()})
			continue
		}
		t.file = f
		w.targets[f.Place] = t
		w.touched[t.location] = true
		if account := f.Parts["account"]; account != "" {
			w.accounts[account] = true
		}
		w.there = append(w.there, item)
	}
	if len(w.there) == 0 && len(w.p.Refused) == 0 {
		return safefile.InputErrorf("the copy has no files of what was chosen")
	}
	return nil
}

func (w *putback) usable(l *locate.Location) bool {
	return l.Error == "" && l.Usable && w.o.Includes(l.Holds)
}

// targetOf finds the location that covers a file here: the one by which it was copied, else
// another of the variant.
func (w *putback) targetOf(anchor place.Anchor, names []string, f copyrecord.File) (target, error) {
	at := w.c.Record.Locations[f.Location].At
	locations := w.p.Side.Variant.Locations
	order := make([]int, 0, len(locations))
	for i := range locations {
		if locations[i].At == at {
			order = append([]int{i}, order...)
		} else {
			order = append(order, i)
		}
	}
	failed := error(nil)
	for _, i := range order {
		l := &locations[i]
		if l.Place().Anchor != anchor || !w.usable(l) {
			continue
		}
		if f.IsKey() {
			if l.Place().String() == f.Place {
				return target{location: i, key: w.p.Side.keyOf(l)}, nil
			}
			continue
		}
		t, err := w.p.Side.here.Target(l, names)
		if err == nil {
			return target{Target: t, location: i}, nil
		}
		if failed == nil && !errors.Is(err, machine.ErrNotCovered) {
			failed = err
		}
	}
	if failed != nil {
		return target{}, failed
	}
	if user, here := w.c.Record.Variant.Parts["user"], w.p.Side.parts()["user"]; user != "" && here != "" && user != here {
		return target{}, fmt.Errorf("it is of the user %s, and here the user is %s; endroit carry brings it from one to the other", user, here)
	}
	return target{}, errors.New("no location that is recorded for this variant, and may be used, covers it here")
}

// ofInterest are the side's files that the copy is about, by their index. Files of other
// accounts than the copy's are left alone.
func (w *putback) ofInterest() (here []int) {
	for i, f := range w.p.Side.Files {
		if !w.touched[f.Location] || w.o.Slot != "" && f.File.Captures["slot"] != w.o.Slot {
			continue
		}
		if account := f.File.Captures["account"]; account != "" && len(w.accounts) > 0 && !w.accounts[account] {
			w.p.Left = append(w.p.Left, Problem{f.File.Path, "it is of the account " + account + ", of which the copy has nothing"})
			continue
		}
		here = append(here, i)
	}
	return here
}

// readAlike reads the files here that may have the same content as the copy's.
func (w *putback) readAlike(ctx context.Context, here []int, fold func(string) string) error {
	there := map[string]copyplan.State{}
	for _, it := range w.there {
		there[fold(it.Place)] = it.State
	}
	var alike []*SideFile
	for _, i := range here {
		f := &w.p.Side.Files[i]
		if s, has := there[fold(f.Place)]; f.Kind == copyplan.Regular && has && s.Size == f.Size {
			alike = append(alike, f)
		}
	}
	if err := parallel.Each(ctx, len(alike), func(ctx context.Context, i int) error {
		if err := w.p.Side.digest(ctx, alike[i], w.o.Seen, there[fold(alike[i].Place)]); err != nil {
			return fmt.Errorf("%s: %w", alike[i].File.Path, disk.Cause(err))
		}
		return nil
	}); err != nil {
		return err
	}
	return w.o.Seen.Save()
}

// makeChanges turns the plan's steps into changes of files.
func (w *putback) makeChanges(ctx context.Context, fold func(string) string) error {
	byKey, files := map[string]target{}, map[string]SideFile{}
	for at, t := range w.targets {
		byKey[fold(at)] = t
	}
	for _, f := range w.p.Side.Files {
		files[f.Place] = f
	}
	stored := &openFolders{}
	if slices.ContainsFunc(w.p.Plan.Steps, func(s copyplan.Step) bool {
		return s.After.Kind == copyplan.Regular || s.After.Kind == copyplan.Key
	}) {
		var err error
		if stored.root, err = os.OpenRoot(w.c.Path); err != nil {
			return fmt.Errorf("%s: %w", w.c.Path, disk.Cause(err))
		}
		w.p.close = append(w.p.close, stored.close)
	}
	var targets []copyplan.Target
	for _, s := range w.p.Plan.Steps {
		c := journal.Change{Place: s.Place, Before: s.Before, After: s.After}
		t, wanted := byKey[fold(s.Place)]
		if wanted {
			c.Top, c.Names, c.Key = t.Top, t.Names, t.key
		}
		if f, there := files[s.Place]; there { // as it is called here
			c.Top, c.Names, c.Key = f.Target.Top, f.Target.Names, f.Key
		}
		switch s.After.Kind {
		case copyplan.Regular:
			c.Attributes = disk.Attributes{
				Time: t.file.Time, Mode: os.FileMode(t.file.Mode & 0o777), Xattrs: t.file.Xattrs, Holes: t.file.Holes,
			}
			c.Open = func() (*os.File, error) { return stored.regular(t.file.Stored) }
			w.judge(stored, t)
		case copyplan.Key:
			text, err := readKeyText(stored, t)
			if err != nil {
				w.p.Refused = append(w.p.Refused, Problem{s.Place, err.Error()})
				break
			}
			c.Text = text
			c.After = keyState(text, t.file.Time)
		case copyplan.Link:
			to, there := byKey[fold(t.file.Link)]
			if !there {
				w.p.Refused = append(w.p.Refused, Problem{s.Place, "it is a link to a file that was not chosen"})
				w.p.Changes = append(w.p.Changes, c)
				continue
			}
			text, err := filepath.Rel(filepath.Dir(c.Path()), to.Path())
			if err != nil {
				return err
			}
			c.LinkText = text
		}
		if s.After.Kind != copyplan.Nothing && c.Key.Path == "" {
			targets = append(targets, copyplan.Target{Place: s.Place, Path: filepath.ToSlash(c.Path()), Names: c.Names})
		}
		w.p.Changes = append(w.p.Changes, c)
	}
	for _, x := range copyplan.CheckNames(targets, w.rules()) {
		w.p.Refused = append(w.p.Refused, Problem{x.Place, x.Why})
	}
	return ctx.Err()
}

// readKeyText reads the text of a registry key in a copy, in the one form that it has here.
func readKeyText(folders *openFolders, t target) ([]byte, error) {
	f, err := folders.regular(t.file.Stored)
	if err != nil {
		return nil, disk.Cause(err)
	}
	defer f.Close()
	text, err := io.ReadAll(io.LimitReader(f, regtext.MaxBytes+1))
	if err != nil {
		return nil, disk.Cause(err)
	}
	if sum := sha256.Sum256(text); hex.EncodeToString(sum[:]) != t.file.SHA256 {
		return nil, errors.New("its content is not the one that was copied")
	}
	tree, err := regtext.Parse(text, t.key.Path)
	if err != nil {
		return nil, err
	}
	return regtext.Text(t.key.Path, tree)
}

// rules are what the machine that the game sees asks of names.
func (w *putback) rules() filename.Rules {
	if w.p.Side.Variant.Prefix == "" {
		return filename.Of(w.p.Side.Variant.System)
	}
	rules := filename.Windows
	if runtime.GOOS != "windows" {
		rules.Path = filename.Linux.Path // of the path outside
	}
	return rules
}

// judge reads a file that is put back by the notes on the structure of its location.
func (w *putback) judge(folders *openFolders, t target) {
	n := w.p.Side.Variant.Locations[t.location].Notes
	if n == nil {
		return
	}
	f, err := folders.regular(t.file.Stored)
	if err != nil {
		return // which is told when it is to be copied
	}
	defer f.Close()
	data, _, err := safefile.ReadSteady(f, t.file.Stored)
	if err != nil {
		w.p.Verdicts[notes.Unsure]++
		return
	}
	v := n.Judge(data)
	w.p.Verdicts[v.Word]++
	if v.Word == notes.Damaged || v.Word == notes.Foreign {
		w.p.Warnings = append(w.p.Warnings, Warning{Damaged, fmt.Sprintf("%s is %s in the copy: %s", t.file.Place, v.Word, v.Why)})
	}
}

// warn says what a person has to say yes to.
func (w *putback) warn() {
	p := w.p
	p.Warnings = append(p.Warnings, append(p.wide(), p.observed()...)...)
	if p.Age == copyplan.Here && p.Plan.Sum().Replace+p.Plan.Sum().Remove > 0 {
		p.Warnings = append(p.Warnings, Warning{Newer, fmt.Sprintf(
			"what would be replaced or removed here was changed on %s, after what the copy has (%s)",
			moment(p.HereChanges.Newest), moment(p.ThereChanges.Newest),
		)})
	}
	was, is := w.c.Record.Variant.Version, p.Side.Variant.Version
	switch order := standing.CompareVersions(was, is); {
	case was == "" || is == "" || order == 0:
	case order < 0:
		p.Warnings = append(p.Warnings, Warning{Version, fmt.Sprintf(
			"the copy is from version %s of the game, and version %s is installed: it may not load older files, or change them for good", was, is,
		)})
	default:
		p.Warnings = append(p.Warnings, Warning{Version, fmt.Sprintf(
			"the copy is from version %s of the game, and the older version %s is installed: it may not load them", was, is,
		)})
	}
	known := map[string]bool{}
	for _, a := range p.Side.Variant.Accounts {
		known[a.ID] = true
	}
	for _, f := range p.Side.Files {
		known[f.File.Captures["account"]] = true
	}
	for account := range w.accounts {
		if !known[account] {
			p.Warnings = append(p.Warnings, Warning{Account, fmt.Sprintf(
				"the copy is of the account %s, which is not known here; endroit carry brings it to another account", account,
			)})
		}
	}
}

// observed warns of locations that nobody has confirmed, where files are replaced or
// removed by them.
func (p *Prepared) observed() (out []Warning) {
	had := map[string]bool{}
	for _, f := range p.Side.Files {
		l := p.Side.location(f)
		if had[l.At] || l.Standing == standing.Confirmed || l.Standing == standing.Proven || !p.changes(f.Place) {
			continue
		}
		had[l.At] = true
		text := l.At + ": " + l.Reason
		if l.Standing != standing.Observed {
			text = fmt.Sprintf("%s is %s: %s", l.At, l.Standing, l.Reason)
		}
		out = append(out, Warning{Observed, text})
	}
	return out
}

// How many files a location may find before a person is asked whether it is the right one:
// so many for each that its evidence saw, but not fewer than usualFiles; and where nothing is
// known of that, manyFiles.
const (
	timesEvidence = 20
	usualFiles    = 200
	manyFiles     = 2000
)

// wide warns of locations that find far more files here than their evidence makes likely,
// where more than a few are replaced or removed by them: somebody else's files may be among
// them.
func (p *Prepared) wide() (out []Warning) {
	found, changed := map[int]int{}, map[int]int{}
	for _, f := range p.Side.Files {
		found[f.Location]++
		if p.changes(f.Place) {
			changed[f.Location]++
		}
	}
	for i, l := range p.Side.Variant.Locations {
		most, says := manyFiles, "its evidence does not say of how many"
		if n := p.Side.Evidence[l.At]; n > 0 {
			most, says = max(n*timesEvidence, usualFiles), "its evidence saw "+phrase.Count(n, "file", "files")
		}
		if found[i] > most && changed[i] > usualFiles {
			out = append(out, Warning{Wide, fmt.Sprintf(
				"%s finds %d files here, of which %d are replaced or removed, and %s; look whether all are this game's (endroit locate --all-files)",
				l.At, found[i], changed[i], says,
			)})
		}
	}
	return out
}

// changes reports whether a file that is here is replaced or removed.
func (p *Prepared) changes(at string) bool {
	_, found := slices.BinarySearchFunc(p.Plan.Steps, at, func(s copyplan.Step, at string) int { return strings.Compare(s.Place, at) })
	return found
}

// PlanClear plans how a side's files are taken away. Those of other accounts than the one in
// use are left, where accounts are told apart, unless all is meant.
func PlanClear(side *Side, allAccounts bool) *Prepared {
	p := &Prepared{Side: side, Verdicts: map[string]int{}}
	inUse := ""
	for _, a := range side.Variant.Accounts {
		if a.InUse {
			inUse = a.ID
		}
	}
	items := []copyplan.Item{}
	for _, f := range side.Files {
		if account := f.File.Captures["account"]; !allAccounts && inUse != "" && account != "" && account != inUse {
			p.Left = append(p.Left, Problem{f.File.Path, "it is of the account " + account + ", which is not in use"})
			continue
		}
		items = append(items, f.Item)
		p.Changes = append(p.Changes, journal.Change{
			Place: f.Place, Top: f.Target.Top, Names: f.Target.Names, Key: f.Key, Before: f.State,
		})
		p.Plan.Steps = append(p.Plan.Steps, copyplan.Step{Place: f.Place, Before: f.State})
	}
	p.Here, p.Age = copyplan.Of(items), copyplan.Here
	p.Warnings = append(p.wide(), p.observed()...)
	return p
}

func moment(t time.Time) string { return t.Local().Format("2006-01-02 15:04:05") }

// NotCovered says what of a side no location covers that is at least confirmed: how many
// files, by which locations.
func (s *Side) NotCovered() (files int, locations []string) {
	had := map[string]bool{}
	for _, f := range s.Files {
		l := s.location(f)
		if l.Standing == standing.Confirmed || l.Standing == standing.Proven {
			continue
		}
		files++
		if !had[l.At] {
			had[l.At] = true
			locations = append(locations, l.At)
		}
	}
	slices.Sort(locations)
	return files, locations
}
