package service

import (
	"errors"
	"net/http"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/record"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// asProblem finds the answer for any error; nil for one that is this program's
// own fault.
func asProblem(err error) *wire.Problem {
	var (
		bad      *contribution.Error
		decided  *store.DecidedError
		conflict *store.ConflictError
		clash    *store.ClashError
		data     *pgconn.PgError
		refused  *record.Error
		merged   *record.MergedError
		outdated *store.OutdatedError
	)
	switch {
	case errors.As(err, &bad):
		return answer.Invalid(bad.Field, bad.Reason)
	case errors.As(err, &refused):
		return answer.Problem(http.StatusConflict, wire.ProblemConflict, refused.Error())
	case errors.As(err, &merged):
		return answer.Problem(http.StatusConflict, wire.ProblemConflict, merged.Error())
	case errors.As(err, &outdated):
		return answer.Problem(http.StatusServiceUnavailable, wire.ProblemOutdated, "a later version of the service has taken over; try again")
	case errors.Is(err, store.ErrMovedAway):
		return answer.Problem(http.StatusGone, wire.ProblemNotFound, store.ErrMovedAway.Error())
	case errors.As(err, &decided):
		return answer.Problem(http.StatusConflict, wire.ProblemDecided, "this contribution "+decided.Error()[len("it "):])
	case errors.As(err, &conflict):
		p := answer.Problem(http.StatusConflict, wire.ProblemConflict, conflict.Error())
		p.Conflicts = conflict.Conflicts
		return p
	case errors.As(err, &clash):
		p := answer.Problem(http.StatusConflict, wire.ProblemClash, clash.Error())
		p.Field = "sheet." + clash.Clashes[0].Field
		return p
	case errors.Is(err, store.ErrOwn):
		return answer.Problem(
			http.StatusForbidden, wire.ProblemOwn,
			"reviewers cannot decide on their own contributions; another reviewer has to",
		)
	case errors.Is(err, store.ErrFull):
		return answer.Problem(http.StatusConflict, wire.ProblemInvalid, store.ErrFull.Error())
	case errors.Is(err, store.ErrWaiting):
		return answer.Problem(http.StatusTooManyRequests, wire.ProblemTooMany, store.ErrWaiting.Error())
	case errors.Is(err, store.ErrKeyReused):
		return answer.Problem(
			http.StatusConflict, wire.ProblemKeyReused,
			"the idempotency key was used for another submission; take a new one",
		)
	case errors.Is(err, store.ErrNotFound):
		return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "not found")
	case errors.As(err, &data) && strings.HasPrefix(data.Code, "22"): // data exception
		return answer.Problem(http.StatusBadRequest, wire.ProblemInvalid, "a value cannot be stored or is out of range")
	}
	return answer.Of(err)
}

// answerError writes every error as a problem document.
func (s *Service) answerError(c *echo.Context, err error) {
	p := asProblem(err)
	if p == nil {
		s.log.Error("request failed", "error", err, "request_id", requestID(c), "path", c.Request().URL.Path)
		p = answer.Problem(
			http.StatusInternalServerError, wire.ProblemAny,
			"internal error; nothing was changed. Try again, and report the request id if it persists",
		)
	}
	out := *p
	out.RequestID = requestID(c)
	if out.Status == http.StatusUnauthorized {
		c.Response().Header().Set("WWW-Authenticate", `Bearer realm="endroit"`)
	}
	if err := answer.Send(c, out); err != nil {
		s.log.Warn("answer an error", "error", err)
	}
}

func requestID(c *echo.Context) string { return c.Response().Header().Get(echo.HeaderXRequestID) }
