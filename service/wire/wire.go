// Package wire is what the API says, as types for both of its ends.
package wire

import (
	"encoding/json"
	"time"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/standing"
)

// The types of problems that a program may decide on.
const (
	ProblemAny       = "about:blank"
	ProblemSignIn    = "urn:endroit:problem:sign-in"    // no or a wrong token or session
	ProblemExpired   = "urn:endroit:problem:expired"    // the token was valid once
	ProblemRole      = "urn:endroit:problem:role"       // the account may not do this
	ProblemOwn       = "urn:endroit:problem:own"        // a decision on one's own contribution
	ProblemDecided   = "urn:endroit:problem:decided"    // somebody else decided first
	ProblemConflict  = "urn:endroit:problem:conflict"   // another title's files
	ProblemClash     = "urn:endroit:problem:clash"      // a sheet that contradicts another
	ProblemKeyReused = "urn:endroit:problem:key-reused" // idempotency key with another body
	ProblemInvalid   = "urn:endroit:problem:invalid"    // the request body is invalid
	ProblemTooLarge  = "urn:endroit:problem:too-large"  // the body is over the limit
	ProblemNotFound  = "urn:endroit:problem:not-found"  // not found
	ProblemOutdated  = "urn:endroit:problem:outdated"   // a later version of the service has taken over
	ProblemTooMany   = "urn:endroit:problem:too-many"   // wait and try again
)

// Problems lists them.
var Problems = []string{
	ProblemSignIn,
	ProblemExpired,
	ProblemRole,
	ProblemOwn,
	ProblemDecided,
	ProblemConflict,
	ProblemClash,
	ProblemKeyReused,
	ProblemInvalid,
	ProblemTooLarge,
	ProblemNotFound,
	ProblemOutdated,
	ProblemTooMany,
}

// Person is an account as the API shows it.
type Person struct {
	Name     string `json:"name"`
	Reviewer bool   `json:"reviewer"`
}

// Account is one's own account.
type Account struct {
	Name     string   `json:"name"`
	Reviewer bool     `json:"reviewer"`
	SignIns  []SignIn `json:"sign_ins"`
}

// SignIn is a token or a browser that is signed in.
type SignIn struct {
	ID      string    `json:"id"`
	Kind    string    `json:"kind"` // token or browser
	Created time.Time `json:"created"`
	Expires time.Time `json:"expires"`
	Current bool      `json:"current"` // that of the request itself
}

// PasswordChange asks for another password.
type PasswordChange struct {
	Password string `json:"password"` // the present one
	New      string `json:"new"`
}

// TitleFound is a title in a list.
type TitleFound struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	Year      int      `json:"year,omitempty"`
	Maker     string   `json:"maker,omitempty"`
	Variants  int      `json:"variants"`
	Locations int      `json:"locations"`
	Stores    []string `json:"stores"`
	Systems   []string `json:"systems"`
	Because   string   `json:"because,omitempty"` // why it was found, where its name does not tell
}

// LocationShown is a location with what a page needs to draw it.
type LocationShown struct {
	At       string            `json:"at"`
	Holds    string            `json:"holds"`
	Belongs  string            `json:"belongs,omitempty"`
	Standing standing.Standing `json:"standing"`
	Usable   bool              `json:"usable"` // whether programs may change files by it
	Counts   standing.Counts   `json:"counts"`
	Versions string            `json:"versions"` // of the edition, for which it holds, in words
	Replaces []string          `json:"replaces,omitempty"`
	Evidence []Evidence        `json:"evidence"`
	// Notes are on the structure of the files there, NotesSummary the same in one line.
	Notes        *notes.Notes  `json:"notes,omitempty"`
	NotesSummary string        `json:"notes_summary"`
	Anchor       string        `json:"anchor"`
	Pattern      string        `json:"pattern"`
	Means        string        `json:"means"` // what the anchor is on this variant's system
	Usual        string        `json:"usual"` // where that usually lies, for reading
	Reason       string        `json:"reason"`
	Raise        []string      `json:"raise"` // what would raise the standing
	Hazards      []HazardShown `json:"hazards"`
	Cloud        string        `json:"cloud"` // kept, not kept, or empty where nothing was seen
	Forms        []place.Form  `json:"forms"`
}

// Evidence is one accepted statement about a location or a sheet.
type Evidence struct {
	Kind         standing.Kind `json:"kind"`
	Contribution int64         `json:"contribution"`
	By           string        `json:"by"` // empty for somebody who was forgotten
	ReviewedBy   string        `json:"reviewed_by"`
	Accepted     time.Time     `json:"accepted"`
	Version      string        `json:"version,omitempty"`
	Observer     string        `json:"observer"`
	Says         string        `json:"says"` // what it says, in words
}

// HazardShown is what an operation does to what a location holds.
type HazardShown struct {
	Destroys bool   `json:"destroys"`
	Text     string `json:"text"`
}

// VariantShown is a variant with its locations as a page draws them.
type VariantShown struct {
	Name      string          `json:"name"`
	Store     string          `json:"store"`
	Ref       string          `json:"ref"`
	Launcher  string          `json:"launcher"`
	OS        string          `json:"os"`
	Runtime   string          `json:"runtime"`
	Locations []LocationShown `json:"locations"`
	Cloud     string          `json:"cloud"`   // how much the launcher's cloud keeps: all, part, none, or empty
	Absence   *AbsenceShown   `json:"absence"` // null where nobody found that nothing is kept
}

// AbsenceShown says that a variant keeps nothing on the machine.
type AbsenceShown struct {
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`
	Raise    []string          `json:"raise"`
	Evidence []Evidence        `json:"evidence"`
}

// RevisionShown is a revision in a list.
type RevisionShown struct {
	Number    int               `json:"number"`
	Digest    string            `json:"digest"` // SHA-256 of its signed list of files
	Published time.Time         `json:"published"`
	Because   string            `json:"because"` // accepted, begun, signed-again or standing
	Titles    int               `json:"titles"`
	Sheets    int               `json:"sheets"`
	Changed   int               `json:"changed"` // how many titles and sheets
	Changes   []RevisionChanged `json:"changes"` // the first of them
}

// RevisionChanged is a title or a launcher's sheet that a revision changed.
type RevisionChanged struct {
	TitleID string `json:"title_id,omitempty"`
	SheetID string `json:"sheet_id,omitempty"`
	Name    string `json:"name"`
}

// ChangeShown is a change with the sentence that says it.
type ChangeShown struct {
	manifest.Change
	Text string `json:"text"`
}

// Changes are changes with their sentences.
func Changes(list []manifest.Change) []ChangeShown {
	out := []ChangeShown{}
	for _, c := range list {
		out = append(out, ChangeShown{c, c.String()})
	}
	return out
}

// HistoryEntry is one acceptance in a title's history.
type HistoryEntry struct {
	Version      int           `json:"version"` // counts the title's changes
	Contribution int64         `json:"contribution"`
	Kind         string        `json:"kind"`
	Statement    string        `json:"statement"` // what was asked for
	By           string        `json:"by"`        // empty for somebody who was forgotten
	ReviewedBy   string        `json:"reviewed_by"`
	Accepted     time.Time     `json:"accepted"`
	Revision     *int          `json:"revision"` // the first that has it; null until it is published
	Changes      []ChangeShown `json:"changes"`
}

// Comparison is what differs between two states of a title.
type Comparison struct {
	From    int           `json:"from"` // versions of the title; 0 before there was one
	To      int           `json:"to"`
	Changes []ChangeShown `json:"changes"`
}

// ContributionListed is a contribution in a list.
type ContributionListed struct {
	Number    int64      `json:"number"`
	Kind      string     `json:"kind"`     // finding, sheet, dispute, location, title
	Title     string     `json:"title"`    // or the launcher's name
	TitleID   string     `json:"title_id"` // empty while it is not known
	Store     string     `json:"store"`
	System    string     `json:"system"`
	Statement string     `json:"statement"` // what it asks for, in a sentence
	By        string     `json:"by"`
	State     string     `json:"state"`
	Submitted time.Time  `json:"submitted"`
	DecidedBy string     `json:"decided_by"`
	Decided   *time.Time `json:"decided"`
	Because   string     `json:"because"`
	Revision  *int       `json:"revision"` // the first that has it; null until it is published
}

// ContributionShown is one contribution with all that a reviewer needs.
type ContributionShown struct {
	ContributionListed
	Variant      string                 `json:"variant"`
	Draft        json.RawMessage        `json:"draft"`     // null for what is no finding
	Footprint    json.RawMessage        `json:"footprint"` // null without one
	Locations    []LocationShown        `json:"locations"` // the draft's, with the standing that they would have
	Coverage     []contribution.Covered `json:"coverage"`
	Reason       string                 `json:"reason"`    // the contributor's own
	Changes      []ChangeShown          `json:"changes"`   // what accepting would change, or has changed
	Refused      string                 `json:"refused"`   // why it could not be accepted, apart from conflicts
	Conflicts    []manifest.Conflict    `json:"conflicts"` // why it could not be accepted
	Sheet        *SheetShown            `json:"sheet"`     // null for what is no sheet
	Proof        *ProofShown            `json:"proof"`     // null for what is no experiment
	MayDecide    bool                   `json:"may_decide"`
	CannotDecide string                 `json:"cannot_decide_reason"` // why this person may not decide
}

// SheetShown is a launcher's sheet that was contributed.
type SheetShown struct {
	ID          string                 `json:"id"`
	Text        string                 `json:"text"` // YAML
	Systems     []SheetSystem          `json:"systems"`
	Found       *contribution.Findings `json:"found"`
	Note        string                 `json:"note"`
	Differences []sheet.Difference     `json:"differences"` // from the present one
	New         bool                   `json:"new"`         // there is no present one
	Clashes     []sheet.Clash          `json:"clashes"`     // why it could not be accepted
}

// SheetSystem is what a sheet tells of one operating system, for reading.
type SheetSystem struct {
	System string      `json:"system"`
	Rows   []sheet.Row `json:"rows"`
}

// LauncherListed is a launcher in a list.
type LauncherListed struct {
	ID        string            `json:"id"`
	Name      string            `json:"name"`
	Systems   []string          `json:"systems"`
	Addresses []string          `json:"addresses"`
	Starts    []string          `json:"starts"` // ids of launchers that it hands over to
	Usual     string            `json:"usual"`  // where it usually lies, on the first system
	Standing  standing.Standing `json:"standing"`
	Reason    string            `json:"reason"`
}

// LauncherShown is a launcher with its sheet.
type LauncherShown struct {
	LauncherListed
	Store     string        `json:"store"` // whose references its titles carry
	StartedBy []string      `json:"started_by"`
	Sheets    []SheetSystem `json:"sheets"`
	Text      string        `json:"text"` // the sheet as YAML
	Evidence  []Evidence    `json:"evidence"`
}

// Problem is an error as the API answers it: RFC 9457, with the field in
// question where there is one.
type Problem struct {
	Type      string              `json:"type"`
	Title     string              `json:"title"`
	Status    int                 `json:"status"`
	Detail    string              `json:"detail,omitempty"`
	Field     string              `json:"field,omitempty"`
	RequestID string              `json:"request_id,omitempty"`
	Conflicts []manifest.Conflict `json:"conflicts,omitempty"`
}

func (p *Problem) Error() string {
	text := p.Detail
	if text == "" {
		text = p.Title
	}
	if p.Field != "" {
		text = p.Field + ": " + text
	}
	if p.Status >= 500 && p.RequestID != "" {
		text += " (request id " + p.RequestID + ")"
	}
	return text
}

// Title is one title with its variants.
type Title struct {
	ID       string         `json:"id"`
	Name     string         `json:"name"`
	Names    []string       `json:"names"` // other names, with their language
	Year     int            `json:"year,omitempty"`
	Maker    string         `json:"maker,omitempty"`
	Editions []Edition      `json:"editions"`
	Changes  int            `json:"changes"` // how often it was changed
	Variants []VariantShown `json:"variants"`
}

// Edition is a title as one store sells it.
type Edition struct {
	Store    string   `json:"store"`
	Ref      string   `json:"ref"`
	Versions []string `json:"versions"` // that were run
}

// Page is one page of a list; Next is the cursor of the one behind it, empty at
// the end.
type Page[T any] struct {
	Items []T    `json:"items"`
	Next  string `json:"next"`
}

// Session says who is signed in, nil for nobody.
type Session struct {
	Person *Person `json:"person"`
	// Local says that this is no service: endroit workbench answers, for one trace.
	Local bool `json:"local"`
}

// Token is a new token; it is shown this once.
type Token struct {
	Token   string    `json:"token"`
	Expires time.Time `json:"expires"`
	Person  Person    `json:"person"`
}

// Credentials are what a person signs in with.
type Credentials struct {
	Name     string `json:"name"`
	Password string `json:"password"`
}

// Submitted answers a submission; Again says that it was stored before.
type Submitted struct {
	Number int64 `json:"number"`
	Again  bool  `json:"again"`
}

// Decided answers a decision.
type Decided struct {
	Number int64  `json:"number"`
	State  string `json:"state"`
}
