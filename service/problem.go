package service

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/jsondoc"
	"endroit/service/store"
	"endroit/service/wire"
)

func problem(status int, kind, detail string) *wire.Problem {
	return &wire.Problem{Type: kind, Title: http.StatusText(status), Status: status, Detail: detail}
}

func invalid(field, detail string) *wire.Problem {
	p := problem(http.StatusUnprocessableEntity, wire.ProblemInvalid, detail)
	p.Field = field
	return p
}

// asProblem finds the answer for any error; nil for one that is this program's
// own fault.
func asProblem(err error) *wire.Problem {
	var (
		p        *wire.Problem
		bad      *contribution.Error
		unread   *jsondoc.Error
		decided  *store.DecidedError
		conflict *store.ConflictError
		clash    *store.ClashError
		status   echo.HTTPStatusCoder
		tooLong  *http.MaxBytesError
		data     *pgconn.PgError
	)
	switch {
	case errors.As(err, &p):
		return p
	case errors.As(err, &bad):
		return invalid(bad.Field, bad.Reason)
	case errors.As(err, &unread):
		p := invalid(unread.Field, unread.Reason)
		if unread.Unsound {
			p.Status, p.Title = http.StatusBadRequest, http.StatusText(http.StatusBadRequest)
		}
		return p
	case errors.As(err, &decided):
		return problem(http.StatusConflict, wire.ProblemDecided, "this contribution "+decided.Error()[len("it "):])
	case errors.As(err, &conflict):
		p := problem(http.StatusConflict, wire.ProblemConflict, conflict.Error())
		p.Conflicts = conflict.Conflicts
		return p
	case errors.As(err, &clash):
		p := problem(http.StatusConflict, wire.ProblemClash, clash.Error())
		p.Field = "sheet." + clash.Clashes[0].Field
		return p
	case errors.Is(err, store.ErrOwn):
		return problem(http.StatusForbidden, wire.ProblemOwn, "nobody decides on a contribution of their own; another reviewer has to")
	case errors.Is(err, store.ErrFull):
		return problem(http.StatusConflict, wire.ProblemInvalid, store.ErrFull.Error())
	case errors.Is(err, store.ErrWaiting):
		return problem(http.StatusTooManyRequests, wire.ProblemTooMany, store.ErrWaiting.Error())
	case errors.Is(err, store.ErrKeyReused):
		return problem(http.StatusConflict, wire.ProblemKeyReused, "the idempotency key was used for another submission; take a new one")
	case errors.Is(err, store.ErrNotFound):
		return problem(http.StatusNotFound, wire.ProblemNotFound, "there is no such thing here")
	case errors.As(err, &tooLong), errors.Is(err, echo.ErrStatusRequestEntityTooLarge):
		return problem(http.StatusRequestEntityTooLarge, wire.ProblemTooLarge, "the body is larger than is taken; see the limit in docs/api.md")
	case errors.Is(err, context.DeadlineExceeded):
		return problem(http.StatusServiceUnavailable, wire.ProblemAny, "the answer took too long to work out; ask for less, or try again later")
	case errors.As(err, &data) && strings.HasPrefix(data.Code, "22"): // data exception
		return problem(http.StatusBadRequest, wire.ProblemInvalid, "a value cannot be stored or is out of range")
	case errors.As(err, &status) && status.StatusCode() < 500 && status.StatusCode() >= 400:
		return problem(status.StatusCode(), wire.ProblemAny, plainDetail(err))
	}
	return nil
}

func plainDetail(err error) string {
	var he *echo.HTTPError
	if errors.As(err, &he) && he.Message != "" {
		return he.Message
	}
	return ""
}

// answerError writes every error as a problem document.
func (s *Service) answerError(c *echo.Context, err error) {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	p := asProblem(err)
	if p == nil {
		s.log.Error("request failed", "error", err, "request_id", requestID(c), "path", c.Request().URL.Path)
		p = problem(http.StatusInternalServerError, wire.ProblemAny, "the service failed; nothing was changed. Try again, and name the request id if it stays so")
	}
	out := *p
	out.RequestID = requestID(c)
	if out.Status == http.StatusUnauthorized {
		c.Response().Header().Set("WWW-Authenticate", `Bearer realm="endroit"`)
	}
	c.Response().Header().Set(echo.HeaderContentType, "application/problem+json")
	c.Response().Header().Set("Cache-Control", "no-store")
	if err := c.JSON(out.Status, out); err != nil {
		s.log.Warn("answer an error", "error", err)
	}
}

func requestID(c *echo.Context) string { return c.Response().Header().Get(echo.HeaderXRequestID) }
