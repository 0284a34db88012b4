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
	Variants  int      `json:"variants"`
	Locations int      `json:"locations"`
	Stores    []string `json:"stores"`
	Systems   []string `json:"systems"`
	Because   string   `json:"because,omitempty"` // why it was found, where its name does not tell
}

// LocationShown is a location with what a page needs to draw it.
type LocationShown struct {
	At       string              `json:"at"`
	Holds    string              `json:"holds"`
	Standing standing.Standing   `json:"standing"`
	Evidence []standing.Evidence `json:"evidence"`
	// Notes are on the structure of the files there, NotesSummary the same in one line.
	Notes        *notes.Notes `json:"notes,omitempty"`
	NotesSummary string       `json:"notes_summary"`
	Anchor       string       `json:"anchor"`
	Pattern      string       `json:"pattern"`
	Means        string       `json:"means"` // what the anchor is on this variant's system
	Usual        string       `json:"usual"` // where that usually lies, for reading
	Reason       string       `json:"reason"`
	Forms        []place.Form `json:"forms"`
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
}

// RevisionShown is a revision in a list.
type RevisionShown struct {
	Number       int       `json:"number"`
	Digest       string    `json:"digest"`
	Previous     string    `json:"previous"`
	Published    time.Time `json:"published"`
	Contribution *int64    `json:"contribution"`
	Title        *string   `json:"title"`
	TitleID      *string   `json:"title_id"`
	Sheet        *string   `json:"sheet"` // the launcher whose sheet it changed
	SheetID      *string   `json:"sheet_id"`
}

// ContributionListed is a contribution in a list.
type ContributionListed struct {
	Number    int64      `json:"number"`
	Kind      string     `json:"kind"`  // draft or sheet
	Title     string     `json:"title"` // or the launcher's name
	By        string     `json:"by"`
	State     string     `json:"state"`
	Submitted time.Time  `json:"submitted"`
	DecidedBy string     `json:"decided_by"`
	Decided   *time.Time `json:"decided"`
	Because   string     `json:"because"`
	Revision  *int       `json:"revision"`
}

// ContributionShown is one contribution with all that a reviewer needs.
type ContributionShown struct {
	ContributionListed
	Variant      string                 `json:"variant"`
	Draft        json.RawMessage        `json:"draft"`     // null for a sheet
	Footprint    json.RawMessage        `json:"footprint"` // null for a sheet
	Locations    []LocationShown        `json:"locations"` // the draft's, with the standing that they would have
	Coverage     []contribution.Covered `json:"coverage"`
	Changes      []manifest.Change      `json:"changes"`   // what accepting would change
	Conflicts    []manifest.Conflict    `json:"conflicts"` // why it could not be accepted
	Sheet        *SheetShown            `json:"sheet"`     // null for a draft
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
	Store     string              `json:"store"` // whose references its titles carry
	StartedBy []string            `json:"started_by"`
	Sheets    []SheetSystem       `json:"sheets"`
	Text      string              `json:"text"` // the sheet as YAML
	Evidence  []standing.Evidence `json:"evidence"`
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
	Variants []VariantShown `json:"variants"`
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
	Number   int64  `json:"number"`
	State    string `json:"state"`
	Revision int    `json:"revision,omitempty"`
}
