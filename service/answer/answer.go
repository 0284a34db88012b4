// Package answer is what the service and the workbench share in answering requests: problem
// documents (RFC 9457), bodies, and errors.
//
//	var in wire.Decision
//	if err := answer.Read(c, &in); err != nil {
//		return err // a problem document
//	}
package answer

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/core/jsondoc"
	"endroit/service/wire"
)

// Problem makes a problem document; kind is one of wire's.
func Problem(status int, kind, detail string) *wire.Problem {
	return &wire.Problem{Type: kind, Title: http.StatusText(status), Status: status, Detail: detail}
}

// Invalid is the problem of a field with an invalid value.
func Invalid(field, detail string) *wire.Problem {
	p := Problem(http.StatusUnprocessableEntity, wire.ProblemInvalid, detail)
	p.Field = field
	return p
}

// Read decodes a JSON body strictly into v.
func Read(c *echo.Context, v any) error {
	if kind, _, _ := strings.Cut(c.Request().Header.Get("Content-Type"), ";"); kind != "application/json" {
		return Problem(http.StatusUnsupportedMediaType, wire.ProblemInvalid, "the request body must be application/json")
	}
	raw, err := Body(c)
	if err != nil {
		return err
	}
	return jsondoc.Decode("the request body", raw, v)
}

// Body reads a request body.
func Body(c *echo.Context) ([]byte, error) {
	raw, err := io.ReadAll(c.Request().Body)
	switch {
	case errors.Is(err, os.ErrDeadlineExceeded):
		return nil, Problem(http.StatusRequestTimeout, wire.ProblemAny, "the request body did not arrive in time")
	case errors.Is(err, io.ErrUnexpectedEOF):
		return nil, Problem(http.StatusBadRequest, wire.ProblemInvalid, "the request body is incomplete")
	}
	return raw, err
}

// Of finds the problem document for an error that any handler can return; nil for others.
func Of(err error) *wire.Problem {
	var (
		p       *wire.Problem
		unread  *jsondoc.Error
		status  echo.HTTPStatusCoder
		tooLong *http.MaxBytesError
	)
	switch {
	case errors.As(err, &p):
		return p
	case errors.As(err, &unread):
		p := Invalid(unread.Field, unread.Reason)
		if unread.Unsound {
			p.Status, p.Title = http.StatusBadRequest, http.StatusText(http.StatusBadRequest)
		}
		return p
	case errors.As(err, &tooLong), errors.Is(err, echo.ErrStatusRequestEntityTooLarge):
		return Problem(
			http.StatusRequestEntityTooLarge, wire.ProblemTooLarge,
			"the request body is too large; docs/api.md states the limits",
		)
	case errors.Is(err, context.DeadlineExceeded):
		return Problem(
			http.StatusServiceUnavailable, wire.ProblemAny,
			"computing the answer took too long; ask for less, or try again later",
		)
	case errors.As(err, &status) && status.StatusCode() < 500 && status.StatusCode() >= 400:
		detail := ""
		var he *echo.HTTPError
		if errors.As(err, &he) {
			detail = he.Message
		}
		return Problem(status.StatusCode(), wire.ProblemAny, detail)
	}
	return nil
}

// Send writes a problem document, unless an answer has begun.
func Send(c *echo.Context, p wire.Problem) error {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return nil
	}
	c.Response().Header().Set(echo.HeaderContentType, "application/problem+json")
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(p.Status, p)
}
