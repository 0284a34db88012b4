package service

import (
	"net/http"
	"strings"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"endroit/core/words"
	"endroit/service/answer"
	"endroit/service/wire"
)

func (s *Service) accept(c *echo.Context) error {
	id, err := contributionNumber(c)
	if err != nil {
		return err
	}
	if err := s.store.Accept(c.Request().Context(), id, person(c)); err != nil {
		return err
	}
	s.log.Info("accepted", "contribution", id, "by", person(c).Name)
	return c.JSON(http.StatusOK, wire.Decided{Number: id, State: "accepted"})
}

// maxBecause is how long a reason may be, in characters.
const maxBecause = 2000

func (s *Service) returnContribution(c *echo.Context) error {
	id, err := contributionNumber(c)
	if err != nil {
		return err
	}
	var in struct {
		Because string `json:"because"`
	}
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	in.Because = strings.TrimSpace(in.Because)
	in.Because = strings.ReplaceAll(in.Because, "\r\n", "\n")
	if n := utf8.RuneCountInString(in.Because); n == 0 || n > maxBecause {
		return answer.Invalid("because", "a reason of 1 to 2000 characters is required, so that the contributor can fix it")
	}
	if reason := words.Text(in.Because, 4*maxBecause); reason != "" {
		return answer.Invalid("because", reason)
	}
	if err := s.store.Return(c.Request().Context(), id, person(c), in.Because); err != nil {
		return err
	}
	s.log.Info("returned", "contribution", id, "by", person(c).Name)
	return c.JSON(http.StatusOK, wire.Decided{Number: id, State: "returned"})
}
