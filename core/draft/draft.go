// Package draft is the file in which locations are proposed: YAML that a person
// reads and edits.
//
//	d, err := draft.Parse(data)
package draft

import (
	"cmp"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"

	"endroit/core/notes"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/trace"
	"endroit/core/words"
	"endroit/core/yamldoc"
)

// Format is the name and version in a draft.
const Format = "endroit/draft/1"

// The bounds of a draft, whoever wrote it.
const (
	MaxBytes     = 256 << 10
	MaxLocations = 64
	MaxTraces    = 16 // beside the first
	MaxNames     = 100
	maxText      = 200
)

// What a location can hold.
const (
	Save    = "save"
	Config  = "config"
	Capture = "capture"
)

// Holds lists what a location can hold.
var Holds = []string{Save, Config, Capture}

// NewTitle is the title_id of a title that is not recorded, whatever it is called.
const NewTitle = "new"

// Draft proposes where one variant of a title keeps things.
type Draft struct {
	Format string `json:"format" yaml:"format"`
	Title  string `json:"title" yaml:"title"`
	// TitleID is the id of the recorded title, or NewTitle; empty where the edition's
	// reference, or the name, tells.
	TitleID   string         `json:"title_id,omitempty" yaml:"title_id,omitempty"`
	Edition   *trace.Edition `json:"edition,omitempty" yaml:"edition,omitempty"`
	Launcher  string         `json:"launcher,omitempty" yaml:"launcher,omitempty"`
	OS        string         `json:"os" yaml:"os"`
	Runtime   string         `json:"runtime" yaml:"runtime"`
	Trace     *Trace         `json:"trace,omitempty" yaml:"trace,omitempty"`
	Also      []Trace        `json:"also,omitempty" yaml:"also,omitempty"` // further traces, of other runs
	Names     *Names         `json:"names,omitempty" yaml:"names,omitempty"`
	Locations []Location     `json:"locations" yaml:"locations"`
	// Disputes are recorded locations that the runs contradict. Each is sent as a
	// contribution of its own.
	Disputes  []Dispute  `json:"disputes,omitempty" yaml:"disputes,omitempty"`
	Questions []Question `json:"questions,omitempty" yaml:"questions,omitempty"`
	Note      string     `json:"note,omitempty" yaml:"note,omitempty"`
}

// Trace names the trace that a draft was made from. It stays on the machine.
type Trace struct {
	File   string `json:"file,omitempty" yaml:"file,omitempty"`
	SHA256 string `json:"sha256" yaml:"sha256"`
}

// Names are names in the paths that were seen, by where they come from. They stay on the
// machine.
type Names struct {
	Chosen  []string `json:"chosen,omitempty" yaml:"chosen,omitempty"`   // by the player: typed, or drawn for them
	Program []string `json:"program,omitempty" yaml:"program,omitempty"` // numbers that the program brings, however they look
}

// Location is one proposed location with what was seen there.
type Location struct {
	At    string   `json:"at" yaml:"at"`
	Holds string   `json:"holds" yaml:"holds"`
	Why   []string `json:"why,omitempty" yaml:"why,omitempty"`
	Seen  []string `json:"seen,omitempty" yaml:"seen,omitempty"`
	// Belongs says of settings whom they belong to, the machine or the person; empty if
	// nobody said.
	Belongs string `json:"belongs,omitempty" yaml:"belongs,omitempty"`
	// Notes are on the structure of the files, by which a sound one is told from a
	// damaged or a foreign one.
	Notes *notes.Notes `json:"notes,omitempty" yaml:"notes,omitempty"`
	// Sources are where the names in the location come from, as submit found them.
	Sources *Sources `json:"sources,omitempty" yaml:"sources,omitempty,flow"`
}

// Dispute is a recorded location that the runs contradict.
type Dispute struct {
	At      string `json:"at" yaml:"at"`
	Holds   string `json:"holds" yaml:"holds"`
	Because string `json:"because" yaml:"because"`
}

// Sources counts the parts of names that a location keeps, without the title's own folders,
// by where they come from: see core/origin.
type Sources struct {
	Program int `json:"program" yaml:"program"` // in a file of the program
	Other   int `json:"other" yaml:"other"`     // in none of those that were searched
	Unsure  int `json:"unsure" yaml:"unsure"`   // nothing can be said
	Files   int `json:"files" yaml:"files"`     // that were searched
}

// Place parses the location; a checked draft gives no error.
func (l Location) Place() (place.Location, error) { return place.Parse(l.At) }

// Error is what is wrong with a draft, and where.
type Error = yamldoc.Error

// Parse reads and checks a draft. The error is an *Error that says where.
func Parse(data []byte) (*Draft, error) {
	var d Draft
	doc, err := yamldoc.Decode("draft", data, MaxBytes, &d)
	if err != nil {
		return nil, err
	}
	if e := d.check(); e != nil {
		return nil, doc.At(e)
	}
	return &d, nil
}

// Check reports what is wrong with a draft that did not come as text.
func (d *Draft) Check() error {
	if e := d.check(); e != nil {
		return e
	}
	return nil
}

func (d *Draft) check() *Error {
	bad := func(field, format string, args ...any) *Error {
		return &Error{What: "draft", Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	if d.Format != Format {
		return bad("format", "it is %q and this program reads %s", phrase.Clip(d.Format, 60), Format)
	}
	texts := []struct {
		field, text string
		required    bool
	}{
		{"title", d.Title, true}, {"title_id", d.TitleID, false}, {"launcher", d.Launcher, false},
		{"os", d.OS, true}, {"runtime", d.Runtime, true},
	}
	if d.Edition != nil {
		texts = append(texts, []struct {
			field, text string
			required    bool
		}{{"edition.store", d.Edition.Store, true}, {"edition.ref", d.Edition.Ref, false}, {"edition.version", d.Edition.Version, false}}...)
	}
	for _, t := range texts {
		if t.required && t.text == "" {
			return bad(t.field, "it is missing")
		}
		if reason := words.Name(t.text, maxText); reason != "" {
			return bad(t.field, "%s", reason)
		}
	}
	if d.TitleID != "" && d.TitleID != NewTitle && (len(d.TitleID) != 16 || strings.Trim(d.TitleID, "0123456789abcdef") != "") {
		return bad("title_id", "it is %q; it must be new, or the 16 hexadecimal digits of a recorded title", phrase.Clip(d.TitleID, 60))
	}
	if d.OS != "linux" && d.OS != "windows" && d.OS != "macos" {
		return bad("os", "it is %q; it must be linux, windows or macos", d.OS)
	}
	if d.Runtime != "native" && d.Runtime != "prefix" {
		return bad("runtime", "it is %q; it must be native or prefix", d.Runtime)
	}
	if len(d.Also) > 0 && d.Trace == nil || len(d.Also) > MaxTraces {
		return bad("also", "further traces need a first one, and there are at most %d", MaxTraces)
	}
	if len(d.Locations) == 0 {
		return bad("locations", "it is empty; a draft proposes at least one location")
	}
	if len(d.Locations) > MaxLocations {
		return bad("locations", "there are %d; at most %d are allowed", len(d.Locations), MaxLocations)
	}
	seen := map[string]int{}
	for i, l := range d.Locations {
		field := fmt.Sprintf("locations[%d]", i)
		if _, err := place.Parse(l.At); err != nil {
			return bad(field+".at", "%v", err)
		}
		if l.Holds != Save && l.Holds != Config && l.Holds != Capture {
			return bad(
				field+".holds", "it is %q; it must be save (progress), config (settings) or capture (pictures)",
				phrase.Clip(l.Holds, 60),
			)
		}
		if j, twice := seen[l.At]; twice {
			return bad(field+".at", "it is the same as locations[%d]", j)
		}
		seen[l.At] = i
		if l.Notes != nil {
			if err := l.Notes.Check(); err != nil {
				var e *Error
				if errors.As(err, &e) {
					return bad(field+".notes."+e.Field, "%s", e.Reason)
				}
				return bad(field+".notes", "%v", err)
			}
		}
		if l.Belongs != "" && (l.Holds != Config || !slices.Contains(AnswersTo(TopicBelongs), l.Belongs)) {
			return bad(field+".belongs", "it is %q; settings belong to the machine or the person, and nothing else does", phrase.Clip(l.Belongs, 60))
		}
		if s := l.Sources; s != nil && min(s.Program, s.Other, s.Unsure, s.Files) < 0 {
			return bad(field+".sources", "a count is negative")
		}
		if len(l.Seen) > 1000 || len(l.Why) > 100 {
			return bad(field, "more than 1000 lines under seen, or 100 under why")
		}
		for _, text := range append(append([]string{}, l.Seen...), l.Why...) {
			if reason := words.Shown(text, 1000); reason != "" {
				return bad(field, "a line under seen or why: %s", reason)
			}
		}
	}
	if d.Names != nil {
		for field, list := range map[string][]string{"names.chosen": d.Names.Chosen, "names.program": d.Names.Program} {
			if len(list) > MaxNames {
				return bad(field, "there are %d; at most %d are allowed", len(list), MaxNames)
			}
			for _, name := range list {
				if reason := words.Shown(name, 255); reason != "" || name == "" {
					return bad(field, "%q: %s", phrase.Clip(name, 60), cmp.Or(reason, "it is empty"))
				}
			}
		}
	}
	for i, x := range d.Disputes {
		field := fmt.Sprintf("disputes[%d]", i)
		if _, err := place.Parse(x.At); err != nil {
			return bad(field+".at", "%v", err)
		}
		if !slices.Contains(Holds, x.Holds) {
			return bad(field+".holds", "it is %q; it must be save (progress), config (settings) or capture (pictures)", phrase.Clip(x.Holds, 60))
		}
		if reason := words.Text(x.Because, 2000); reason != "" || strings.TrimSpace(x.Because) == "" {
			return bad(field+".because", "%s", cmp.Or(reason, "a reason is required"))
		}
	}
	if len(d.Disputes) > MaxLocations {
		return bad("disputes", "there are %d; at most %d are allowed", len(d.Disputes), MaxLocations)
	}
	for i, q := range d.Questions {
		if field, reason := q.check(); reason != "" {
			return bad(fmt.Sprintf("questions[%d]%s", i, field), "%s", reason)
		}
	}
	if len(d.Questions) > 100 {
		return bad("questions", "there are %d; at most 100 are allowed", len(d.Questions))
	}
	if reason := words.Text(d.Note, 4000); reason != "" {
		return bad("note", "%s", reason)
	}
	return d.checkTraces(bad)
}

func (d *Draft) checkTraces(bad func(field, format string, args ...any) *Error) *Error {
	traces := append([]Trace{}, d.Also...)
	if d.Trace != nil {
		traces = append(traces, *d.Trace)
	}
	for i, t := range traces {
		field := fmt.Sprintf("also[%d]", i)
		if i == len(d.Also) {
			field = "trace"
		}
		if digest, err := hex.DecodeString(t.SHA256); t.SHA256 != "" &&
			(err != nil || len(digest) != 32 || t.SHA256 != strings.ToLower(t.SHA256)) {
			return bad(field+".sha256", "it is %q, not a SHA-256 as 64 lowercase hexadecimal digits", phrase.Clip(t.SHA256, 60))
		}
		if reason := words.Shown(t.File, 1000); reason != "" {
			return bad(field+".file", "%s", reason)
		}
	}
	return nil
}

const heading = ` A draft: where one variant of a title keeps things. Edit it freely, then run
 endroit submit. A location is ANCHOR:PATTERN; * and ? are wildcards, {slot},
 {profile}, {account}, {user}, {host} and {ref} stand for what differs between
 people, and a trailing / means the folder with all that is in it.`

// Text writes the draft as a person reads it.
func (d *Draft) Text() ([]byte, error) {
	comments := yaml.CommentMap{"$.format": {yaml.HeadComment(strings.Split(heading, "\n")...)}}
	if len(d.Questions) > 0 {
		comments["$.questions"] = []*yaml.Comment{
			yaml.HeadComment(" What the run does not decide. Write what you know behind answer: and run endroit answer with this file."),
		}
	}
	if len(d.Disputes) > 0 {
		comments["$.disputes"] = []*yaml.Comment{
			yaml.HeadComment(
				" Recorded locations that the run contradicts. Each is sent as a contribution of its own;",
				" remove what you do not want to dispute.",
			),
		}
	}
	if d.Names != nil {
		comments["$.names"] = []*yaml.Comment{yaml.HeadComment(" Where names come from. This stays on your machine.")}
	}
	out, err := yaml.MarshalWithOptions(
		d, yaml.WithComment(comments), yaml.IndentSequence(true), yaml.UseLiteralStyleIfMultiline(true),
	)
	if err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	return out, nil
}
