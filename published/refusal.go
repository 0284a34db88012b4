package published

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/theupdateframework/go-tuf/v2/metadata"
)

// Cause is why something published is refused.
type Cause string

// The causes.
const (
	Unsigned    Cause = "unsigned"    // not by who should sign it
	Older       Cause = "older"       // than what was read before
	Mixed       Cause = "mixed"       // files of different revisions
	Expired     Cause = "expired"     // nobody has signed it again: perhaps it is held back
	Cut         Cause = "cut"         // a file is missing, or ends early
	Larger      Cause = "larger"      // than announced
	Changed     Cause = "changed"     // a file is not what was announced
	Invalid     Cause = "invalid"     // signed, and yet not what a publication may hold
	Clock       Cause = "clock"       // this computer's clock is wrong
	Unreachable Cause = "unreachable" // nothing was read
)

// Refusal says what was refused of a source, and why.
type Refusal struct {
	Cause  Cause
	Source string
	What   string // what happened, in words
	Err    error
}

func (e *Refusal) Error() string { return fmt.Sprintf("%s: %s. %s", e.Source, e.What, e.Advice()) }
func (e *Refusal) Unwrap() error { return e.Err }

// Advice says what to do about it.
func (e *Refusal) Advice() string {
	switch e.Cause {
	case Unsigned:
		return "Do not use this source until its operator has explained it. " +
			"If the publication has changed its keys, ask for its root and its fingerprint by another way"
	case Older:
		return "Use a source that is up to date, or try again later"
	case Mixed, Changed, Cut:
		return "The copy there is being written, or damaged; try again later, or use another source"
	case Expired:
		return "Use another source; if all say so, ask those who publish whether they still do"
	case Larger, Invalid:
		return "Do not use this source until its operator has explained it"
	case Clock:
		return "Set the clock and try again"
	}
	return "Check the address and the connection, or use another source"
}

// clockLimit is how far two clocks may be apart.
const clockLimit = 24 * time.Hour

// refuse says in words what an error of reading metadata means. now is this computer's
// time, there the source's.
func refuse(source string, err error, now, there time.Time) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	r := &Refusal{Source: source, Err: err}
	var (
		expired  *metadata.ErrExpiredMetadata
		version  *metadata.ErrBadVersionNumber
		unsigned *metadata.ErrUnsignedMetadata
		mismatch *metadata.ErrLengthOrHashMismatch
		download *metadata.ErrDownload
		repo     *metadata.ErrRepository
		syntax   *json.SyntaxError
		types    *json.UnmarshalTypeError
		have     *Refusal
	)
	switch {
	case errors.As(err, &have):
		return err
	case errors.As(err, &expired):
		if gap := now.Sub(there); !there.IsZero() && (gap > clockLimit || gap < -clockLimit) {
			r.Cause = Clock
			r.What = fmt.Sprintf(
				"the clock of this computer says %s, and the server's %s: "+
					"with a wrong clock nobody can tell whether what is there is recent",
				now.Format("2 January 2006"), there.Format("2 January 2006"),
			)
			return r
		}
		r.Cause = Expired
		r.What = fmt.Sprintf(
			"what is there has expired (%s): nobody has signed it again, or somebody holds newer files back. "+
				"If today is not %s, the clock of this computer is wrong",
			strings.TrimPrefix(expired.Msg, "new "), now.Format("2 January 2006"),
		)
	case errors.As(err, &version) && strings.Contains(version.Msg, "must be >="):
		r.Cause = Older
		r.What = "what is there is older than what was fetched before: somebody offers an old state again, or the source is behind"
	case errors.As(err, &version):
		r.Cause, r.What = Mixed, "the files there are of different revisions"
	case errors.As(err, &unsigned):
		r.Cause, r.What = Unsigned, "what is there is not signed by the keys of this publication"
	case errors.As(err, &mismatch):
		r.Cause, r.What = Mixed, "a file there is not the one that the signed list names"
	case errors.Is(err, ErrLarge):
		r.Cause, r.What = Larger, "a file there is larger than announced"
	case errors.Is(err, ErrAbsent), errors.Is(err, io.ErrUnexpectedEOF):
		r.Cause, r.What = Cut, "a file that should be there is missing, or ends too early"
	case errors.As(err, &syntax), errors.As(err, &types), errors.As(err, &repo):
		r.Cause, r.What = Changed, "what is there is not a publication's metadata (perhaps an error page)"
	case errors.Is(err, context.DeadlineExceeded), strings.Contains(err.Error(), context.DeadlineExceeded.Error()):
		r.Cause, r.What = Unreachable, "it answers too slowly: a file did not come in the time that a slow line would take"
	case errors.As(err, &download):
		r.Cause, r.What = Unreachable, "it could not be read: "+download.Msg
	default:
		r.Cause, r.What = Unreachable, "it could not be read: "+err.Error()
	}
	return r
}
