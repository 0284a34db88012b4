package wire

import (
	"encoding/json"
	"time"

	"endroit/core/content"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// Workbench is a footprint as the workbench's page draws it, of a contribution or of a
// trace on this machine.
type Workbench struct {
	Name          string          `json:"name"` // of the trace's file, or of the contribution
	Local         bool            `json:"local"`
	By            string          `json:"by"`                    // who submitted it, empty for a local one
	MayCorrect    bool            `json:"may_correct"`           // the one who asks
	CannotCorrect string          `json:"cannot_correct_reason"` // why they may not
	Saves         string          `json:"saves"`                 // the file that the draft is saved to, empty where it cannot be
	Digest        string          `json:"digest"`                // of that file as it is, empty where there is none: see DraftSaved
	Title         string          `json:"title"`
	Variant       string          `json:"variant"`
	Started       time.Time       `json:"started"`
	Length        int64           `json:"length"` // nanoseconds, as all times here
	Runs          []footprint.Run `json:"runs"`   // where it tells of several: each has a clock of its own
	Observer      string          `json:"observer"`
	ReadsSeen     bool            `json:"reads_seen"`
	Events        int             `json:"events"`
	Programs      []string        `json:"programs"`
	Cues          []BenchCue      `json:"cues"`
	Gaps          []string        `json:"gaps"`
	Cut           string          `json:"cut"`

	Counts      map[footprint.Kind]int `json:"counts"`
	Files       []BenchFile            `json:"files"` // by number: the index into this list
	Corrections []footprint.Correction `json:"corrections"`
	Draft       json.RawMessage        `json:"draft"`
}

// BenchCue is a moment that was marked.
type BenchCue struct {
	At  int64  `json:"at"`
	Cue string `json:"cue"`
}

// BenchFile is one file in the workbench's lists.
type BenchFile struct {
	Path       string          `json:"path,omitempty"`
	Place      string          `json:"place,omitempty"`
	Kind       footprint.Kind  `json:"kind"`
	Judged     footprint.Kind  `json:"judged,omitempty"` // where a person corrected it
	Confidence float64         `json:"confidence"`
	Reads      int             `json:"reads"`
	Writes     int             `json:"writes"`
	Changes    int             `json:"changes,omitempty"`
	LastWrite  int64           `json:"last_write,omitempty"`
	Size       int64           `json:"size"` // afterwards, bytes, or values of a key
	Is         string          `json:"is"`   // afterwards: file, key, absent…
	New        bool            `json:"new,omitempty"`
	Runs       []int           `json:"runs,omitempty"` // those that it is from, from 0, where there are several
	Near       []string        `json:"near,omitempty"`
	Reasons    []string        `json:"reasons,omitempty"` // the weightiest, of files of interest
	Lane       *footprint.Lane `json:"lane,omitempty"`    // of files of interest
	Programs   []string        `json:"programs,omitempty"`
}

// topReasons is how many reasons a list gives for a file of interest.
const topReasons = 3

// NewWorkbench fills in what a footprint tells.
func NewWorkbench(f *footprint.Footprint) Workbench {
	w := Workbench{
		Title:       f.Title,
		Started:     f.Started,
		Length:      int64(f.Length),
		Observer:    f.Observer,
		ReadsSeen:   f.ReadsSeen(),
		Events:      f.Events,
		Programs:    append([]string{}, f.Programs...),
		Cues:        []BenchCue{},
		Gaps:        []string{},
		Cut:         f.Cut,
		Counts:      f.Counts,
		Files:       make([]BenchFile, 0, len(f.Files)),
		Corrections: append([]footprint.Correction{}, f.Corrections...),
		Runs:        append([]footprint.Run{}, f.Runs...),
	}
	for _, c := range f.Cues {
		w.Cues = append(w.Cues, BenchCue{int64(c.At), c.Word})
	}
	for _, g := range f.Gaps {
		w.Gaps = append(w.Gaps, g.What)
	}
	for _, x := range f.Files {
		w.Files = append(w.Files, benchFile(x))
	}
	return w
}

func benchFile(x footprint.File) BenchFile {
	b := BenchFile{
		Path:       x.Path,
		Place:      x.Place,
		Kind:       x.Kind,
		Confidence: x.Confidence,
		Reads:      x.Reads,
		Writes:     x.Writes,
		Changes:    x.Changes,
		LastWrite:  int64(x.LastWrite),
		Size:       x.After.Size,
		Is:         string(x.After.Is),
		New:        x.Before.Is == trace.IsAbsent,
		Runs:       x.Runs,
		Near:       x.Near,
		Programs:   x.Programs,
	}
	if x.Judged != nil {
		b.Judged = x.Judged.Kind
	}
	if x.Kind.OfInterest() {
		b.Reasons, b.Lane = x.Reasons[:min(topReasons, len(x.Reasons))], x.Lane
	}
	return b
}

// BenchFileShown is one file with all that is known of it.
type BenchFileShown struct {
	BenchFile
	File     footprint.File       `json:"file"`
	Points   []footprint.Points   `json:"points"`   // by kind, the likeliest first; empty where a submission tells reasons alone
	Evidence []footprint.Evidence `json:"evidence"` // the weightiest first
	Versions []BenchVersion       `json:"versions"` // of its content, the oldest first; none where it is elsewhere
}

// BenchFileOf is a file of a footprint, by number.
func BenchFileOf(f *footprint.Footprint, n int) BenchFileShown {
	x := f.Files[n]
	out := BenchFileShown{
		BenchFile: benchFile(x),
		File:      x,
		Points:    []footprint.Points{},
		Evidence:  []footprint.Evidence{},
		Versions:  []BenchVersion{},
	}
	out.Lane, out.Reasons = x.Lane, append([]string{}, x.Reasons...)
	if why := x.Explain(); len(why.Evidence) > 0 {
		out.Points, out.Evidence = why.Points, why.Evidence
	}
	return out
}

// BenchVersion is a content that can be looked into.
type BenchVersion struct {
	ID     string `json:"id"`   // for the calls on its bytes
	Says   string `json:"says"` // in words: before the run, at the cue saved…
	At     int64  `json:"at"`   // since the start
	Size   int64  `json:"size"`
	Digest string `json:"digest"`
}

// BenchBytes is a stretch of a content, with the facts found in the whole.
type BenchBytes struct {
	Size   int            `json:"size"`
	At     int            `json:"at"`
	Bytes  []byte         `json:"bytes"`
	Facts  *content.Facts `json:"facts"`
	Cannot string         `json:"cannot"` // why it cannot be looked into now, empty if it can
}

// BenchDifferences is what differs between two contents.
type BenchDifferences struct {
	From        string            `json:"from"`
	To          string            `json:"to"`
	FromSize    int               `json:"from_size"`
	ToSize      int               `json:"to_size"`
	Differences []BenchDifference `json:"differences"`
	More        int               `json:"more"` // differences that are left out
	// Lines are the differences of two texts, in whole lines; null if they are no texts.
	Lines     []content.LineDifference `json:"lines"`
	MoreLines int                      `json:"more_lines"` // of them that are left out
	Cannot    string                   `json:"cannot"`
}

// BenchDifference is one stretch that differs; Was and Is hold its first bytes.
type BenchDifference struct {
	At       int    `json:"at"`
	Length   int    `json:"length"`
	ToAt     int    `json:"to_at"`
	ToLength int    `json:"to_length"`
	Was      []byte `json:"was"`
	Is       []byte `json:"is"`
}

// BenchSteps are the events of one file, as the trace has them.
type BenchSteps struct {
	Steps []BenchStep `json:"steps"`
	More  int         `json:"more"` // that are left out
}

// BenchStep is one event.
type BenchStep struct {
	At      int64  `json:"at"`
	Op      string `json:"op"`
	Program string `json:"program"`
	To      string `json:"to,omitempty"` // the other path, of a rename or a link
	Size    int64  `json:"size,omitempty"`
	What    string `json:"what,omitempty"`
}

// DraftTried is a draft in the making.
type DraftTried struct {
	Title     string           `json:"title"`
	Locations []draft.Location `json:"locations"`
	Questions []draft.Question `json:"questions,omitempty"` // with the answers that count, on the contributor's own machine
}

// DraftAnswered is a draft in the making with answers to its questions.
type DraftAnswered struct {
	Draft json.RawMessage `json:"draft"`
}

// Answered is the draft with the answers applied, and what they changed.
type Answered struct {
	Draft   json.RawMessage `json:"draft"`
	Added   []string        `json:"added"`   // locations, with what they hold
	Removed []string        `json:"removed"` // the same
}

// DraftSaved is a draft to be saved over a file with a digest.
type DraftSaved struct {
	Draft  json.RawMessage `json:"draft"`
	Digest string          `json:"digest"` // of the file that it replaces, empty if there is none
}

// Saved answers it.
type Saved struct {
	File   string `json:"file"`
	Digest string `json:"digest"`
}

// CorrectionMade says that a file is of another kind than was judged.
type CorrectionMade struct {
	File    string         `json:"file"` // its place, or its path where it has none
	Kind    footprint.Kind `json:"kind"`
	Because string         `json:"because"`
}

// BenchSums are the checksums found in a content.
type BenchSums struct {
	Sums   []content.SumMatch `json:"sums"`
	Weak   int                `json:"weak"` // matches that chance explains
	Cannot string             `json:"cannot"`
}
