// Package copyrecord is the file that lies beside the files of a copy and says what they
// are: of which title, edition and variant, from which locations, taken when, with a
// digest for each file.
//
//	r, err := copyrecord.Parse(data)
//	names, err := r.Files[0].Names()
//
// A record comes with a copy from anywhere, so it is a claim: Parse checks that it has one
// reading and names nothing outside its own locations. What it may overwrite is decided by
// the locations that are recorded where it is put back.
package copyrecord

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"endroit/core/draft"
	"endroit/core/filename"
	"endroit/core/place"
	"endroit/core/standing"
	"endroit/core/words"
)

// Format is the name and version in a record; FileName is what it is called beside the
// files.
const (
	Format   = "endroit/copy/1"
	FileName = "copy.json"
)

// The bounds of a record, whoever wrote it.
const (
	MaxBytes     = 64 << 20
	MaxFiles     = 200_000
	MaxLocations = 256
	MaxName      = 80      // bytes of a copy's own name
	MaxSize      = 1 << 40 // bytes of one file
	maxText      = 500
	maxHoles     = 10_000
	maxXattrs    = 64
	maxXattr     = 64 << 10 // bytes of all extended attributes of one file
	maxCaptures  = 16
)

// Record says what a copy is.
type Record struct {
	Format  string `json:"format"`
	ID      string `json:"id"` // 16 hexadecimal digits, drawn at random
	Title   string `json:"title"`
	TitleID string `json:"title_id,omitempty"` // in the manifest; empty if it was copied by a draft
	// Name is what the person calls this copy; of a set, the set's name.
	Name  string    `json:"name,omitempty"`
	Set   bool      `json:"set,omitzero"`  // a named set, which switch keeps and brings
	Kept  bool      `json:"kept,omitzero"` // taken by keep, which may thin it out
	Taken time.Time `json:"taken"`
	By    string    `json:"by"` // the version of the program that took it
	// Machine is a pseudonym, the same for all copies of one machine.
	Machine string  `json:"machine"`
	Source  Source  `json:"source"`
	Variant Variant `json:"variant"`
	// Slot is the one that the copy is limited to; empty for all that there was.
	Slot string `json:"slot,omitempty"`
	// Locations are those that were copied from, with what they hold or without a file: of
	// all others the copy says nothing. LeftOut are others of the variant, with
	// the reason: what they held is not in this copy.
	Locations []Location `json:"locations"`
	LeftOut   []LeftOut  `json:"left_out,omitempty"`
	// Files are the copied files, and registry keys.
	Files []File `json:"files"`
}

// Source is what said where the files are: a revision of the manifest, or a draft.
type Source struct {
	Revision int    `json:"revision,omitzero"`
	Draft    string `json:"draft,omitempty"` // SHA-256 of its text
}

// Variant is which variant of the title the files are from.
type Variant struct {
	Store     string `json:"store,omitempty"`
	Reference string `json:"reference,omitempty"`
	Launcher  string `json:"launcher,omitempty"`
	OS        string `json:"os"`
	Runtime   string `json:"runtime"`
	Version   string `json:"version,omitempty"` // of the copy that was installed
	Account   string `json:"account,omitempty"` // the launcher's, where one location lies in its folder
	// Parts is what the named parts stood for that are the same everywhere: the user.
	Parts place.Captures `json:"parts,omitempty"`
}

// Location is a location that was copied from.
type Location struct {
	At       string            `json:"at"`
	Holds    string            `json:"holds"`
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason,omitempty"`
}

// LeftOut is a location, or a file, that is not in the copy.
type LeftOut struct {
	What string `json:"what"`
	Why  string `json:"why"`
}

// File is one file of the copy, or a registry key with all below it: then the file that is
// stored is text that Windows' own registry editor imports (package regtext).
type File struct {
	Place    string `json:"place"`    // ANCHOR:PATH, the exact place, percent-encoded as in a location
	Location int    `json:"location"` // the index of the location that it is from
	// Stored is its path below the copy's folder, or in the archive; empty for a link.
	Stored string    `json:"stored,omitempty"`
	Size   int64     `json:"size"`          // bytes
	Time   time.Time `json:"time,omitzero"` // of the last change; of a registry key it may be missing
	Mode   Mode      `json:"mode,omitzero"` // 0 where the system has none
	// SHA256 and BLAKE3 are digests of the content, in hexadecimal. A file has one of them at
	// least, a registry key SHA-256, and a link none.
	SHA256 string `json:"sha256,omitempty"`
	BLAKE3 string `json:"blake3,omitempty"`
	Link   string `json:"link,omitempty"` // the place that it leads to, which is another file's
	// Parts is what the location's named parts stood for.
	Parts  place.Captures    `json:"parts,omitempty"`
	Holes  [][2]int64        `json:"holes,omitempty"`  // offset and length, in bytes, in rising order
	Xattrs map[string][]byte `json:"xattrs,omitempty"` // of the user's namespace
	Values int               `json:"values,omitzero"`  // how many a registry key has
	// Note is what the notes on structure say of it: sound, damaged, foreign.
	Note string `json:"note,omitempty"`
}

// Mode is a file's permission bits, written as chmod(1) takes them: "0644".
type Mode uint32

// MarshalText writes the bits in octal.
func (m Mode) MarshalText() ([]byte, error) { return fmt.Appendf(nil, "%04o", uint32(m)), nil }

// UnmarshalText reads them.
func (m *Mode) UnmarshalText(text []byte) error {
	n, err := strconv.ParseUint(string(text), 8, 32)
	if err != nil || len(text) > 6 {
		return fmt.Errorf("%q is not octal permission bits", text)
	}
	*m = Mode(n)
	return nil
}

// Names are the anchor and the names below it.
func (f File) Names() (place.Anchor, []string, error) { return exact(f.Place) }

// IsKey reports whether it is a registry key.
func (f File) IsKey() bool { return strings.HasPrefix(f.Place, string(place.Registry)+":") }

// exact reads an exact place of a file, or of a registry key, which is written as a folder.
func exact(text string) (place.Anchor, []string, error) {
	l, err := place.ParseAny(text)
	if err != nil {
		return "", nil, err
	}
	if l.Pattern.Folder != (l.Anchor == place.Registry) {
		return "", nil, errors.New("it is a folder, or a registry key without a slash at its end")
	}
	for _, s := range l.Pattern.Segments {
		if len(s) != 1 || s[0].Kind != place.Literal {
			return "", nil, errors.New("it is not one exact place")
		}
	}
	return l.Anchor, l.Names(), nil
}

// Error is what is wrong with a record. Field is written like files[3].place.
type Error struct {
	Field  string
	Reason string
}

func (e *Error) Error() string {
	if e.Field == "" {
		return "invalid record of a copy: " + e.Reason
	}
	return "invalid record of a copy: " + e.Field + ": " + e.Reason
}

// ErrNewer says that a record was written by a later version of the format.
var ErrNewer = errors.New("the copy was made by a newer version of Endroit; update this one to use it")

// Parse reads a record and checks it. An error is ErrNewer or an *Error. Fields that are
// not known are left out: a later version of the program may add them.
func Parse(data []byte) (*Record, error) {
	if len(data) > MaxBytes {
		return nil, &Error{"", fmt.Sprintf("it is larger than %d bytes", MaxBytes)}
	}
	// Duplicate names and invalid UTF-8 are refused: there is one reading.
	r := &Record{}
	failed := json.Unmarshal(data, r)
	if failed != nil || r.Format != Format {
		var head struct {
			Format string `json:"format"`
		}
		if err := json.Unmarshal(data, &head); err != nil {
			return nil, &Error{"", plain(err)}
		}
		switch {
		case head.Format != Format && strings.HasPrefix(head.Format, "endroit/copy/"):
			return nil, fmt.Errorf("%w (its format is %q)", ErrNewer, head.Format)
		case head.Format != Format:
			return nil, &Error{"format", fmt.Sprintf("%q is not %s", head.Format, Format)}
		}
		return nil, &Error{"", plain(failed)}
	}
	if err := r.Check(); err != nil {
		return nil, err
	}
	return r, nil
}

// Head is what a record says of a copy before it names its files.
type Head struct {
	TitleID, Title, Machine string
	Set                     bool
}

// ReadHead reads a record up to its locations, if they stand behind its head, as this program
// writes them. It checks nothing: it is for telling which records have to be parsed.
func ReadHead(from io.Reader) (h Head, err error) {
	d := jsontext.NewDecoder(from)
	if t, err := d.ReadToken(); err != nil || t.Kind() != '{' {
		return h, &Error{"", "it is not JSON"}
	}
	for d.PeekKind() != '}' {
		name, err := d.ReadToken()
		if err != nil {
			return h, &Error{"", plain(err)}
		}
		into := map[string]any{"title_id": &h.TitleID, "title": &h.Title, "machine": &h.Machine, "set": &h.Set}[name.String()]
		switch {
		case name.String() == "locations" && h.Title != "" && h.Machine != "":
			return h, nil
		case into == nil:
			err = d.SkipValue()
		default:
			err = json.UnmarshalDecode(d, into)
		}
		if err != nil {
			return h, &Error{"", plain(err)}
		}
	}
	return h, nil
}

// plain says what the JSON library says, without its prefix.
func plain(err error) string {
	var syntax *jsontext.SyntacticError
	if errors.As(err, &syntax) {
		return fmt.Sprintf("it is not JSON (at byte %d)", syntax.ByteOffset)
	}
	var semantic *json.SemanticError
	if errors.As(err, &semantic) {
		return fmt.Sprintf("the value at %s does not fit", semantic.JSONPointer)
	}
	return "it is not JSON"
}

// Text writes the record, indented, for people to read too.
func (r *Record) Text() ([]byte, error) {
	data, err := json.Marshal(r, jsontext.WithIndent("  "), json.Deterministic(true))
	if err != nil {
		return nil, err
	}
	return append(data, '\n'), nil
}

// Check says what is wrong with a record.
func (r *Record) Check() error {
	if len(r.ID) != 16 || !isHex(r.ID) {
		return &Error{"id", "it is not 16 lowercase hexadecimal digits"}
	}
	if r.Title == "" {
		return &Error{"title", "it is missing"}
	}
	if r.Taken.IsZero() {
		return &Error{"taken", "it is missing"}
	}
	for _, t := range []struct{ field, text string }{
		{"title", r.Title}, {"title_id", r.TitleID}, {"by", r.By}, {"machine", r.Machine}, {"variant.store", r.Variant.Store},
		{"variant.reference", r.Variant.Reference}, {"variant.launcher", r.Variant.Launcher}, {"variant.os", r.Variant.OS},
		{"variant.runtime", r.Variant.Runtime}, {"variant.version", r.Variant.Version}, {"variant.account", r.Variant.Account}, {"slot", r.Slot},
	} {
		if reason := words.Line(t.text, maxText); reason != "" {
			return &Error{t.field, reason}
		}
	}
	if reason := CheckName(r.Name); r.Name != "" && reason != "" {
		return &Error{"name", reason}
	}
	if r.Set && r.Name == "" {
		return &Error{"name", "a set needs a name"}
	}
	if len(r.Locations) > MaxLocations || len(r.Files) > MaxFiles {
		return &Error{"", fmt.Sprintf("it has more than %d locations or %d files", MaxLocations, MaxFiles)}
	}
	locations := make([]place.Location, len(r.Locations))
	for i, l := range r.Locations {
		at, err := place.Parse(l.At)
		if err != nil {
			return &Error{fmt.Sprintf("locations[%d].at", i), err.Error()}
		}
		if !slices.Contains(draft.Holds, l.Holds) {
			return &Error{fmt.Sprintf("locations[%d].holds", i), "it is not " + strings.Join(draft.Holds, ", ")}
		}
		locations[i] = at
	}
	return r.checkFiles(locations)
}

// CheckName says what is wrong with a name for a copy; empty if nothing is. It becomes
// part of a folder's name.
func CheckName(name string) string {
	if reason := words.Name(name, MaxName); reason != "" {
		return reason
	}
	if strings.ContainsAny(name, `/\`) {
		return "it contains a slash"
	}
	if strings.Trim(name, " .") == "" {
		return "it is empty"
	}
	return ""
}

// checkFiles checks files against the locations and each other.
func (r *Record) checkFiles(locations []place.Location) error {
	places := map[string]int{}
	stored := storedNames{map[string]bool{}, map[string]bool{}, map[string]bool{}}
	for i, f := range r.Files {
		field := func(name, reason string) error { return &Error{fmt.Sprintf("files[%d].%s", i, name), reason} }
		if f.Location < 0 || f.Location >= len(locations) {
			return field("location", "there is no such location")
		}
		anchor, names, err := f.Names()
		if err != nil {
			return field("place", err.Error())
		}
		at := locations[f.Location]
		_, covered := at.Match(names, nil)
		if anchor == place.Registry { // a key is taken whole
			covered = f.Place == at.String()
		}
		if anchor != at.Anchor || !covered {
			return field("place", fmt.Sprintf("%s does not cover it", at))
		}
		if f.IsKey() && (f.Link != "" || f.Mode != 0 || len(f.Holes) > 0 || len(f.Xattrs) > 0) {
			return field("place", "a registry key has no mode, and is no link")
		}
		// Exactly alike: whether names may differ by case alone is a matter of where they
		// are put.
		if other, twice := places[f.Place]; twice {
			return field("place", fmt.Sprintf("it is the same as that of files[%d]", other))
		}
		places[f.Place] = i
		if f.Size < 0 || f.Size > MaxSize {
			return field("size", fmt.Sprintf("it is not between 0 and %d", int64(MaxSize)))
		}
		if f.Mode&^0o777 != 0 {
			return field("mode", "it has more than permission bits")
		}
		if y := f.Time.Year(); (y < 1601 || y > 9999) && !(f.IsKey() && f.Time.IsZero()) {
			return field("time", "its year is not between 1601 and 9999")
		}
		if len(f.Parts) > maxCaptures {
			return field("parts", "there are too many")
		}
		if reason := checkHoles(f.Holes, f.Size); reason != "" {
			return field("holes", reason)
		}
		if reason := checkXattrs(f.Xattrs); reason != "" {
			return field("xattrs", reason)
		}
		if f.BLAKE3 != "" && (len(f.BLAKE3) != 64 || !isHex(f.BLAKE3)) {
			return field("blake3", "it is not 64 lowercase hexadecimal digits")
		}
		if f.Link != "" {
			if f.Stored != "" || f.SHA256 != "" || f.BLAKE3 != "" {
				return field("link", "a link has no content")
			}
			continue // where it leads is looked at below, when all places are known
		}
		if (f.SHA256 != "" || f.BLAKE3 == "" || f.IsKey()) && (len(f.SHA256) != 64 || !isHex(f.SHA256)) {
			return field("sha256", "it is not 64 lowercase hexadecimal digits")
		}
		if err := stored.add(f.Stored); err != nil {
			return field("stored", err.Error())
		}
	}
	for i, f := range r.Files {
		if f.Link == "" {
			continue
		}
		to, there := places[f.Link]
		if !there || r.Files[to].Link != "" {
			return &Error{fmt.Sprintf("files[%d].link", i), "it leads to no file of the copy"}
		}
		from, _, _ := f.Names()
		if other, _, _ := r.Files[to].Names(); other != from {
			return &Error{fmt.Sprintf("files[%d].link", i), "it leads below another anchor"}
		}
	}
	return nil
}

// storedNames are the paths of a copy's own files, by filename.Fold.
type storedNames struct{ files, folders, portable map[string]bool }

// add checks the path of a file of the copy itself: it leaves the copy on no system, and
// means one file on each.
func (s *storedNames) add(name string) error {
	if len(name) > maxStored {
		return fmt.Errorf("it is longer than %d bytes", maxStored)
	}
	parts := name
	if cut := strings.LastIndexByte(name, '/'); cut >= 0 && s.portable[name[:cut]] {
		parts = name[cut+1:] // its folder was looked at with another file
	} else if cut >= 0 {
		s.portable[name[:cut]] = true
	}
	for part := range strings.SplitSeq(parts, "/") {
		if !filename.IsPortable(part) {
			return fmt.Errorf("%q is not a path that every system can have below a copy's folder", name)
		}
	}
	key := filename.Fold(name)
	if s.files[key] || key == FileName {
		return fmt.Errorf("%q is another file's too, where letters' case is no difference", name)
	}
	if s.folders[key] {
		return fmt.Errorf("%q is a folder too", name)
	}
	s.files[key] = true
	for folder := range above(key) {
		if s.files[folder] {
			return fmt.Errorf("%q lies below a file", name)
		}
		if s.folders[folder] {
			break // and so are those above it
		}
		s.folders[folder] = true
	}
	return nil
}

func checkHoles(holes [][2]int64, size int64) string {
	if len(holes) > maxHoles {
		return "there are too many"
	}
	end := int64(0)
	for _, h := range holes {
		if h[0] < end || h[1] <= 0 || h[1] > size-h[0] {
			return "they are not in order within the file"
		}
		end = h[0] + h[1]
	}
	return ""
}

func checkXattrs(xattrs map[string][]byte) string {
	size := 0
	for name, value := range xattrs {
		if !strings.HasPrefix(name, "user.") || words.Line(name, 255) != "" {
			return "a name is not of the user's namespace"
		}
		size += len(name) + len(value)
	}
	if len(xattrs) > maxXattrs || size > maxXattr {
		return "there are too many, or they are too large"
	}
	return ""
}

func isHex(text string) bool {
	for i := range len(text) {
		if c := text[i]; (c < '0' || c > '9') && (c < 'a' || c > 'f') {
			return false
		}
	}
	return len(text)%2 == 0
}

// Bytes is the size of all files together.
func (r *Record) Bytes() (n int64) {
	for _, f := range r.Files {
		n += f.Size
	}
	return n
}

// Newest is when the file that changed last did.
func (r *Record) Newest() (t time.Time) {
	for _, f := range r.Files {
		if f.Time.After(t) {
			t = f.Time
		}
	}
	return t
}
