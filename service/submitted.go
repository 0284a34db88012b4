package service

import (
	"crypto/sha256"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

func (s *Service) submit(c *echo.Context) error {
	key := c.Request().Header.Get("Idempotency-Key")
	if key == "" || len(key) > 200 || strings.ContainsFunc(key, func(r rune) bool { return r < ' ' || r > '~' }) {
		return answer.Invalid(
			"Idempotency-Key",
			"the header is missing, longer than 200 bytes or not printable ASCII; use one value per submission, so that it is stored once",
		)
	}
	if kind, _, _ := strings.Cut(c.Request().Header.Get("Content-Type"), ";"); kind != "application/json" {
		return answer.Problem(http.StatusUnsupportedMediaType, wire.ProblemInvalid, "the request body must be application/json")
	}
	raw, err := answer.Body(c)
	if err != nil {
		return err
	}
	digest := sha256.Sum256(raw)
	id, again, err := s.store.Submitted(c.Request().Context(), person(c).ID, key, digest[:])
	if err == nil && !again { // what was stored once is not checked a second time
		id, again, err = s.add(c, key, digest[:], raw)
	}
	if err != nil {
		return err
	}
	status := http.StatusCreated
	if again {
		status = http.StatusOK
	}
	c.Response().Header().Set("Location", "/api/v1/contributions/"+strconv.FormatInt(id, 10))
	return c.JSON(status, wire.Submitted{Number: id, Again: again})
}

// add checks a submission and stores it: of what was sent only what was read of it.
func (s *Service) add(c *echo.Context, key string, digest, raw []byte) (id int64, again bool, err error) {
	body, err := contribution.Parse(raw)
	if err != nil {
		return 0, false, err
	}
	if err := body.Check(c.Request().Context()); err != nil {
		return 0, false, err
	}
	title, err := s.fits(c, body)
	if err != nil {
		return 0, false, err
	}
	doc, err := manifest.Canonical(body)
	if err != nil {
		return 0, false, err
	}
	return s.store.AddContribution(c.Request().Context(), person(c).ID, key, digest, body.Kind(), title, doc)
}

// fits reports what keeps a contribution from standing beside what is accepted, and the
// name under which it would be published.
func (s *Service) fits(c *echo.Context, body *contribution.Body) (title string, err error) {
	if body.Sheet != nil {
		all, err := s.store.Sheets(c.Request().Context())
		if err != nil {
			return "", err
		}
		if clashes := store.ClashesWith(body.Sheet, all); len(clashes) > 0 {
			return "", &store.ClashError{Clashes: clashes}
		}
		return body.Title(), nil
	}
	sheets, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return "", err
	}
	if err := contribution.CheckLaunchers(body.Draft, store.Readable(sheets)); err != nil {
		return "", err
	}
	others, err := s.store.TitlesNear(c.Request().Context(), body.Draft)
	if err != nil {
		return "", err
	}
	conflicts, err := manifest.Conflicts(c.Request().Context(), body.Draft, others)
	if err != nil {
		return "", err
	}
	if len(conflicts) > 0 {
		return "", &store.ConflictError{Conflicts: conflicts}
	}
	return manifest.Published(manifest.Present(others, body.Draft), body.Draft.Title), nil
}
