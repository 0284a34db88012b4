package journal

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"endroit/core/copyplan"
	"endroit/safefile"
)

// Format is the name and version in an operation's document.
const Format = "endroit/operation/1"

// maxDocument bounds a document, in bytes.
const maxDocument = 256 << 20

// About says what an operation is for.
type About struct {
	Kind    string `json:"kind"` // putback, clear, switch, carry, undo
	Title   string `json:"title"`
	TitleID string `json:"title_id,omitempty"`
	Variant string `json:"variant,omitempty"` // in words
	Says    string `json:"says"`              // what it did, in a sentence
	// Set is the name of the set that is in place afterwards, Was of the one before; for a
	// switch and what takes one back.
	Set string `json:"set,omitempty"`
	Was string `json:"was,omitempty"`
	// WasCopy is the id of the copy of that set that was taken then.
	WasCopy string `json:"was_copy,omitempty"`
	// Install and Prefix are where the game is, Cloud whether its launcher keeps cloud copies:
	// who takes the operation back looks whether it runs.
	Install string `json:"install,omitempty"`
	Prefix  string `json:"prefix,omitempty"`
	Cloud   bool   `json:"cloud,omitzero"`
	// Undoes is the operation that it takes back.
	Undoes string `json:"undoes,omitempty"`
}

// Operation is one that changed files, or was to.
type Operation struct {
	ID string `json:"id"`
	// Number orders operations: clocks are set back.
	Number int       `json:"number"`
	Began  time.Time `json:"began"`
	About
	Files int `json:"files"` // how many it changes
	// State is how far it came. Notes are what was odd.
	State State    `json:"state"`
	Notes []string `json:"notes"`
	// Kept is what it keeps for undo, in bytes.
	Kept int64 `json:"kept"`
}

// State is how far an operation came.
type State string

// The states. Waiting is for one that was interrupted and cannot be ended yet.
const (
	Done      State = "done"
	Undone    State = "undone"
	LetGo     State = "let go" // done, and no longer to be undone
	TakenBack State = "taken back"
	Waiting   State = "waiting"
)

// Changed is one file that an operation changes.
type Changed struct {
	Place  string         `json:"place"`
	Path   string         `json:"path"`
	Before copyplan.State `json:"before,omitzero"`
	After  copyplan.State `json:"after,omitzero"`
}

// head is what an operation's folder tells of it without its steps, which can be many.
type head struct {
	Format string    `json:"format"`
	ID     string    `json:"id"`
	Number int       `json:"number"`
	Began  time.Time `json:"began"`
	About
	Files int `json:"files"`
}

// document is what is written of an operation before it changes anything.
type document struct {
	head
	Steps []step `json:"steps"`
	// Folders are those that it makes, the upper ones first.
	Folders []folderMade `json:"folders"`
}

// step is one change. Paths are percent-encoded: they need not be UTF-8.
type step struct {
	Place  string         `json:"place"`
	Top    string         `json:"top"`
	Names  string         `json:"names"` // with slashes between them
	Part   string         `json:"part,omitempty"`
	Before copyplan.State `json:"before,omitzero"`
	After  copyplan.State `json:"after,omitzero"`
	// Copied says that what is replaced is kept as a copy, made before anything changes,
	// and not by its name.
	Copied bool `json:"copied,omitzero"`
	// Key is the path of a registry key, Prefix the folder of the prefix that it is in: then
	// there is no part, and Top and Names are empty.
	Key    string `json:"key,omitempty"`
	Prefix string `json:"prefix,omitempty"`
}

type folderMade struct {
	Top   string `json:"top"`
	Names string `json:"names"`
}

func encodeNames(names []string) string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = url.PathEscape(n)
	}
	return strings.Join(out, "/")
}

func decodeNames(text string) ([]string, error) {
	names := strings.Split(text, "/")
	for i, n := range names {
		name, err := url.PathUnescape(n)
		if err != nil || name == "" || name == "." || name == ".." || strings.ContainsAny(name, "/\x00") {
			return nil, fmt.Errorf("%q is no path below a folder", text)
		}
		names[i] = name
	}
	return names, nil
}

// encodeTop writes a folder's path: only what JSON cannot carry is encoded.
func encodeTop(path string) string { return strings.ReplaceAll(url.PathEscape(path), "%2F", "/") }

func decodePath(text string) (string, error) { return url.PathUnescape(text) }

func decodeTop(text string) (string, error) {
	path, err := decodePath(text)
	if err == nil && !filepath.IsAbs(path) {
		err = fmt.Errorf("%q is no absolute path", path)
	}
	return path, err
}

// The files in an operation's folder.
const (
	documentFile = "operation.json"
	headFile     = "about.json" // written before the document, and kept for the list
	keptFolder   = "kept"
	stagedMark   = "staged"      // all is prepared: from here it is finished, before it is taken back
	backMark     = "taking-back" // it could not be finished: from here it is taken back
	doneMark     = "done"
	undoneMark   = "undone"
	waitingMark  = "waiting"
	letGoMark    = "let-go"
)

// marks is what a mark says.
type marks struct {
	Notes []string `json:"notes"`
	Kept  int64    `json:"kept,omitzero"` // bytes
}

func writeJSON(name string, v any) error {
	data, err := json.Marshal(v, jsontext.WithIndent(" "), json.Deterministic(true))
	if err != nil {
		return err
	}
	return safefile.Write(name, append(data, '\n'))
}

func readJSON(name string, v any) error {
	data, err := safefile.Read(name, maxDocument)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(data, v); err != nil {
		return fmt.Errorf("%s %w", name, errDamaged)
	}
	return nil
}

// errDamaged says that a document cannot be read.
var errDamaged = errors.New("is damaged")

// errNoDocument says that an operation's folder has no document: nothing was begun.
var errNoDocument = errors.New("nothing was begun")

func readDocument(folder string) (*document, error) {
	d := &document{}
	err := readJSON(filepath.Join(folder, documentFile), d)
	if errors.Is(err, os.ErrNotExist) {
		return nil, errNoDocument
	}
	if err == nil && d.Format != Format {
		err = fmt.Errorf("%s is of another version of Endroit (%q)", filepath.Join(folder, documentFile), d.Format)
	}
	return d, err
}

// has reports whether an operation's folder has a mark.
func has(folder, mark string) bool {
	_, err := os.Stat(filepath.Join(folder, mark))
	return err == nil
}

// operation is what a folder tells of an operation.
func operation(folder string) (Operation, error) {
	h := head{}
	err := readJSON(filepath.Join(folder, headFile), &h)
	switch {
	case errors.Is(err, os.ErrNotExist) || err == nil && !has(folder, documentFile):
		return Operation{}, errNoDocument
	case err != nil:
		return Operation{}, err
	case h.Format != Format:
		return Operation{}, fmt.Errorf("%s is of another version of Endroit (%q)", filepath.Join(folder, headFile), h.Format)
	}
	op := Operation{ID: h.ID, Number: h.Number, Began: h.Began, About: h.About, Files: h.Files, Notes: []string{}}
	says := waitingMark
	if has(folder, doneMark) {
		says = doneMark
	}
	var m marks
	if err := readJSON(filepath.Join(folder, says), &m); err == nil && m.Notes != nil {
		op.Notes = slices.Clone(m.Notes)
	}
	switch {
	case has(folder, letGoMark):
		op.State = LetGo
	case has(folder, undoneMark):
		op.State = Undone
	case has(folder, doneMark):
		op.State = Done
	default:
		op.State = Waiting
	}
	if op.State == Done {
		op.Kept = m.Kept
	}
	return op, nil
}

// Changes are the files that an operation changed, or was to.
func (j *Journal) Changes(op Operation) ([]Changed, error) {
	d, err := readDocument(filepath.Join(j.folder, op.ID))
	if err != nil {
		return nil, err
	}
	out := make([]Changed, len(d.Steps))
	for i, s := range d.Steps {
		out[i] = Changed{s.Place, s.path(), s.Before, s.After}
	}
	return out, nil
}

func keptBytes(folder string) (n int64) {
	entries, err := os.ReadDir(filepath.Join(folder, keptFolder))
	if err != nil {
		return 0
	}
	for _, e := range entries {
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() {
			n += info.Size()
		}
	}
	return n
}

// path is where a step's file is, for people.
func (s step) path() string {
	if s.Key != "" {
		k, err := s.key()
		if err != nil {
			return s.Place
		}
		return k.String()
	}
	top, err := decodeTop(s.Top)
	names, err2 := decodeNames(s.Names)
	if err != nil || err2 != nil {
		return s.Place
	}
	return filepath.Join(append([]string{top}, names...)...)
}
