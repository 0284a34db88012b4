package service

import (
	"crypto/sha256"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/standing"
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

// add checks a submission by itself and beside what is recorded, and stores it to the
// letter.
func (s *Service) add(c *echo.Context, key string, digest, raw []byte) (id int64, again bool, err error) {
	ctx := c.Request().Context()
	body, err := contribution.Parse(raw)
	if err != nil {
		return 0, false, err
	}
	if err := body.Check(ctx); err != nil {
		return 0, false, err
	}
	outcome, err := body.Apply(ctx, s.store.World(), standing.Evidence{Person: person(c).Opaque})
	if err == nil {
		err = store.Stands(outcome)
	}
	if err != nil {
		return 0, false, err
	}
	return s.store.AddContribution(ctx, person(c).ID, key, digest, raw, body, outcome)
}
