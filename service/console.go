package service

import (
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/console"
	"endroit/service/answer"
	"endroit/service/wire"
)

// console serves the console's files and pages at all addresses outside the API.
func (s *Service) console(e *echo.Echo) {
	e.GET("/*", func(c *echo.Context) error {
		if strings.HasPrefix(c.Request().URL.Path, "/api/") {
			return answer.Problem(
				http.StatusNotFound, wire.ProblemNotFound,
				"no such API path; the API is described at /api/v1/openapi.yaml",
			)
		}
		err := console.Answer(c.Response(), c.Request())
		if errors.Is(err, console.ErrNotBuilt) || errors.Is(err, console.ErrNoPage) {
			return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, err.Error())
		}
		return err
	})
}
